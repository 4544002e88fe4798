"""From JSON to the plan, strictly: see `docs/plan-format.md`."""

import re
from collections.abc import Mapping
from pathlib import PurePosixPath
from types import MappingProxyType
from typing import Any

from highhall.plan.kinds import (
    BAND_PARAMETERS,
    BAND_SHAPES,
    CUT_SLOPES_DB_OCT,
    KINDS,
    LEVEL,
    MAXIMUM_BANDS,
    PAN,
    WIDTH,
    Parameter,
    ParameterType,
)
from highhall.plan.model import (
    MAIN,
    Band,
    Group,
    Move,
    MoveValue,
    ParameterValue,
    Plan,
    Point,
    Return,
    ReturnTarget,
    Section,
    SectionValue,
    Send,
    SendTarget,
    Song,
    Step,
    StepTarget,
    Target,
    Tempo,
    Throw,
    Track,
)
from highhall.plan.problems import PlanRefusedError, Problem
from highhall.plan.reader import Node, load_json
from highhall.plan.references import reference_problems
from highhall.timing import Meter, Milliseconds, NoteValue, Position, TimeValue, parse_time_value
from highhall.timing.meters import METER_UNITS

FORMAT = "high-hall-plan"
VERSION = 1
SAMPLE_RATES = (44100, 48000, 88200, 96000)
MAXIMUM_STEPS = 16
_ID = re.compile(r"[a-z0-9-]{1,64}")


def parse_plan(text: str) -> Plan:
    """Read a plan from JSON text.

    Raises
    ------
    PlanRefusedError
        With every fault that was found, each with its path.
    """
    return plan_from_document(load_json(text))


def plan_from_document(document: Any) -> Plan:  # noqa: ANN401 - JSON is any value
    """Read a plan from a parsed JSON document; see `parse_plan`."""
    version = document.get("version") if isinstance(document, dict) else None
    if isinstance(version, int) and version > VERSION:
        newer = f"plan version {version} is newer than {VERSION}, the newest this program reads"
        raise PlanRefusedError([Problem("version", newer)])
    problems: list[Problem] = []
    plan = _plan(Node(document, "", problems))
    if not problems:
        problems = reference_problems(plan)
    if problems:
        raise PlanRefusedError(problems)
    return plan


def _plan(node: Node) -> Plan:
    fields = node.fields(["format", "version", "song"], ["groups", "tracks", "returns", "sends", "moves"])
    if "format" in fields:
        fields["format"].choice([FORMAT], f'"{FORMAT}"')
    if "version" in fields:
        fields["version"].whole_number([VERSION], f"version {VERSION}")
    lists = {key: fields[key].items() for key in ("groups", "tracks", "returns", "sends", "moves") if key in fields}
    return Plan(
        song=_song(fields["song"]) if "song" in fields else _NO_SONG,
        groups=tuple(map(_group, lists.get("groups", []))),
        tracks=tuple(map(_track, lists.get("tracks", []))),
        returns=tuple(map(_return, lists.get("returns", []))),
        sends=tuple(map(_send, lists.get("sends", []))),
        moves=tuple(map(_move, lists.get("moves", []))),
    )


_FIRST = Position(1)
_NO_TIME: TimeValue = Milliseconds(0.0)
_NO_SONG = Song(
    title="",
    sample_rate=SAMPLE_RATES[0],
    meters=(Meter(1, 4, 4),),
    tempos=(Tempo(at=_FIRST, bpm=120),),
    end=_FIRST,
)


def _song(node: Node) -> Song:
    fields = node.fields(["title", "sample_rate", "meters", "tempos", "end"], ["sections"])
    if len(fields.keys() & {"title", "sample_rate", "meters", "tempos", "end"}) < 5:
        return _NO_SONG
    return Song(
        title=fields["title"].text(),
        sample_rate=fields["sample_rate"].whole_number(SAMPLE_RATES, "one of 44100, 48000, 88200, 96000 (Hz)"),
        meters=tuple(map(_meter, fields["meters"].items(1))) or _NO_SONG.meters,
        tempos=tuple(map(_tempo, fields["tempos"].items(1))) or _NO_SONG.tempos,
        end=_position(fields["end"]),
        sections=tuple(map(_section, fields["sections"].items())) if "sections" in fields else (),
    )


