"""The plan format as a JSON Schema (draft 2020-12), made from the table of kinds.

It says what one value may be; what holds between values (ids, loops, tempo) only `parse_plan` checks.
"""

from typing import Any

from highhall.plan.kinds import (
    BAND_PARAMETERS,
    CUT_SLOPES_DB_OCT,
    KINDS,
    LEVEL,
    MAXIMUM_BANDS,
    PAN,
    WIDTH,
    Kind,
    Parameter,
    ParameterType,
)
from highhall.plan.parse import FORMAT, MAXIMUM_STEPS, SAMPLE_RATES, VERSION
from highhall.timing.meters import METER_UNITS

Schema = dict[str, Any]

_NOTE_PATTERN = r"[1-9][0-9]?/(1|2|4|8|16|32|64|128)[.T]?"
_TEXT: Schema = {"type": "string", "minLength": 1, "maxLength": 120}
_FLAG: Schema = {"type": "boolean"}
_DEFINITIONS: Schema = {
    "id": {"type": "string", "pattern": "^[a-z0-9-]{1,64}$"},
    "position": {"type": "string", "pattern": r"^[0-9]{1,6}\|[0-9]{1,3}(\.[0-9]{1,12}|\+[0-9]{1,6}/[1-9][0-9]{0,5})?$"},
    "note": {"type": "string", "pattern": f"^{_NOTE_PATTERN}$"},
    "time": {"type": "string", "pattern": f"^({_NOTE_PATTERN}|([0-9]+(\\.[0-9]*)?|\\.[0-9]+) ?ms)$"},
    "path": {"type": "string", "minLength": 1, "maxLength": 1024, "not": {"pattern": r"^/|(^|/)\.\.(/|$)|\\"}},
    "value": {"type": ["number", "boolean", "string", "null"]},
}  # fmt: skip


