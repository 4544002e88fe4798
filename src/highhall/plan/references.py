"""What holds between the parts of a plan: ids, loops, sections, moves, and times at the tempo."""

import json
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from itertools import pairwise

from highhall.errors import CoreError
from highhall.plan.json.codecs import moved_document
from highhall.plan.kinds import FILTER_PARAMETERS, ON, RETURN_MOVABLE, SEND_MOVABLE, Parameter, Scale
from highhall.plan.model import (
    MAIN,
    Effect,
    EffectTarget,
    Filter,
    Move,
    MoveValue,
    Plan,
    Return,
    ReturnTarget,
    SendTarget,
    Target,
)
from highhall.plan.order import feeding_loop
from highhall.plan.problems import Problem
from highhall.timing import Milliseconds, NoteValue, Position
from highhall.timing.notes import TimeValue
from highhall.wording import Form

LONGEST_S = 4 * 3600
"""How long a song may be, in seconds."""

_FILTER_INDEX = re.compile(r"/\d+/")


def reference_problems(plan: Plan) -> list[Problem]:
    """Return every fault in how the parts of a well-formed plan refer to each other."""
    song_problems = list(_song_problems(plan))
    if song_problems:
        return song_problems
    return [
        *_id_problems(plan),
        *_routing_problems(plan),
        *(problem for i, r in enumerate(plan.returns) for problem in _chain_problems(plan, r, f"returns[{i}]")),
        *_group_tone_problems(plan),
        *_move_problems(plan),
        *_wish_problems(plan),
    ]


def _song_problems(plan: Plan) -> Iterator[Problem]:
    song = plan.song
    try:
        time = song.time
        time.meters.whole_notes_at(song.end)
    except CoreError as error:
        yield Problem("song", str(error))
        return
    yield from _twice("song.sections", "id", [section.id for section in song.sections])
    for index, section in enumerate(song.sections):
        path = f"song.sections[{index}]"
        try:
            time.sample_at(section.start), time.sample_at(section.end)
        except CoreError as error:
            yield Problem(path, str(error))
            continue
        if not section.start < section.end <= song.end:
            yield Problem(
                path, f"must end after it starts and by the song's end {song.end}, got {section.start} to {section.end}"
            )
    ordered = sorted(song.sections, key=lambda section: section.start)
    for first, second in pairwise(ordered):
        if second.start < first.end:
            path = f"song.sections[{song.sections.index(second)}]"
            yield Problem(path, f'"{second.id}" overlaps "{first.id}", which ends at {first.end}')
    if song.end_sample < 1:
        yield Problem("song.end", f"must lie after 1|1, got {song.end}")
    if song.end_sample > LONGEST_S * song.sample_rate:
        hours = song.end_sample / song.sample_rate / 3600
        yield Problem("song.end", f"a song lasts {LONGEST_S // 3600} hours at most, {song.end} is after {hours:.1f}")


def _twice(path: str, field: str, values: Iterable[str]) -> Iterator[Problem]:
    seen: set[str] = set()
    for index, value in enumerate(values):
        if value in seen:
            yield Problem(f"{path}[{index}].{field}", f'"{value}" is taken; it must differ from all others')
        seen.add(value)


def _id_problems(plan: Plan) -> Iterator[Problem]:
    owners = Counter(item.id for items in (plan.groups, plan.tracks, plan.returns) for item in items)
    seen: set[str] = set()
    for name in ("groups", "tracks", "returns"):
        for index, item in enumerate(getattr(plan, name)):
            path = f"{name}[{index}].id"
            if item.id == MAIN:
                yield Problem(path, f'"{MAIN}" is the name of the main output; choose another id')
            elif owners[item.id] > 1 and item.id in seen:
                yield Problem(path, f'"{item.id}" is taken; ids differ over tracks, groups and returns')
            seen.add(item.id)


def _routing_problems(plan: Plan) -> Iterator[Problem]:
    groups = {group.id for group in plan.groups}
    returns = {return_.id for return_ in plan.returns}
    sources = groups | returns | {track.id for track in plan.tracks}
    for index, track in enumerate(plan.tracks):
        if track.group is not None and track.group not in groups:
            yield Problem(f"tracks[{index}].group", f'there is no group "{track.group}"')
    for index, return_ in enumerate(plan.returns):
        if return_.output != MAIN and return_.output not in groups:
            yield Problem(f"returns[{index}].output", f'expected "{MAIN}" or a group, got "{return_.output}"')
    pairs: set[tuple[str, str]] = set()
    for index, send in enumerate(plan.sends):
        if send.source not in sources:
            yield Problem(f"sends[{index}].from", f'there is no track, group or return "{send.source}"')
        if send.target not in returns:
            yield Problem(f"sends[{index}].to", f'there is no return "{send.target}"')
        if (send.source, send.target) in pairs:
            yield Problem(f"sends[{index}]", f'"{send.source}" feeds "{send.target}" twice; keep one send')
        pairs.add((send.source, send.target))
    if loop := feeding_loop(plan):
        yield Problem("sends", f"returns feed each other in a loop: {' -> '.join(loop)}; remove one of these sends")