def _meter(node: Node) -> Meter:
    fields = node.fields(["bar", "beats", "unit"], [])
    return Meter(
        bar=fields["bar"].whole_number(range(1, 1_000_000), "a bar number from 1") if "bar" in fields else 1,
        beats=fields["beats"].whole_number(range(1, 65), "a whole number from 1 to 64") if "beats" in fields else 4,
        unit=fields["unit"].whole_number(METER_UNITS, "one of 1, 2, 4, 8, 16, 32, 64") if "unit" in fields else 4,
    )


def _tempo(node: Node) -> Tempo:
    fields = node.fields(["at", "bpm"], ["beat", "ramp"])
    return Tempo(
        at=_position(fields["at"]) if "at" in fields else _FIRST,
        bpm=fields["bpm"].number(10, 400) if "bpm" in fields else 120.0,
        beat=fields["beat"].parsed(NoteValue.parse, NoteValue(1, 4)) if "beat" in fields else NoteValue(1, 4),
        ramp=fields["ramp"].flag() if "ramp" in fields else False,
    )


def _section(node: Node) -> Section:
    fields = node.fields(["id", "start", "end"], ["name"])
    section_id = _id(fields)
    return Section(
        id=section_id,
        name=_name(fields, section_id),
        start=_position(fields["start"]) if "start" in fields else _FIRST,
        end=_position(fields["end"]) if "end" in fields else _FIRST,
    )


def _group(node: Node) -> Group:
    fields = node.fields(["id"], ["name", "level_db", "mute", "tone"])
    group_id = _id(fields)
    bands: tuple[Band, ...] = ()
    if "tone" in fields:
        tone = fields["tone"].fields(["bands"], [])
        bands = _bands(tone["bands"]) if "bands" in tone else ()
    return Group(
        id=group_id,
        name=_name(fields, group_id),
        level_db=_level(fields),
        mute=fields["mute"].flag() if "mute" in fields else False,
        tone=bands,
    )


def _track(node: Node) -> Track:
    fields = node.fields(["id", "stem"], ["name", "group", "start_s", "level_db", "pan", "mute"])
    track_id = _id(fields)
    group = fields.get("group")
    return Track(
        id=track_id,
        name=_name(fields, track_id),
        stem=_path(fields["stem"]) if "stem" in fields else "",
        group=None if group is None or group.value is None else group.text(1, 64),
        start_s=fields["start_s"].number(-36000, 36000) if "start_s" in fields else 0.0,
        level_db=_level(fields),
        pan=_number(fields, PAN),
        mute=fields["mute"].flag() if "mute" in fields else False,
    )


def _return(node: Node) -> Return:
    fields = node.fields(["id"], ["name", "level_db", "width", "pan", "mute", "output", "chain"])
    return_id = _id(fields)
    return Return(
        id=return_id,
        name=_name(fields, return_id),
        level_db=_level(fields),
        width=_number(fields, WIDTH),
        pan=_number(fields, PAN),
        mute=fields["mute"].flag() if "mute" in fields else False,
        output=fields["output"].text(1, 64) if "output" in fields else MAIN,
        chain=_chain(fields["chain"]) if "chain" in fields else (),
    )


def _chain(node: Node) -> tuple[Step, ...]:
    taken: set[str] = set()
    steps = []
    for item in node.items(0, MAXIMUM_STEPS):
        fields = item.fields(["kind"], ["id", "on", "params"])
        if "kind" not in fields:
            continue
        kind = fields["kind"].choice(KINDS)
        step_id = _id(fields) if "id" in fields else free_id(kind, taken)
        if step_id in taken:
            fields["id"].refuse(f'the step id "{step_id}" is taken in this return')
        taken.add(step_id)
        params = fields.get("params", Node({}, f"{item.path}.params", item._problems))
        steps.append(
            Step(
                id=step_id,
                kind=kind,
                on=fields["on"].flag() if "on" in fields else True,
                params=parse_params(kind, params),
            )
        )
    return tuple(steps)