def plan_schema() -> Schema:
    """Return the JSON Schema of a plan."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "High Hall plan",
        **_object(
            {
                "format": {"const": FORMAT},
                "version": {"const": VERSION},
                "song": _song(),
                "groups": _list(_group()),
                "tracks": _list(_track()),
                "returns": _list(_return()),
                "sends": _list(_send()),
                "moves": _list(_move()),
            },
            required=["format", "version", "song"],
        ),
        "$defs": _DEFINITIONS,
    }


def _object(properties: Schema, required: list[str]) -> Schema:
    return {"type": "object", "additionalProperties": False, "required": required, "properties": properties}


def _list(items: Schema, **limits: int) -> Schema:
    return {"type": "array", "items": items, **limits}


def _ref(name: str) -> Schema:
    return {"$ref": f"#/$defs/{name}"}


def _parameter(parameter: Parameter) -> Schema:
    described: Schema = {"description": f"{parameter.meaning}; {parameter.allowed}"}
    if parameter.advice:
        described["$comment"] = parameter.advice
    if parameter.default is not None:
        described["default"] = parameter.default
    number: Schema = {"type": "number", "minimum": parameter.low, "maximum": parameter.high}
    match parameter.type:
        case ParameterType.CHOICE:
            return {**described, "enum": list(parameter.choices)}
        case ParameterType.FLAG:
            return {**described, **_FLAG}
        case ParameterType.TIME:
            return {**described, **_ref("time")}
        case ParameterType.RATE:
            return {**described, "anyOf": [number, _ref("note")]}
        case ParameterType.PATH:
            return {**described, **_ref("id" if parameter.name == "key" else "path")}
        case ParameterType.BANDS:
            return {**described, **_bands()}
        case ParameterType.WHOLE_NUMBER if parameter.name == "slope_db_oct":
            return {**described, "enum": list(CUT_SLOPES_DB_OCT)}
        case ParameterType.WHOLE_NUMBER:
            return {**described, **number, "type": "integer"}
        case ParameterType.NUMBER:
            return {**described, **number, "type": ["number", "null"] if parameter.may_be_null else "number"}


def _bands() -> Schema:
    band = _object({p.name: _parameter(p) for p in BAND_PARAMETERS}, required=["shape", "hz"])
    return _list(band, maxItems=MAXIMUM_BANDS)


def _song() -> Schema:
    meter = _object(
        {"bar": {"type": "integer", "minimum": 1}, "beats": {"type": "integer", "minimum": 1, "maximum": 64}, "unit": {"enum": list(METER_UNITS)}},
        required=["bar", "beats", "unit"],
    )  # fmt: skip
    tempo = _object(
        {"at": _ref("position"), "bpm": {"type": "number", "minimum": 10, "maximum": 400}, "beat": _ref("note"), "ramp": _FLAG},
        required=["at", "bpm"],
    )  # fmt: skip
    section = _object(
        {"id": _ref("id"), "name": _TEXT, "start": _ref("position"), "end": _ref("position")},
        required=["id", "start", "end"],
    )
    return _object(
        {
            "title": _TEXT,
            "sample_rate": {"enum": list(SAMPLE_RATES)},
            "meters": _list(meter, minItems=1),
            "tempos": _list(tempo, minItems=1),
            "sections": _list(section),
            "end": _ref("position"),
        },
        required=["title", "sample_rate", "meters", "tempos", "end"],
    )


def _group() -> Schema:
    tone = _object({"bands": _bands()}, required=["bands"])
    return _object(
        {"id": _ref("id"), "name": _TEXT, "level_db": _parameter(LEVEL), "mute": _FLAG, "tone": tone}, ["id"]
    )


def _track() -> Schema:
    return _object(
        {
            "id": _ref("id"), "name": _TEXT, "group": {"anyOf": [_ref("id"), {"type": "null"}]}, "stem": _ref("path"),
            "start_s": {"type": "number", "minimum": -36000, "maximum": 36000}, "level_db": _parameter(LEVEL), "pan": _parameter(PAN), "mute": _FLAG,
        },
        required=["id", "stem"],
    )  # fmt: skip


def _return() -> Schema:
    return _object(
        {
            "id": _ref("id"), "name": _TEXT, "level_db": _parameter(LEVEL), "width": _parameter(WIDTH), "pan": _parameter(PAN),
            "mute": _FLAG, "output": _ref("id"),
            "chain": _list({"oneOf": [_step(kind) for kind in KINDS.values()]}, maxItems=MAXIMUM_STEPS),
        },
        required=["id"],
    )  # fmt: skip


def _step(kind: Kind) -> Schema:
    required = [parameter.name for parameter in kind.parameters if parameter.is_required]
    params = _object({parameter.name: _parameter(parameter) for parameter in kind.parameters}, required)
    step = _object(
        {"id": _ref("id"), "kind": {"const": kind.name}, "on": _FLAG, "params": params},
        required=["kind", "params"] if required else ["kind"],
    )
    return {"description": kind.meaning, **step}


def _send() -> Schema:
    return _object(
        {"from": _ref("id"), "to": _ref("id"), "level_db": _parameter(LEVEL), "tap": {"enum": ["post", "pre"]}, "pan": _parameter(PAN), "on": _FLAG},
        required=["from", "to"],
    )  # fmt: skip


def _move() -> Schema:
    param = {"type": "string", "minLength": 1, "maxLength": 64}
    pair = _list(_ref("id"), minItems=2, maxItems=2)
    section = _object(
        {"section": _ref("id"), "value": _ref("value"), "ramp": _ref("time"), "ramp_side": {"enum": ["before", "after"]}},
        required=["section", "value"],
    )  # fmt: skip
    point = _object(
        {"at": _ref("position"), "value": _ref("value"), "shape": {"enum": ["linear", "hold"]}},
        required=["at", "value"],
    )
    throw = _object(
        {"at": _ref("position"), "length": _ref("time"), "value": _ref("value"), "ramp_in": _ref("time"), "ramp_out": _ref("time")},
        required=["at", "length", "value"],
    )  # fmt: skip
    target = {
        "oneOf": [
            _object({"send": pair, "param": param}, ["send", "param"]),
            _object({"return": _ref("id"), "step": _ref("id"), "param": param}, ["return", "param"]),
        ]
    }
    return _object(
        {"target": target, "sections": _list(section), "points": _list(point), "throws": _list(throw)}, ["target"]
    )
