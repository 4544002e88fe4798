"""The Moves screen: values by section, throws, points and rides."""

import json
from collections.abc import Callable
from itertools import pairwise
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from hallweb.audition.loudness import passage_loudness
from hallweb.desk.context import edited, frame_context, open_song, refused, sentence_of, show_screen
from hallweb.desk.entry import EntryError, parse_entry, parse_number, parse_position
from hallweb.desk.move_pictures import SongScale
from hallweb.desk.move_targets import target_label, target_of
from hallweb.desk.moves_sheet import HeardTracks, MovesState, moves_context
from hallweb.songs.actions import SongState
from highhall.advise.rides import thinned
from highhall.advise.throws import PhraseEnd, ends_in, gap_throws, last_word_throw, ring_out
from highhall.errors import CoreError
from highhall.plan import Plan, Point, SendTarget, Target, Throw
from highhall.plan.edits import (
    add_throws,
    change_throws,
    clear_cells,
    copy_section,
    nudge_cells,
    remove_move,
    remove_throws,
    set_cells,
    set_points,
    set_ramps,
    swap_returns,
)
from highhall.plan.edits.moves import Cell
from highhall.plan.kinds import LEVEL, Scale
from highhall.plan.model import MoveValue
from highhall.plan.move_table import target_place
from highhall.plan.references import movable_parameter
from highhall.timing import TimeValue, parse_time_value

TEMPLATE = "desk/moves.html"
THROW_DB, THROW_LENGTH, THROW_IN, THROW_OUT = "-6", "1/4", "20 ms", "1/8"
_RIDE_TOLERANCE_DB = 0.5
_LONGEST_RIDE = 20_000
Edit = Callable[[Plan], Plan]


@login_required
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show values through the song by return, by instrument, or the whole song."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "moves", TEMPLATE, _context(opened, MovesState.of(request, opened.plan)))


def sheet(request: HttpRequest, opened: SongState) -> HttpResponse:
    """Return the sheet alone, drawn anew."""
    state = MovesState.of(request, opened.plan)
    context = {**frame_context(opened, "moves"), **_context(opened, state), "is_part": True}
    return render(request, f"{TEMPLATE}#sheet", context)


def _context(opened: SongState, state: MovesState) -> dict[str, Any]:
    new = {"value": THROW_DB, "length": THROW_LENGTH, "ramp_in": THROW_IN, "ramp_out": THROW_OUT}
    return {**moves_context(opened, state), "new_throw": new}