def free_id(wanted: str, taken: set[str]) -> str:
    """Return `wanted`, or `wanted-2`, `wanted-3` ... if that is taken."""
    candidate, count = wanted, 1
    while candidate in taken:
        count += 1
        candidate = f"{wanted}-{count}"
    return candidate


def parse_params(kind: str, node: Node) -> Mapping[str, ParameterValue]:
    """Read the parameters of a step of `kind`; faults are noted in the node."""
    table = {parameter.name: parameter for parameter in KINDS[kind].parameters}
    required = [name for name, parameter in table.items() if parameter.is_required]
    fields = node.fields(required, [name for name in table if name not in required])
    return MappingProxyType({name: parse_value(table[name], value) for name, value in fields.items()})


def parse_value(parameter: Parameter, node: Node) -> ParameterValue:
    """Read one parameter's value; a fault is noted in the node."""
    if parameter.may_be_null and node.value is None:
        return None
    match parameter.type:
        case ParameterType.CHOICE:
            return node.choice(parameter.choices)
        case ParameterType.FLAG:
            return node.flag()
        case ParameterType.TIME:
            return _time(node, parameter)
        case ParameterType.RATE:
            if isinstance(node.value, str):
                return node.parsed(NoteValue.parse, NoteValue(1, 4))
            return node.number(parameter.low, parameter.high, parameter.allowed)
        case ParameterType.PATH:
            return node.text(1, 64) if parameter.name == "key" else _path(node)
        case ParameterType.BANDS:
            return _bands(node)
        case ParameterType.WHOLE_NUMBER:
            choices = range(int(parameter.low), int(parameter.high) + 1)
            return node.whole_number(choices, parameter.allowed)
        case ParameterType.NUMBER:
            return node.number(parameter.low, parameter.high, parameter.allowed)


def _time(node: Node, parameter: Parameter | None = None) -> TimeValue:
    value: TimeValue = node.parsed(parse_time_value, _NO_TIME)
    if parameter and isinstance(value, Milliseconds) and not parameter.low <= value.ms <= parameter.high:
        node.refuse(f"expected {parameter.allowed}, got {value}")
    return value


def _bands(node: Node) -> tuple[Band, ...]:
    return tuple(map(_band, node.items(0, MAXIMUM_BANDS)))


def _band(node: Node) -> Band:
    fields = node.fields(["shape", "hz"], ["gain_db", "q", "slope_db_oct", "on"])
    numbers = {p.name: p for p in BAND_PARAMETERS if p.type is ParameterType.NUMBER}
    given = {name: fields[name].number(p.low, p.high, p.allowed) for name, p in numbers.items() if name in fields}
    slope = 12
    if "slope_db_oct" in fields:
        slope = fields["slope_db_oct"].whole_number(CUT_SLOPES_DB_OCT, "one of 6, 12, 18, 24 (dB/oct)")
    return Band(
        shape=fields["shape"].choice(BAND_SHAPES) if "shape" in fields else BAND_SHAPES[0],
        hz=given.get("hz", 1000.0),
        gain_db=given.get("gain_db", 0.0),
        q=given.get("q", 0.707),
        slope_db_oct=slope,
        on=fields["on"].flag() if "on" in fields else True,
    )


def _send(node: Node) -> Send:
    fields = node.fields(["from", "to"], ["level_db", "tap", "pan", "on"])
    return Send(
        source=fields["from"].text(1, 64) if "from" in fields else "",
        target=fields["to"].text(1, 64) if "to" in fields else "",
        level_db=_level(fields),
        tap=fields["tap"].choice(["post", "pre"]) if "tap" in fields else "post",
        pan=_number(fields, PAN),
        on=fields["on"].flag() if "on" in fields else True,
    )


def _move(node: Node) -> Move:
    fields = node.fields(["target"], ["sections", "points", "throws"])
    return Move(
        target=_target(fields["target"]) if "target" in fields else ReturnTarget(target="", param=""),
        sections=tuple(map(_section_value, fields["sections"].items())) if "sections" in fields else (),
        points=tuple(map(_point, fields["points"].items())) if "points" in fields else (),
        throws=tuple(map(_throw, fields["throws"].items())) if "throws" in fields else (),
    )


