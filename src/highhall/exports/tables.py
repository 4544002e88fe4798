"""Sends, moves and throws of a plan as tables: UTF-8, comma separated, with a header, decimal points, a row a value.

A target is written by ids: `lead-voice to long-hall` for a send, `long-hall` for a return, `long-hall/space` for an effect. Values are
written as in a plan; an empty value is silence.
"""

import csv
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from highhall.interchange.audio_files import written_whole
from highhall.plan import EffectTarget, Plan, SendTarget, Target
from highhall.plan.moves import MoveValue, SectionValue
from highhall.plan.references import movable_parameter
from highhall.timing import Position

SEND_COLUMNS = ("source", "return", "level_db", "tap", "pan", "on")
MOVE_COLUMNS = ("target", "parameter", "section", "bar|beat", "seconds", "value", "unit", "shape")
THROW_COLUMNS = (
    "target", "parameter", "bar|beat", "seconds", "clock", "length", "length_ms", "value", "unit", "ramp_in", "ramp_out",
)  # fmt: skip

Cell = str | float


def write_sends_csv(path: Path, plan: Plan) -> None:
    """Write every send of a plan."""
    rows = (
        (send.source, send.target, _written(send.level_db), send.send_point, send.pan, _written(send.on))
        for send in plan.sends
    )
    _write(path, SEND_COLUMNS, rows)


def write_moves_csv(path: Path, plan: Plan) -> None:
    """Write every value of a section and every point of every move.

    shape: of a section `jump` or its ramp, as `ramp 1/8 before bent 0.25`; of a point `linear` or `hold`.
    """
    _write(path, MOVE_COLUMNS, _move_rows(plan))


def write_throws_csv(path: Path, plan: Plan) -> None:
    """Write every throw of every move; `clock` is its time in the song, h:mm:ss.mmm."""
    _write(path, THROW_COLUMNS, _throw_rows(plan))


def target_words(target: Target) -> str:
    """Return how a table calls a target, by ids."""
    match target:
        case SendTarget():
            return f"{target.source} to {target.target}"
        case EffectTarget():
            return f"{target.target}/{target.effect}"
    return target.target


def clock_words(seconds: float) -> str:
    """Return a time in the song as h:mm:ss.mmm."""
    milliseconds = round(1000 * seconds)
    minutes, rest = divmod(milliseconds, 60_000)
    return f"{minutes // 60}:{minutes % 60:02}:{rest // 1000:02}.{rest % 1000:03}"


def _move_rows(plan: Plan) -> Iterator[Sequence[Cell]]:
    for move in plan.moves:
        target, unit = target_words(move.target), movable_parameter(plan, move.target).unit.in_plan
        for value in move.sections:
            start = plan.song.section(value.section).start
            yield target, move.target.param, value.section, *_at(plan, start), _written(value.value), unit, _ramp(value)
        for point in move.points:
            yield target, move.target.param, "", *_at(plan, point.at), _written(point.value), unit, point.shape


def _throw_rows(plan: Plan) -> Iterator[Sequence[Cell]]:
    time = plan.song.time
    for move in plan.moves:
        unit = movable_parameter(plan, move.target).unit.in_plan
        for throw in move.throws:
            seconds = time.seconds_at(throw.at)
            length_ms = round(1000 * time.seconds_of(throw.length, throw.at), 3)
            ramps = (str(each) if each else "" for each in (throw.ramp_in, throw.ramp_out))
            yield (
                target_words(move.target), move.target.param, str(throw.at), round(seconds, 6), clock_words(seconds),
                str(throw.length), length_ms, _written(throw.value), unit, *ramps,
            )  # fmt: skip


def _at(plan: Plan, position: Position) -> tuple[str, float]:
    return str(position), round(plan.song.time.seconds_at(position), 6)


def _ramp(value: SectionValue) -> str:
    bent = f" bent {value.ramp_bend:g}" if value.ramp_bend else ""
    return f"ramp {value.ramp} {value.ramp_side}{bent}" if value.ramp else "jump"


def _written(value: MoveValue) -> Cell:
    if isinstance(value, bool):
        return "true" if value else "false"
    if value is None:
        return ""
    return value if isinstance(value, float | int) else str(value)


def _write(path: Path, columns: Sequence[str], rows: Iterable[Sequence[Cell]]) -> None:
    with written_whole(path) as temporary, temporary.open("w", newline="", encoding="utf-8") as file:
        table = csv.writer(file)
        table.writerow(columns)
        table.writerows(rows)
