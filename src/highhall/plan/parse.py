"""From JSON to the plan, strictly: see `docs/plan-format.md`."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from highhall.plan.kinds import (
    BAND_PARAMETERS,
    BAND_SHAPES,
    CUT_SLOPES_DB_OCT,
    KINDS,
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
    ParameterValue,
    Plan,
    Return,
    Section,
    Send,
    Song,
    Step,
    Tempo,
    Track,
)
from highhall.plan.parse_moves import read_move
from highhall.plan.parse_values import (
    FIRST,
    free_id,
    read_id,
    read_level,
    read_name,
    read_number,
    read_path,
    read_position,
    read_time,
)
from highhall.plan.problems import PlanRefusedError, Problem
from highhall.plan.reader import Node, load_json
from highhall.plan.references import reference_problems
from highhall.timing import Meter, NoteValue
from highhall.timing.meters import METER_UNITS

FORMAT = "high-hall-plan"
VERSION = 1
SAMPLE_RATES = (44100, 48000, 88200, 96000)
MAXIMUM_STEPS = 16


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
        moves=tuple(map(read_move, lists.get("moves", []))),
    )


_NO_SONG = Song(
    title="",
    sample_rate=SAMPLE_RATES[0],
    meters=(Meter(1, 4, 4),),
    tempos=(Tempo(at=FIRST, bpm=120),),
    end=FIRST,
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
        end=read_position(fields["end"]),
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
        at=read_position(fields["at"]) if "at" in fields else FIRST,
        bpm=fields["bpm"].number(10, 400) if "bpm" in fields else 120.0,
        beat=fields["beat"].parsed(NoteValue.parse, NoteValue(1, 4)) if "beat" in fields else NoteValue(1, 4),
        ramp=fields["ramp"].flag() if "ramp" in fields else False,
    )


def _section(node: Node) -> Section:
    fields = node.fields(["id", "start", "end"], ["name"])
    section_id = read_id(fields)
    return Section(
        id=section_id,
        name=read_name(fields, section_id),
        start=read_position(fields["start"]) if "start" in fields else FIRST,
        end=read_position(fields["end"]) if "end" in fields else FIRST,
    )


def _group(node: Node) -> Group:
    fields = node.fields(["id"], ["name", "level_db", "mute", "tone"])
    group_id = read_id(fields)
    bands: tuple[Band, ...] = ()
    if "tone" in fields:
        tone = fields["tone"].fields(["bands"], [])
        bands = _bands(tone["bands"]) if "bands" in tone else ()
    return Group(
        id=group_id,
        name=read_name(fields, group_id),
        level_db=read_level(fields),
        mute=fields["mute"].flag() if "mute" in fields else False,
        tone=bands,
    )


def _track(node: Node) -> Track:
    fields = node.fields(["id", "stem"], ["name", "group", "start_s", "level_db", "pan", "mute"])
    track_id = read_id(fields)
    group = fields.get("group")
    return Track(
        id=track_id,
        name=read_name(fields, track_id),
        stem=read_path(fields["stem"]) if "stem" in fields else "",
        group=None if group is None or group.value is None else group.text(1, 64),
        start_s=fields["start_s"].number(-36000, 36000) if "start_s" in fields else 0.0,
        level_db=read_level(fields),
        pan=read_number(fields, PAN),
        mute=fields["mute"].flag() if "mute" in fields else False,
    )


def _return(node: Node) -> Return:
    fields = node.fields(["id"], ["name", "level_db", "width", "pan", "mute", "output", "chain"])
    return_id = read_id(fields)
    return Return(
        id=return_id,
        name=read_name(fields, return_id),
        level_db=read_level(fields),
        width=read_number(fields, WIDTH),
        pan=read_number(fields, PAN),
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
        step_id = read_id(fields) if "id" in fields else free_id(kind, taken)
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
            return read_time(node, parameter)
        case ParameterType.RATE:
            if isinstance(node.value, str):
                return node.parsed(NoteValue.parse, NoteValue(1, 4))
            return node.number(parameter.low, parameter.high, parameter.allowed)
        case ParameterType.PATH:
            return node.text(1, 64) if parameter.name == "key" else read_path(node)
        case ParameterType.BANDS:
            return _bands(node)
        case ParameterType.WHOLE_NUMBER:
            choices = range(int(parameter.low), int(parameter.high) + 1)
            return node.whole_number(choices, parameter.allowed)
        case ParameterType.NUMBER:
            return node.number(parameter.low, parameter.high, parameter.allowed)


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
        level_db=read_level(fields),
        tap=fields["tap"].choice(["post", "pre"]) if "tap" in fields else "post",
        pan=read_number(fields, PAN),
        on=fields["on"].flag() if "on" in fields else True,
    )