def _target(node: Node) -> Target:
    value = node.value if isinstance(node.value, dict) else {}
    if "send" in value:
        fields = node.fields(["send", "param"], [])
        pair = [item.text(1, 64) for item in fields["send"].items(2, 2)] + ["", ""]
        param = fields["param"].text(1, 64) if "param" in fields else ""
        return SendTarget(source=pair[0], target=pair[1], param=param)
    fields = node.fields(["return", "param"], ["step"])
    target = fields["return"].text(1, 64) if "return" in fields else ""
    param = fields["param"].text(1, 64) if "param" in fields else ""
    if "step" in fields:
        return StepTarget(target=target, step=fields["step"].text(1, 64), param=param)
    return ReturnTarget(target=target, param=param)


def _section_value(node: Node) -> SectionValue:
    fields = node.fields(["section", "value"], ["ramp", "ramp_side"])
    return SectionValue(
        section=fields["section"].text(1, 64) if "section" in fields else "",
        value=_move_value(fields),
        ramp=_time(fields["ramp"]) if "ramp" in fields else None,
        ramp_side=fields["ramp_side"].choice(["before", "after"]) if "ramp_side" in fields else "before",
    )


def _point(node: Node) -> Point:
    fields = node.fields(["at", "value"], ["shape"])
    return Point(
        at=_position(fields["at"]) if "at" in fields else _FIRST,
        value=_move_value(fields),
        shape=fields["shape"].choice(["linear", "hold"]) if "shape" in fields else "linear",
    )


def _throw(node: Node) -> Throw:
    fields = node.fields(["at", "length", "value"], ["ramp_in", "ramp_out"])
    return Throw(
        at=_position(fields["at"]) if "at" in fields else _FIRST,
        length=_time(fields["length"]) if "length" in fields else Milliseconds(0.0),
        value=_move_value(fields),
        ramp_in=_time(fields["ramp_in"]) if "ramp_in" in fields else None,
        ramp_out=_time(fields["ramp_out"]) if "ramp_out" in fields else None,
    )


def _move_value(fields: Mapping[str, Node]) -> MoveValue:
    """Read a moved value as it stands; `references` checks it against what is moved."""
    if "value" not in fields:
        return None
    value = fields["value"].value
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, (int, float)):
        return float(value)
    if isinstance(value, str):
        return fields["value"].parsed(parse_time_value, _NO_TIME)
    fields["value"].refuse("expected a number, a time value, true, false or null")
    return None


def _id(fields: Mapping[str, Node]) -> str:
    if "id" not in fields:
        return ""
    node = fields["id"]
    if not isinstance(node.value, str) or not _ID.fullmatch(node.value):
        node.refuse(f"expected an id of 1 to 64 lower-case letters, digits and hyphens, got {node.value!r}")
        return ""
    return node.value


def _name(fields: Mapping[str, Node], fallback: str) -> str:
    return fields["name"].text() if "name" in fields else fallback


def _level(fields: Mapping[str, Node]) -> float | None:
    if "level_db" not in fields:
        return 0.0
    if fields["level_db"].value is None:
        return None
    return fields["level_db"].number(LEVEL.low, LEVEL.high, LEVEL.allowed)


def _number(fields: Mapping[str, Node], parameter: Parameter) -> float:
    if parameter.name in fields:
        return fields[parameter.name].number(parameter.low, parameter.high, parameter.allowed)
    return float(parameter.default or 0.0)


def _position(node: Node) -> Position:
    return node.parsed(Position.parse, _FIRST)


def _path(node: Node) -> str:
    text = node.text(1, 1024)
    path = PurePosixPath(text)
    if path.is_absolute() or ".." in path.parts or "\\" in text or re.match(r"[A-Za-z]:", text):
        node.refuse(f'expected a path inside the plan\'s folder, with "/" and without "..", got "{text}"')
    return text
