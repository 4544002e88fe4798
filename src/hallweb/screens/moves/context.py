"""What the Moves screen shows: by return, by instrument, or the whole song at a glance."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

from django.http import HttpRequest
from django.template.defaultfilters import pluralize

from hallweb.analysis.phrase_ends import ends_of
from hallweb.analysis.stems import is_analysed, phrases_in, stored_analysis
from hallweb.analysis.wetness import wet_table
from hallweb.audition.background import MeasurementError
from hallweb.audition.wetness import predicted_depth
from hallweb.inputs import inputs
from hallweb.screens.common.charts import styles
from hallweb.screens.moves.pictures import Heard, Row, SongScale, brackets, row_of, silhouette
from hallweb.screens.moves.targets import key_of, movable_of, target_label, target_of
from hallweb.songs.actions import SongState
from hallweb.songs.models import Stem
from hallweb.songs.sounds import song_sounds
from highhall.plan import Plan, ReturnTarget, Section, SendTarget, Song, Target
from highhall.plan.edits.moves import own_value
from highhall.plan.move_table import target_place
from highhall.timing import Position


@dataclass(frozen=True, slots=True)
class MovesState:
    """What the Moves screen shows: the rows of one return, of one track or of the whole song (`by`), and added rows."""

    by: str
    shown: tuple[str, ...] = ()

    @classmethod
    def of(cls, request: HttpRequest, plan: Plan) -> "MovesState":
        """Read it from a request; what makes no sense is the first return."""
        values = inputs(request)
        by = values.text("by")
        kind, _, key = by.partition(":")
        known = {"return": {r.id for r in plan.returns}, "track": {t.id for t in plan.tracks}, "song": {""}}
        if key not in known.get(kind, set()):
            by = f"return:{plan.returns[0].id}" if plan.returns else "song"
        return cls(by, tuple(filter(None, values.text("show").split(" "))))


def moves_context(opened: SongState, state: MovesState) -> dict[str, Any]:
    """Return what the page shows."""
    plan, scale = opened.plan, SongScale(opened.plan.song)
    kind, _, key = state.by.partition(":")
    time = plan.song.time
    sections = [
        {"id": s.id, "name": s.name, "bar": s.start.bar, "x": start, "width": scale.x(time.seconds_at(s.end)) - start}
        for s in plan.song.sections
        for start in [scale.x(time.seconds_at(s.start))]
    ]
    context: dict[str, Any] = {
        "by": state.by,
        "kind": kind,
        "key": key,
        "sections": sections,
        "show": " ".join(state.shown),
    }
    context["choices"] = {"returns": plan.returns, "tracks": plan.tracks}
    if kind == "song":
        return {**context, "glance": _glance(opened)}
    rows = _Rows(opened, scale)
    shown = [target for each in state.shown if (target := target_of(plan, each))]
    made = rows.by_return(key, shown) if kind == "return" else rows.by_track(key)
    more = list(movable_of(plan, plan.return_(key))) if kind == "return" else []
    there = {row.key for row in made}
    return {
        **context,
        "rows": made,
        "level_key": f"return:{key}:level_db",
        "snaps": _eighths(plan.song),
        "more": [each for each in more if each[0] not in there],
    }


@dataclass(frozen=True, slots=True)
class LazyRow:
    """A row that is drawn only where its drawing is not kept: `drawn_from` says all that it shows."""

    key: str
    drawn_from: str
    draw: Callable[[], Row]


class _Rows:
    def __init__(self, opened: SongState, scale: SongScale) -> None:
        self._plan, self._scale = opened.plan, scale
        self._styles = styles(opened.plan.returns)
        self._names = opened.plan.names
        self._order = [
            item.id for items in (opened.plan.tracks, opened.plan.groups, opened.plan.returns) for item in items
        ]
        self._heard = HeardTracks(opened, scale)
        self._moves = {move.target: move for move in opened.plan.moves}
        self._seen = repr((opened.song.pk, opened.plan.song))

    def _row(self, target: Target, name: str = "") -> LazyRow:
        tint = self._styles[target.target].tint
        source = target.source if isinstance(target, SendTarget) else ""
        place = name or target_place(self._plan, target)

        def draw() -> Row:
            heard = self._heard.of(source) if source else None
            return row_of(self._plan, target, self._scale, tint=tint, name=name, heard=heard)

        key = key_of(target)
        words = (target_label(self._plan, target), tint, own_value(self._plan, target), self._moves.get(target))
        seen = repr((self._seen, key, place, *words, self._heard.mark(source)))
        return LazyRow(key, hashlib.sha256(seen.encode()).hexdigest(), draw)

    def by_return(self, return_id: str, shown: list[Target]) -> list[LazyRow]:
        """Return a return's feeds, what else of it moves or is asked for, and its level."""
        feeds: list[Target] = [
            SendTarget(source=send.source, target=return_id, param="level_db")
            for send in sorted(self._plan.sends_into(return_id), key=lambda send: self._order.index(send.source))
        ]
        level = ReturnTarget(target=return_id, param="level_db")
        moving = [target for target in self._moves if target.target == return_id]
        others = [t for t in dict.fromkeys([*moving, *shown]) if t not in (*feeds, level) and t.target == return_id]
        rows = [self._row(target, self._names[target.source]) for target in feeds if isinstance(target, SendTarget)]
        return [*rows, *map(self._row, others), self._row(level, self._names[return_id])]

    def by_track(self, track_id: str) -> list[LazyRow]:
        """Return an instrument's sends, by return, and what else of them moves."""
        targets = [
            SendTarget(source=track_id, target=r.id, param="level_db")
            for r in self._plan.returns
            if self._plan.send(track_id, r.id)
        ]
        moving = [t for t in self._moves if isinstance(t, SendTarget) and t.source == track_id]
        others = [target for target in moving if target not in targets]
        return [self._row(t, self._names[t.target]) for t in targets] + [self._row(t) for t in others]