@login_required
def measured_wet(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return how wet a section is as a whole, measured on its rendered sound."""
    opened = open_song(request, song_id)
    section = next((s for s in opened.plan.song.sections if s.id == request.GET.get("section")), None)
    if section is None:
        raise Http404
    start, stop = (opened.plan.song.time.sample_at(position) for position in (section.start, section.end))
    found = passage_loudness(opened.song.pk, opened.revision, start, stop)
    wet, dry = found["wet"], found["dry"]
    wet_db = None if wet is None or dry is None else wet - dry
    return render(request, f"{TEMPLATE}#measured", {"wet_db": wet_db, "lufs": found["full"]})


def _targets(plan: Plan, keys: list[str]) -> list[Target]:
    found = [target_of(plan, key) for key in keys]
    if not all(found):
        raise Http404
    return [target for target in found if target]


def _cells(plan: Plan, texts: list[str]) -> list[Cell]:
    sections = {section.id for section in plan.song.sections}
    pairs = [text.rpartition("|") for text in texts]
    if any(section not in sections for *_, section in pairs):
        raise Http404
    return list(zip(_targets(plan, [key for key, *_ in pairs]), (section for *_, section in pairs), strict=True))


@login_required
@require_POST
def change_cells(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change the chosen cells as one edit: `cell` names each as TARGET|SECTION, `do` says what."""
    opened = open_song(request, song_id)
    cells = _cells(opened.plan, request.POST.getlist("cell"))
    if not cells:
        return refused(request, "Choose values first: click a section of a row, or press Shift with an arrow key.")
    try:
        label, edit = _edit_of_cells(request, opened, cells)
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    first = target_place(opened.plan, cells[0][0])
    more = f" and {len(cells) - 1} more" if len(cells) > 1 else ""
    return edited(request, song_id, f"{label}, {first}{more}", edit, lambda state: sheet(request, state))


def _edit_of_cells(request: HttpRequest, opened: SongState, cells: list[Cell]) -> tuple[str, Edit]:
    post, plan = request.POST, opened.plan
    text = post.get("value", "")
    targets = list(dict.fromkeys(target for target, _ in cells))
    match post.get("do"):
        case "set" if not text.strip():
            return "As in the song", lambda p: clear_cells(p, cells)
        case "set":
            values: dict[Cell, MoveValue] = {cell: _value(plan, cell[0], text) for cell in cells}
            return "Set", lambda p: set_cells(p, values)
        case "nudge":
            by_db = parse_number(text, "Type by how many dB, such as 0.5 or -2.")
            return "Nudge", lambda p: nudge_cells(p, cells, by_db)
        case "clear":
            return "As in the song", lambda p: clear_cells(p, cells)
        case "paste":
            pasted = {
                cell: _value(plan, cell[0], each) for cell, each in zip(cells, post.getlist("level"), strict=False)
            }
            return "Paste", lambda p: set_cells(p, pasted)
        case "ramp":
            side = post.get("side", "before")
            if side not in {"before", "after"}:
                raise Http404
            ramp = _length(text) if text.strip() else None
            return "Ramp", lambda p: set_ramps(p, cells, ramp, side)
        case "like":
            source = post.get("like", "")
            if not any(section.id == source for section in plan.song.sections):
                raise EntryError("Choose the section that these are to be like.")
            add_db = parse_number(text or "0", "Type by how many dB louder, such as 2.")
            sections = dict.fromkeys(section for _, section in cells)
            return f"Like {plan.song.section(source).name}", lambda p: _copied(p, targets, source, sections, add_db)
        case "swap":
            goals = {target.target for target, _ in cells}
            other = post.get("like", "")
            if len(goals) != 1 or not any(r.id == other for r in plan.returns):
                raise EntryError("Choose the return to swap with.")
            first = goals.pop()
            sections = dict.fromkeys(section for _, section in cells)
            return f"Swap with {plan.return_(other).name}", lambda p: _swapped(p, first, other, sections)
        case "throw" | "fill" | "ring" as what:
            return _throwing(request, opened, cells, what)
        case "still":
            return "Stand still", lambda p: _stilled(p, targets)
    raise Http404


def _copied(plan: Plan, targets: list[Target], source: str, sections: dict[str, None], add_db: float) -> Plan:
    for section in sections:
        plan = copy_section(plan, targets, source, section, add_db=add_db)
    return plan


def _swapped(plan: Plan, first: str, other: str, sections: dict[str, None]) -> Plan:
    for section in sections:
        plan = swap_returns(plan, first, other, section)
    return plan


def _stilled(plan: Plan, targets: list[Target]) -> Plan:
    for target in targets:
        plan = remove_move(plan, target)
    return plan


def _value(plan: Plan, target: Target, text: str) -> MoveValue:
    value: Any = parse_entry(movable_parameter(plan, target), text)
    moved: MoveValue = float(value) if isinstance(value, int) and not isinstance(value, bool) else value
    return moved


def _length(text: str) -> TimeValue:
    try:
        return parse_time_value(text.strip().replace(" ", ""))
    except CoreError:
        raise EntryError("Type a note value such as 1/8, or a time such as 250 ms.") from None


def _optional(text: str) -> TimeValue | None:
    return _length(text) if text.strip() else None


def _ends(opened: SongState, target: Target) -> tuple[PhraseEnd, ...]:
    """Return the phrase ends of what a send comes from.

    Raises
    ------
    CoreError
        If they are not known.
    """
    tracks = HeardTracks(opened, SongScale(opened.plan.song))
    heard = tracks.of(target.source) if isinstance(target, SendTarget) else None
    if heard is None:
        raise CoreError("phrases are known of tracks whose stems were listened to; throw a send of such a track")
    return tuple(heard.ends)


def _throwing(request: HttpRequest, opened: SongState, cells: list[Cell], what: str) -> tuple[str, Edit]:
    post, plan = request.POST, opened.plan
    song = plan.song
    ramp_in, ramp_out = _optional(post.get("ramp_in", THROW_IN)), _optional(post.get("ramp_out", THROW_OUT))
    length = None if post.get("until") == "next" else _length(post.get("length", THROW_LENGTH))
    every = post.get("every", "1")
    if not every.isdecimal() or not 1 <= int(every) <= 32:
        raise EntryError("Type every how many phrase ends, from 1 to 32.")
    made: dict[Target, list[Throw]] = {}
    for target, section_id in cells:
        ends = _ends(opened, target)
        value = _value(plan, target, post.get("throw", THROW_DB))
        found = ends_in(song, ends, song.section(section_id), every=int(every))
        if what == "throw":
            throws = [last_word_throw(song, end, value, length, ramp_in, ramp_out) for end in found]
        elif what == "fill":
            throws = gap_throws(song, found, value, ramp_in, ramp_out)
        else:
            throws = [ring_out(song, ends, value, ramp_in)]
        made.setdefault(target, []).extend(throws)
    if not any(made.values()):
        raise CoreError("no phrase ends in what is chosen; choose a section in which the instrument plays")
    label = {"throw": "Throw last words", "fill": "Fill the gaps", "ring": "Ring out"}[what]
    return label, lambda p: _thrown(p, made)


def _thrown(plan: Plan, made: dict[Target, list[Throw]]) -> Plan:
    for target, throws in made.items():
        plan = add_throws(plan, target, throws)
    return plan


@login_required
@require_POST
def throw_one(request: HttpRequest, song_id: int) -> HttpResponse:
    """Throw the last word of one phrase, by its number among a track's."""
    opened = open_song(request, song_id)
    (target,) = _targets(opened.plan, [request.POST.get("target", "")])
    number = request.POST.get("phrase", "")
    try:
        ends = _ends(opened, target)
        if not number.isdecimal() or int(number) >= len(ends):
            raise Http404
        value = _value(opened.plan, target, request.POST.get("throw", THROW_DB))
        lengths = [_optional(request.POST.get(name, default)) for name, default in (("length", THROW_LENGTH), ("ramp_in", THROW_IN), ("ramp_out", THROW_OUT))]  # fmt: skip
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    throw = last_word_throw(opened.plan.song, ends[int(number)], value, *lengths)
    label = f"Throw at {throw.at.bar}, {target_place(opened.plan, target)}"
    return edited(
        request, song_id, label, lambda p: add_throws(p, target, [throw]), lambda state: sheet(request, state)
    )


@login_required
@require_POST
def change_throw(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change or remove a throw: itself, all of its row in its section, or all of its row, as `reach` says."""
    post, plan = request.POST, open_song(request, song_id).plan
    (target,) = _targets(plan, [post.get("target", "")])
    try:
        at = parse_position(post.get("at", ""))
        move = plan.move(target)
        section = next((s for s in plan.song.sections if s.start <= at < s.end), None)
        places = [throw.at for throw in move.throws] if move else []
        if post.get("reach") == "section" and section:
            places = [place for place in places if section.start <= place < section.end]
        elif post.get("reach") != "row":
            places = [place for place in places if place == at]
        if post.get("do") == "remove":
            edit: Edit = lambda p: remove_throws(p, target, places)  # noqa: E731
        else:
            fields: dict[str, Any] = {
                "value": _value(plan, target, post.get("value", "")),
                "length": _length(post.get("length", "")),
                "ramp_in": _optional(post.get("ramp_in", "")),
                "ramp_out": _optional(post.get("ramp_out", "")),
            }
            if len(places) == 1 and post.get("start", "").strip():
                fields["at"] = parse_position(post["start"])
            edit = lambda p: change_throws(p, target, places, **fields)  # noqa: E731
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    what = "Remove throw" if post.get("do") == "remove" else "Throw"
    count = f" ×{len(places)}" if len(places) != 1 else f" at {at.bar}"
    label = f"{what}{count}, {target_place(plan, target)}"
    return edited(request, song_id, label, edit, lambda state: sheet(request, state))


@login_required
@require_POST
def change_points(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add, move or remove a point, remove all, or take up a ride: samples and values, thinned to few points."""
    post, plan = request.POST, open_song(request, song_id).plan
    (target,) = _targets(plan, [post.get("target", "")])
    move = plan.move(target)
    points = list(move.points) if move else []
    try:
        match post.get("do"):
            case "add":
                at = parse_position(post.get("at", ""))
                value = _value(plan, target, post.get("value", ""))
                shape = "hold" if post.get("shape") == "hold" else "linear"
                points = [*(p for p in points if p.at != at), Point(at=at, value=value, shape=shape)]
                label = f"Point at {at.bar}"
            case "remove":
                at = parse_position(post.get("at", ""))
                points = [point for point in points if point.at != at]
                label = f"Remove point at {at.bar}"
            case "clear":
                points, label = [], "Remove all points"
            case "ride":
                points = _with_ride(plan, target, points, post.get("ride", ""))
                label = "Ride"
            case _:
                raise Http404
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    label = f"{label}, {target_place(plan, target)}: {target_label(plan, target).lower()}"
    return edited(request, song_id, label, lambda p: set_points(p, target, points), lambda state: sheet(request, state))


def _with_ride(plan: Plan, target: Target, points: list[Point], text: str) -> list[Point]:
    """Return the points with those of a ride, [[sample, value], ...], in place of what was there meanwhile.

    Raises
    ------
    EntryError
        If it is no ride.
    """
    parameter = movable_parameter(plan, target)
    try:
        ridden = [(int(sample), float(value)) for sample, value in json.loads(text)]
    except (TypeError, ValueError):
        ridden = []
    in_order = all(a[0] < b[0] for a, b in pairwise(ridden))
    if not 2 <= len(ridden) <= _LONGEST_RIDE or not in_order or ridden[0][0] < 0:
        raise EntryError("Hold the control while the song plays: a ride needs a moment of sound.")
    low, high = max(parameter.low, -60.0) if parameter.scale is Scale.LEVEL else parameter.low, parameter.high
    values = [min(max(value, low), high) for _, value in ridden]
    is_level = parameter.name == LEVEL.name
    tolerance = _RIDE_TOLERANCE_DB if is_level else (parameter.high - parameter.low) / 50
    kept = thinned([float(sample) for sample, _ in ridden], values, tolerance)
    time = plan.song.time
    first, last = ridden[0][0], ridden[-1][0]
    outside = [p for p in points if not first <= time.sample_at(p.at) <= last]
    made = [Point(at=time.position_at_sample(ridden[i][0]), value=round(values[i], 3)) for i in kept]
    return [*outside, *made]