def _chain_problems(plan: Plan, return_: Return, path: str) -> Iterator[Problem]:
    first_on = next((effect for effect in return_.chain if effect.on), None)
    for index, effect in enumerate(return_.chain):
        here = f"{path}.chain[{index}].params"
        if effect is first_on and effect.table.has("mix") and effect.value("mix") != 1:
            yield Problem(
                f"{here}.mix", "mix must be 1 in the first effect that is on, since dry sound never leaves a return"
            )
        if effect.table.source and not _is_source(plan, effect.source):
            yield Problem(f"{here}.{effect.table.source.name}", f'there is no track or group "{effect.source}"')
        yield from _filter_problems(plan, effect.filters, f"{here}.bands")
        for parameter in effect.table.parameters:
            value = effect.value(parameter.name)
            if parameter.form is Form.TIME and isinstance(value, NoteValue):
                yield from _time_limit(plan, parameter, value, f"{here}.{parameter.name}", _whole_song(plan))


def _is_source(plan: Plan, source: str | None) -> bool:
    return source in {track.id for track in plan.tracks} | {group.id for group in plan.groups}


def _group_tone_problems(plan: Plan) -> Iterator[Problem]:
    for index, group in enumerate(plan.groups):
        yield from _filter_problems(plan, group.tone, f"groups[{index}].tone.bands")


def _filter_problems(plan: Plan, filters: tuple[Filter, ...], path: str) -> Iterator[Problem]:
    limit = 0.49 * plan.song.sample_rate
    for index, filter_ in enumerate(filters):
        if filter_.hz >= limit:
            yield Problem(
                f"{path}[{index}].hz", f"must lie below 0.49 of the sample rate ({limit:g} Hz), got {filter_.hz:g}"
            )


def _whole_song(plan: Plan) -> tuple[Position, Position]:
    return Position(1), plan.song.end


def _time_limit(
    plan: Plan, parameter: Parameter, value: TimeValue, path: str, span: tuple[Position, Position]
) -> Iterator[Problem]:
    longest_s, place = plan.song.time.longest_seconds_of(value, *span)
    if not parameter.low <= longest_s * 1000 <= parameter.high:
        yield Problem(
            path,
            f"{value} lasts {longest_s * 1000:.1f} ms at the tempo of bar {place.bar}; "
            f"allowed are {parameter.low:g} to {parameter.high:g} ms",
        )


def movable_parameter(plan: Plan, target: Target) -> Parameter:
    """Return the table row of what a target moves.

    Raises
    ------
    CoreError
        If the target does not exist or cannot be moved.
    """
    try:
        match target:
            case SendTarget(source=source, target=into, param=param):
                if plan.send(source, into) is None:
                    raise CoreError(f'there is no send from "{source}" to "{into}"')
                return SEND_MOVABLE[param]
            case ReturnTarget(target=return_id, param=param):
                _require_return(plan, return_id)
                return RETURN_MOVABLE[param]
            case EffectTarget():
                return _movable_effect_parameter(plan, target)
    except KeyError:
        allowed = ", ".join(SEND_MOVABLE if isinstance(target, SendTarget) else RETURN_MOVABLE)
        raise CoreError(f'"{target.param}" cannot be moved here; allowed are {allowed}') from None


def _require_return(plan: Plan, return_id: str) -> Return:
    try:
        return plan.return_(return_id)
    except KeyError:
        raise CoreError(f'there is no return "{return_id}"') from None


def _movable_effect_parameter(plan: Plan, target: EffectTarget) -> Parameter:
    return_ = _require_return(plan, target.target)
    try:
        effect = return_.effect(target.effect)
    except KeyError:
        raise CoreError(f'the return "{target.target}" has no effect "{target.effect}"') from None
    if target.param == ON.name:
        return ON
    movable = movable_parameters(effect)
    if target.param in movable:
        return movable[target.param]
    allowed = dict.fromkeys(_FILTER_INDEX.sub("/N/", name) for name in movable)
    raise CoreError(
        f'"{target.param}" of a {effect.kind} cannot be moved; allowed are {", ".join([ON.name, *allowed])}'
    )


def movable_parameters(effect: Effect) -> dict[str, Parameter]:
    """Return what can move of an effect beside its `on`, by the name that a move calls it."""
    movable = {parameter.name: parameter for parameter in effect.table.parameters if parameter.is_movable}
    if effect.table.filters:
        movable |= {
            f"{effect.table.filters.name}/{index}/{name}": parameter
            for index in range(len(effect.filters))
            for name, parameter in FILTER_PARAMETERS.items()
            if parameter.is_movable
        }
    return movable