class HeardTracks:
    """What a song's tracks play, each worked out when it is asked for."""

    def __init__(self, opened: SongState, scale: SongScale) -> None:
        self._plan, self._scale = opened.plan, scale
        self._sounds = song_sounds(opened.song.pk)
        self._stems = {stem.path: stem for stem in Stem.objects.filter(song_id=opened.song.pk)}
        self._tracks = {track.id: track for track in opened.plan.tracks}

    def mark(self, track_id: str) -> object:
        """Return what tells the sound of a track from another's."""
        track = self._tracks.get(track_id)
        stem = self._stems.get(track.stem) if track else None
        if track is None or stem is None:
            return None
        is_read = is_analysed(stem, self._plan.song.sample_rate)
        return stem.content_hash, stem.threshold_db, sorted(stem.phrase_ends.items()), track.start_s, is_read

    def of(self, track_id: str) -> Heard | None:
        """Return what a track plays; None if its stem was not listened to, or it is no track."""
        track = self._tracks.get(track_id)
        stem = self._stems.get(track.stem) if track else None
        analysis = stored_analysis(stem, self._plan.song.sample_rate) if stem else None
        if track is None or stem is None or analysis is None:
            return None
        phrases = phrases_in(stem, analysis)
        return Heard(
            outline=silhouette(self._scale, analysis, track.start_s),
            phrases=brackets(self._scale, phrases, track.start_s),
            ends=ends_of(self._sounds, self._plan, track, phrases),
        )


@lru_cache(maxsize=32)
def _eighths(song: Song) -> str:
    """Return [position, sample] of every eighth of the song, as JSON."""
    time = song.time
    end = time.meters.whole_notes_at(song.end)
    places = (time.meters.position_at(Fraction(n, 8)) for n in range(int(end * 8) + 1))
    return json.dumps([[str(place), time.sample_at(place)] for place in places], separators=(",", ":"))


def _glance(opened: SongState) -> dict[str, Any]:
    """Return how wet every instrument is in every section, predicted, and what is set there.

    Without `rows` that is not worked out yet. A section that is like the one before says so.
    """
    plan = opened.plan
    problem = ""
    try:
        model = predicted_depth(opened.revision)
        table = wet_table(model) if model else None
    except MeasurementError as error:
        table, problem = {}, str(error)
    rows = table and [{"name": track.name, "id": track.id, "cells": table[track.id]} for track in plan.tracks]
    changes: list[dict[str, Any]] = []
    before: list[object] = []
    for section in plan.song.sections:
        values = [
            (key_of(move.target), value)
            for move in plan.moves
            for value in move.sections
            if value.section == section.id
        ]
        now: list[object] = [(key, value.value) for key, value in values]
        throws, points = (_within(section, places) for places in _layers(plan))
        counts = {"value": len(values), "throw": throws, "point": points}
        is_same = now == before and not throws and not points
        told = "" if is_same else ", ".join(f"{n} {word}{pluralize(n)}" for word, n in counts.items() if n)
        without = "as the one before" if is_same and changes else "nothing"
        changes.append({"words": told or without, "is_set": bool(told)})
        before = now
    return {"rows": rows, "problem": problem, "changes": changes}


def _layers(plan: Plan) -> tuple[list[Position], list[Position]]:
    """Return where throws begin and where points stand."""
    throws = [throw.at for move in plan.moves for throw in move.throws]
    return throws, [point.at for move in plan.moves for point in move.points]


def _within(section: Section, places: list[Position]) -> int:
    return sum(section.start <= place < section.end for place in places)
