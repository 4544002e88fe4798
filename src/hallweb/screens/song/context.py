"""The Song screen as a whole: its tracks, groups, time and sections, in the window that is looked at."""

from dataclasses import dataclass
from typing import Any
from zlib import crc32

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import render

from hallweb.screens.common.context import frame_context
from hallweb.screens.song.pictures import WIDTH, Window, time_band
from hallweb.songs.actions import SongState
from hallweb.songs.models import Song, Stem
from hallweb.songs.uploads import received
from highhall.plan import Plan, Section, Track
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
    def of(cls, plan: Plan, said: QueryDict) -> "View":
        """Read it from an address or a form."""
        section = next((s for s in plan.song.sections if s.id == said.get("section", "")), None)
        window = Window.of(plan.song, said.get("from", ""), said.get("to", ""))
        return cls(window, "time" if said.get("panel") == "time" else "", section)


def sheet(request: HttpRequest, opened: SongState, section_id: str | None = None) -> HttpResponse:
    """Return the sheet alone, drawn anew; `section_id` is the one to hold, if not the one that was held."""
    said = request.POST.copy()
    if section_id is not None:
        said["section"] = section_id
    context = {**frame_context(opened, "song"), **song_context(opened, said), "is_part": True}
    return render(request, f"{TEMPLATE}#sheet", context)


def song_context(opened: SongState, said: QueryDict) -> dict[str, Any]:
    """Return all that the sheet shows."""
    plan, view = opened.plan, View.of(opened.plan, said)
    stems = {stem.path: stem for stem in Stem.objects.filter(song=opened.song)}
    used = {track.stem for track in plan.tracks}
    return {
        "rows": [_row(plan, track, stems.get(track.stem), view.window) for track in plan.tracks],
        "unused": sorted(path for path in stems if path not in used),
        "uploads": _broken_off(opened.song),
        "groups": [_group(plan, group.id, group.name) for group in plan.groups],
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
    """Return the band of time over the tracks, and where else to look."""
    return {
        "window": window,
        "band": time_band(window),
        "wave_width": round(WIDTH),
        "nearer": window.nearer(),
        "further": window.further(),
        "earlier": window.shifted(-1),
        "later": window.shifted(1),
        "can_zoom": window.last_bar - window.first_bar > 1,
    }


def _row(plan: Plan, track: Track, stem: Stem | None, window: Window) -> dict[str, Any]:
    song = plan.song
    looks_as = (stem and (stem.content_hash, stem.threshold_db), track.start_s, song.sections, song.meters, song.tempos)
    return {
        "track": track,
        "level": LEVEL.figure(track.level_db),
        "pan": PAN.figure(track.pan),
        # A reading that would be the same stays on the page when the sheet is drawn anew.
        "reading_id": f"reading-{track.id}-{crc32(repr((looks_as, window.first_bar, window.last_bar)).encode()):x}",
    }


def _group(plan: Plan, group_id: str, name: str) -> dict[str, Any]:
    members = [track.id for track in plan.tracks_in(group_id)]
    return {"id": group_id, "name": name, "members": members}


def _broken_off(song: Song) -> list[dict[str, Any]]:
    return [{"row": upload, "percent": round(100 * received(upload) / upload.size)} for upload in song.uploads.all()]


def _middle_bar(section: Section) -> Position:
    return max(Position((section.start.bar + section.end.bar) // 2), Position(section.start.bar + 1))


def _first_open_stretch(plan: Plan) -> tuple[Position, Position] | None:
    starts = [Position(1), *(section.end for section in plan.song.sections)]
    return next((stretch for start in starts if (stretch := open_stretch(plan, start))), None)
