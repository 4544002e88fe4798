"""What opens under the fields of a return: times, what fits, where it goes on to, starting points, keeping it."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from hallweb.analysis.stems import gap_into
from hallweb.screens.common.chained_sends import chained_send
from hallweb.screens.returns.time_axis import TimeAxis
from hallweb.songs.actions import SongState
from highhall.advise import longest_decays
from highhall.plan import Return, Song
from highhall.plan.starting_points import STARTING_POINTS
from highhall.timing import LADDER
from highhall.wording import BEATS, Form, figure, seconds_in_words

FIT_LEVELS_DB = (-30.0, -40.0, -60.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TempoColumn:
    """Sections of one tempo: what they are called, and rows of triplet, plain and dotted notes with their length in ms."""

    name: str
    tempo: str
    rows: list[list[tuple[str, str]]]


def _times(_: SongState, return_: Return, axis: TimeAxis) -> dict[str, Any]:
    targets = [
        (f"effect/{effect.id}/{p.name}", p.label if len(return_.chain) == 1 else f"{p.label} of {effect.id}")
        for effect in return_.chain
        for p in effect.table.parameters
        if p.form is Form.TIME
    ]
    return {"columns": _tempo_columns(axis.song), "targets": targets}


def _tempo_columns(song: Song) -> list[TempoColumn]:
    """Return a column for every tempo that a section starts in; neighbours of one tempo share it."""
    starts = [(s.name, s.start) for s in song.sections] or [("The song", song.tempos[0].at)]
    columns: list[TempoColumn] = []
    for name, at in starts:
        by_unit: dict[int, list[tuple[str, str]]] = {}
        for note in sorted(LADDER, key=lambda note: note.unit):
            by_unit.setdefault(note.unit, []).append((str(note), f"{1000 * song.time.seconds_of(note, at):.1f}"))
        rows = list(by_unit.values())
        if columns and columns[-1].rows == rows:
            first = columns[-1].name.partition(" to ")[0]
            columns[-1] = replace(columns[-1], name=f"{first} to {name}")
            continue
        tempo = song.tempo_at(at)
        counted = dict(BEATS).get(str(tempo.beat), f"times {tempo.beat}")
        columns.append(
            TempoColumn(name=name, tempo=f"{figure(60 / TimeAxis(song, at).beat_s)} {counted} a minute", rows=rows)
        )
    return columns


def _fits(opened: SongState, return_: Return, axis: TimeAxis) -> dict[str, Any]:
    source, gap_s = gap_into(opened.song.pk, opened.plan, return_.id)
    effect = next((s for s in return_.chain if s.on and s.kind == "reverb"), None)
    tables = []
    for level_db in FIT_LEVELS_DB:
        fits = longest_decays(return_, axis.song, axis.at, level_db, gap_s)
        rows = [
            {"event": fit.event, "seconds": seconds_in_words(fit.seconds), "decay": fit.decay_s and seconds_in_words(fit.decay_s), "value": fit.decay_s and f"{fit.decay_s:.3g}"}
            for fit in fits
        ]  # fmt: skip
        tables.append((figure(-level_db, 0), rows))
    return {"tables": tables, "source": source, "path": f"effect/{effect.id}/decay_s" if effect else ""}


def _onward(opened: SongState, return_: Return, _: TimeAxis) -> dict[str, Any]:
    plan = opened.plan
    return {"onward": [chained_send(plan, return_, other) for other in plan.returns if other.id != return_.id]}


def _starts(_: SongState, return_: Return, __: TimeAxis) -> dict[str, Any]:
    first = next((s for s in return_.chain if s.table.makes_wet), None)
    points = [p for p in STARTING_POINTS if p.effect.table.makes_wet]
    params = None if first is None else first.params
    current = next(
        (p.id for p in points if first is not None and p.kind == first.kind and p.effect.params == params), ""
    )
    return {"points": points, "current": current}


_Maker = Callable[[SongState, Return, TimeAxis], dict[str, Any]]
_MAKERS: dict[str, _Maker] = {
    "times": _times,
    "fits": _fits,
    "onward": _onward,
    "starts": _starts,
    "save": lambda *_: {},
}
DRAWERS = {
    "times": "Note values",
    "fits": "Decay that fits",
    "onward": "Sends to",
    "starts": "Starting points",
    "save": "Save it",
}


def drawer_context(opened: SongState, return_: Return, name: str, axis: TimeAxis) -> dict[str, Any]:
    """Return what an open drawer shows; only its name for none."""
    return {"name": name, **(_MAKERS[name](opened, return_, axis) if name else {})}
