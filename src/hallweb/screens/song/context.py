"""The Song screen as a whole: its tracks, groups, time and sections, in the window that is looked at."""

from dataclasses import dataclass, replace
from typing import Any
from zlib import crc32

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from hallweb.analysis.actions import Taken
from hallweb.inputs import Inputs, inputs
from hallweb.screens.common.context import frame_context
from hallweb.screens.song.pictures import WIDTH, Window, time_ruler
from hallweb.songs.actions import SongState
from hallweb.songs.models import Song, Stem
from hallweb.songs.uploads import received
from highhall.plan import Group, Plan, Section, Track
from highhall.plan.edits import open_stretch
from highhall.plan.kinds import LEVEL, PAN
from highhall.timing import Position
from highhall.wording import BEATS

TEMPLATE = "song/page.html"


@dataclass(frozen=True, slots=True)
class View:
    """What the Song screen shows; it stands in the address and is sent with every edit."""

    window: Window
    panel: str
    section: Section | None

    @classmethod
    def of(cls, plan: Plan, said: Inputs) -> "View":
        """Read it from an address or a form."""
        section = said.item_or_none("section", plan.song.sections)
        window = Window.of(plan.song, said.text("from"), said.text("to"))
        return cls(window, "time" if said.text("panel") == "time" else "", section)


def page(
    request: HttpRequest, opened: SongState, section_id: str | None = None, taken: Taken | None = None
) -> HttpResponse:
    """Return the page, drawn anew, without its frame.

    section_id: the section to hold, if not the one that was held. taken: what became of stems that have just come in.
    """
    view = View.of(opened.plan, inputs(request))
    if section_id is not None:
        held = next((s for s in opened.plan.song.sections if s.id == section_id), None)
        view = replace(view, section=held)
    context = {**frame_context(opened, "song"), **song_context(opened, view), "is_part": True, "taken": taken}
    return render(request, f"{TEMPLATE}#page", context)


def song_context(opened: SongState, view: View) -> dict[str, Any]:
    """Return all that the page shows."""
    plan = opened.plan
    stems = {stem.path: stem for stem in Stem.objects.filter(song=opened.song)}
    used = {track.stem for track in plan.tracks}
    return {
        "rows": [_row(plan, track, stems.get(track.stem), view.window) for track in plan.tracks],
        "unused": sorted(path for path in stems if path not in used),
        "uploads": _broken_off(opened.song),
        "groups": [_group(plan, group) for group in plan.groups],
        "group_choices": [("", "Main"), *((group.id, group.name) for group in plan.groups)],
        "held": view.section,
        "split_at": _middle_bar(view.section) if view.section else None,
        "stretch": _first_open_stretch(plan),
        "next_name": f"Section {len(plan.song.sections) + 1}",
        "panel": view.panel,
        "beats": BEATS,
        **window_context(view.window),
    }


def window_context(window: Window) -> dict[str, Any]:
    """Return the time ruler over the tracks, and where else to look."""
    return {
        "window": window,
        "ruler": time_ruler(window),
        "wave_width": round(WIDTH),
        "nearer": window.nearer(),
        "further": window.further(),
        "earlier": window.shifted(-1),
        "later": window.shifted(1),
        "can_zoom": window.last_bar - window.first_bar > 1,
    }


def _row(plan: Plan, track: Track, stem: Stem | None, window: Window) -> dict[str, Any]:
    song = plan.song
    read = stem and (stem.content_hash, stem.threshold_db, stem.phrase_ends)
    looks_as = (read, track.start_s, song.sections, song.meters, song.tempos)
    return {
        "track": track,
        "level": LEVEL.figure(track.level_db),
        "pan": PAN.figure(track.pan),
        # A reading that would be the same stays when the page is drawn anew.
        "reading_id": f"reading-{track.id}-{crc32(repr((looks_as, window.first_bar, window.last_bar)).encode()):x}",
    }


def _group(plan: Plan, group: Group) -> dict[str, Any]:
    tracks = list(plan.tracks_in(group.id))
    ids, names = (" ".join(track.id for track in tracks), "|".join(track.name for track in tracks))
    return {"group": group, "count": len(tracks), "track_ids": ids, "track_names": names}


def _broken_off(song: Song) -> list[dict[str, Any]]:
    return [{"row": upload, "percent": round(100 * received(upload) / upload.size)} for upload in song.uploads.all()]


def _middle_bar(section: Section) -> Position:
    return max(Position((section.start.bar + section.end.bar) // 2), Position(section.start.bar + 1))


def _first_open_stretch(plan: Plan) -> tuple[Position, Position] | None:
    starts = [Position(1), *(section.end for section in plan.song.sections)]
    return next((stretch for start in starts if (stretch := open_stretch(plan, start))), None)
