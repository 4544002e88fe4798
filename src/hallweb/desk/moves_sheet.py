"""What the Moves screen shows: by return, by instrument, or the whole song at a glance."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

from django.http import HttpRequest, QueryDict

from hallweb.desk.charts import looks
from hallweb.desk.move_pictures import Heard, Row, SongScale, brackets, row_of, silhouette
from hallweb.desk.move_targets import key_of, movable_of, target_of
from hallweb.songs.actions import SongState
from hallweb.songs.material import kept_material
from hallweb.songs.models import Stem
from hallweb.songs.phrase_ends import ends_of
from hallweb.songs.stems import SongSounds, song_sounds
from hallweb.songs.wetness import wet_readings
from highhall.measure import Material, Phrase
from highhall.plan import Plan, ReturnTarget, Section, SendTarget, Song, Target, Track
from highhall.timing import Position


@dataclass(frozen=True, slots=True)
class MovesState:
    """What of the screen is open: by what its rows are chosen, and which rows are added to those that move."""

    by: str
    shown: tuple[str, ...] = ()

    @classmethod
    def of(cls, request: HttpRequest, plan: Plan) -> "MovesState":
        """Read it from a request; what makes no sense is the first return."""
        values: QueryDict = request.POST if request.method == "POST" else request.GET
        by = values.get("by", "")
        kind, _, key = by.partition(":")
        known = {"return": {r.id for r in plan.returns}, "track": {t.id for t in plan.tracks}, "song": {""}}
        if key not in known.get(kind, set()):
            by = f"return:{plan.returns[0].id}" if plan.returns else "song"
        return cls(by, tuple(filter(None, values.get("show", "").split(" "))))


def moves_context(opened: SongState, state: MovesState) -> dict[str, Any]:
    """Return what the sheet shows."""
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
        "snaps": _eighths(plan.song),
        "more": [each for each in more if each[0] not in there],
    }


class _Rows:
    def __init__(self, opened: SongState, scale: SongScale) -> None:
        self._plan, self._scale = opened.plan, scale
        self._looks = looks(opened.plan.returns)
        self._tracks = {track.id: track for track in opened.plan.tracks}
        self._heard = heard_by_track(opened, scale)

    def _row(self, target: Target, name: str = "") -> Row:
        heard = self._heard.get(target.source) if isinstance(target, SendTarget) else None
        return row_of(self._plan, target, self._scale, tint=self._looks[target.target].tint, name=name, heard=heard)

    def by_return(self, return_id: str, shown: list[Target]) -> list[Row]:
        """Return a return's feeds, what else of it moves or is asked for, and its level."""
        names = self._plan.names
        feeds: list[Target] = []
        rows = []
        for send in sorted(self._plan.sends_into(return_id), key=self._place):
            target = SendTarget(source=send.source, target=return_id, param="level_db")
            feeds.append(target)
            rows.append(self._row(target, names[send.source]))
        level = ReturnTarget(target=return_id, param="level_db")
        moving = [move.target for move in self._plan.moves if move.target.target == return_id]
        others = [target for target in dict.fromkeys([*moving, *shown]) if target not in (*feeds, level)]
        rows += [self._row(target) for target in others if target.target == return_id]
        return [*rows, self._row(level, names[return_id])]

    def _place(self, send: Any) -> int:  # noqa: ANN401 - a send
        order = [*self._tracks, *(g.id for g in self._plan.groups), *(r.id for r in self._plan.returns)]
        return order.index(send.source)

    def by_track(self, track_id: str) -> list[Row]:
        """Return an instrument's sends, by return, and what else of them moves."""
        names = self._plan.names
        targets = [
            SendTarget(source=track_id, target=r.id, param="level_db")
            for r in self._plan.returns
            if self._plan.send(track_id, r.id)
        ]
        others = [
            move.target
            for move in self._plan.moves
            if isinstance(move.target, SendTarget) and move.target.source == track_id and move.target not in targets
        ]
        return [self._row(t, names[t.target]) for t in targets] + [self._row(t) for t in others]


def heard_by_track(opened: SongState, scale: SongScale) -> Mapping[str, Heard]:
    """Return what each track plays, as far as its stem was listened to."""
    plan = opened.plan
    sounds = song_sounds(opened.song.pk)
    stems = {stem.path: stem for stem in Stem.objects.filter(song_id=opened.song.pk)}
    heard = {}
    for track in plan.tracks:
        stem = stems.get(track.stem)
        material = kept_material(stem, plan.song.sample_rate) if stem else None
        if stem and material:
            heard[track.id] = _heard(sounds, plan, track, material, material.phrases(stem.threshold_db), scale)
    return heard


def _heard(
    sounds: SongSounds, plan: Plan, track: Track, material: Material, phrases: tuple[Phrase, ...], scale: SongScale
) -> Heard:
    return Heard(
        outline=_outline(material, track.start_s, scale),
        phrases=brackets(scale, phrases, track.start_s),
        ends=ends_of(sounds, plan, track, phrases),
    )


@lru_cache(maxsize=128)
def _outline(material: Material, start_s: float, scale: SongScale) -> str:
    return silhouette(scale, material, start_s)


@lru_cache(maxsize=32)
def _eighths(song: Song) -> str:
    """Return [position, sample] of every eighth of the song, as JSON."""
    time = song.time
    end = time.meters.whole_notes_at(song.end)
    places = (time.meters.position_at(Fraction(n, 8)) for n in range(int(end * 8) + 1))
    return json.dumps([[str(place), time.sample_at(place)] for place in places], separators=(",", ":"))


def _glance(opened: SongState) -> dict[str, Any]:
    """Return how wet every instrument is in every section, predicted; a section that is like the one before says so."""
    plan = opened.plan
    by_section = {s.id: wet_readings(opened.song.pk, plan, s) for s in plan.song.sections}
    rows = []
    for index, track in enumerate(plan.tracks):
        cells = []
        for readings in by_section.values():
            reading, distance_m, bar = readings[index]
            cells.append({"wet_db": reading.wet_db, "distance_m": distance_m, "bar": bar * 100})
        rows.append({"name": track.name, "id": track.id, "cells": cells})
    changes = []
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
        is_same = now == before and not throws and not points
        changes.append({"count": len(values), "throws": throws, "points": points, "is_same": is_same})
        before = now
    return {"rows": rows, "changes": changes}


def _layers(plan: Plan) -> tuple[list[Position], list[Position]]:
    """Return where throws begin and where points stand."""
    throws = [throw.at for move in plan.moves for throw in move.throws]
    return throws, [point.at for move in plan.moves for point in move.points]


def _within(section: Section, places: list[Position]) -> int:
    return sum(section.start <= place < section.end for place in places)