def _move_problems(plan: Plan) -> Iterator[Problem]:
    seen: set[Target] = set()
    for index, move in enumerate(plan.moves):
        path = f"moves[{index}]"
        if move.target in seen:
            yield Problem(f"{path}.target", "has a move already; keep one move for each target")
        seen.add(move.target)
        try:
            parameter = movable_parameter(plan, move.target)
        except CoreError as error:
            yield Problem(f"{path}.target", str(error))
            continue
        yield from _layer_problems(plan, move, parameter, path)


def _layer_problems(plan: Plan, move: Move, parameter: Parameter, path: str) -> Iterator[Problem]:
    sections = {section.id: section for section in plan.song.sections}
    yield from _twice(f"{path}.sections", "section", [value.section for value in move.sections])
    for index, value in enumerate(move.sections):
        here = f"{path}.sections[{index}]"
        if value.section not in sections:
            yield Problem(f"{here}.section", f'there is no section "{value.section}"')
            continue
        section = sections[value.section]
        if value.ramp_bend and not glides(parameter, move.target):
            yield Problem(f"{here}.ramp_bend", f"{parameter.label} cross-fades, so its ramp cannot be bent; 0 is right")
        yield from _value_problems(plan, parameter, value.value, f"{here}.value", (section.start, section.end))
    places = []
    for index, point in enumerate(move.points):
        places.append(point.at)
        yield from _value_problems(plan, parameter, point.value, f"{path}.points[{index}].value", _whole_song(plan))
        yield from _place_problems(plan, point.at, f"{path}.points[{index}].at")
    if places != sorted(set(places)):
        yield Problem(f"{path}.points", "positions must ascend, each once")
    yield from _throw_problems(plan, move, parameter, path)


def glides(parameter: Parameter, target: Target) -> bool:
    """Whether a moved value passes through what lies between; times and an effect's switch cross-fade."""
    return not (parameter.scale is Scale.TIME or (isinstance(target, EffectTarget) and target.param == "on"))


def _wish_problems(plan: Plan) -> Iterator[Problem]:
    sources = {item.id for items in (plan.tracks, plan.groups) for item in items}
    sections = {section.id for section in plan.song.sections}
    wishes: set[tuple[str, str | None]] = set()
    for index, target in enumerate(plan.targets):
        here = f"depth.targets[{index}]"
        if target.source not in sources:
            yield Problem(f"{here}.source", f'there is no track or group "{target.source}"')
        if target.section is not None and target.section not in sections:
            yield Problem(f"{here}.section", f'there is no section "{target.section}"')
        if (target.source, target.section) in wishes:
            yield Problem(here, f'"{target.source}" is wanted at two places; one is right')
        wishes.add((target.source, target.section))


def _throw_problems(plan: Plan, move: Move, parameter: Parameter, path: str) -> Iterator[Problem]:
    spans = []
    for index, throw in enumerate(move.throws):
        here = f"{path}.throws[{index}]"
        yield from _value_problems(plan, parameter, throw.value, f"{here}.value", _whole_song(plan))
        faults = list(_place_problems(plan, throw.at, f"{here}.at"))
        yield from faults
        if not faults:
            time = plan.song.time
            spans.append((time.seconds_at(throw.at), time.seconds_after(throw.length, throw.at), index))
    for (_, first_end, _), (second_start, _, second) in pairwise(sorted(spans)):
        if second_start < first_end - 1e-9:
            yield Problem(f"{path}.throws[{second}]", "overlaps the throw before it")


def _place_problems(plan: Plan, place: Position, path: str) -> Iterator[Problem]:
    try:
        plan.song.time.sample_at(place)
    except CoreError as error:
        yield Problem(path, str(error))


def _value_problems(
    plan: Plan, parameter: Parameter, value: MoveValue, path: str, span: tuple[Position, Position]
) -> Iterator[Problem]:
    fault = Problem(path, f"expected {parameter.allowed}, got {json.dumps(moved_document(value))}")
    match value:
        case None:
            is_right = parameter.may_be_null
        case bool():
            is_right = parameter.form is Form.FLAG
        case float():
            is_numeric = parameter.form in (Form.NUMBER, Form.RATE)
            is_right = is_numeric and parameter.low <= value <= parameter.high
        case NoteValue() if parameter.form is Form.TIME:
            yield from _time_limit(plan, parameter, value, path, span)
            return
        case Milliseconds():
            is_right = parameter.form is Form.TIME and parameter.low <= value.ms <= parameter.high
        case NoteValue():
            is_right = parameter.form is Form.RATE
        case _:
            is_right = False
    if not is_right:
        yield fault


def response_paths(plan: Plan) -> list[str]:
    """Return the paths of a plan's impulse responses, each once."""
    return sorted({effect.response for return_ in plan.returns for effect in return_.chain if effect.response})


def files_of(plan: Plan) -> list[str]:
    """Return the paths of all files that a plan needs, stems and impulse responses, each once."""
    return sorted({track.stem for track in plan.tracks} | {*response_paths(plan)})
