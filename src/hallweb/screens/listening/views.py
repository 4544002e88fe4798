"""A listening link: its prints, one against another and equally loud, and comments at a bar and beat. Never anything else of the song."""

from fractions import Fraction
from typing import Any

from django.conf import settings
from django.core.cache import cache
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_POST, require_safe

from hallweb.handoff.models import PrintJob
from hallweb.inputs import inputs
from hallweb.screens.common.charts import peaks_path, section_boxes
from hallweb.screens.common.context import refused, sentence_of
from hallweb.screens.common.downloads import sent_file
from hallweb.sharing import actions
from hallweb.sharing.models import LinkedPrint, ListeningLink
from hallweb.songs.files import print_folder
from hallweb.songs.revisions import plan_of
from highhall.errors import CoreError
from highhall.plan import Song
from highhall.timing import Position

TEMPLATE = "listening/page.html"
STRIP_WIDTH, STRIP_HEIGHT = 1040.0, 72.0


def _link(token: str) -> ListeningLink:
    link = actions.open_link(token)
    if link is None:
        raise Http404
    return link


@require_safe
def show(request: HttpRequest, token: str) -> HttpResponse:
    """Show what a link lets hear; asked again by the page until all of it is printed."""
    link = _link(token)
    part = "#prints" if getattr(request, "htmx", False) else ""
    response = render(request, f"{TEMPLATE}{part}", _context(link, token))
    response["X-Robots-Tag"] = "noindex"
    return response


def _context(link: ListeningLink, token: str) -> dict[str, Any]:
    rows = list(link.prints.select_related("job__revision").defer("job__revision__document"))
    heard = [row for row in rows if row.job.state == PrintJob.State.DONE and row.job.file_of("main")]
    quietest = min((_lufs(row) for row in heard), default=0.0)
    return {
        "link": link,
        "token": token,
        "title": link.song.title,
        "prints": [_print(row, quietest) for row in heard],
        "waiting": [row for row in rows if row.job.is_open],
        "comments": link.comments.all(),
        "width": STRIP_WIDTH,
        "height": STRIP_HEIGHT,
    }


def _lufs(row: LinkedPrint) -> float:
    file = row.job.file_of("main") or {}
    lufs = file.get("lufs")
    return -70.0 if lufs is None else float(lufs)


def _print(row: LinkedPrint, quietest: float) -> dict[str, Any]:
    """Return a print: how much it is turned down to be as loud as the quietest, its sections, its waveform, its beats."""
    song, start = plan_of(row.job.revision_id).song, row.job.options.get("start", 0)
    lufs = _lufs(row)
    gain_db = quietest - lufs
    file = row.job.file_of("main") or {}
    seconds = (row.job.seconds or 1.0) * song.sample_rate
    scale = STRIP_WIDTH / seconds
    sections = [
        {
            "name": box.name,
            "x": (box.start_sample - start) * scale,
            "width": (box.end_sample - box.start_sample) * scale,
        }
        for box in section_boxes(song)
        if start <= box.start_sample < start + seconds
    ]
    return {
        "row": row,
        "gain_db": gain_db,
        "is_turned_down": round(gain_db, 1) != 0,
        "lufs": lufs,
        "sections": sections,
        "wave": peaks_path(file["columns"], STRIP_WIDTH, STRIP_HEIGHT),
        "beats_id": f"beats-{row.pk}",
        "beats": [[(at - start) / song.sample_rate, str(place)] for at, place in _beats(song) if at >= start],
    }


def _beats(song: Song) -> list[tuple[int, Position]]:
    """Return every beat with its sample."""
    places = [
        Position(bar, Fraction(beat))
        for bar in range(1, song.end.bar)
        for beat in range(1, song.time.meter_at(Position(bar)).beats + 1)
    ]
    return [(song.time.sample_at(place), place) for place in places]


@require_safe
@cache_control(private=True, max_age=3600)
def sound(request: HttpRequest, token: str, print_id: int) -> HttpResponse | FileResponse:  # noqa: ARG001 - a view
    """Return main of one of a link's prints."""
    row = _link(token).prints.select_related("job").filter(pk=print_id).first()
    file = row.job.file_of("main") if row else None
    path = print_folder(row.job_id) / file["path"] if row and file else None
    if path is None:
        raise Http404
    return sent_file(path)


@require_POST
def add_comment(request: HttpRequest, token: str) -> HttpResponse:
    """Keep what a guest says at a bar and beat."""
    link, said = _link(token), inputs(request)
    plan = plan_of(link.song.head_id) if link.song.head_id else None
    if plan is None:
        raise Http404
    if _is_too_often(link):
        return refused(request, "That was many comments in one minute. Wait a little, then send it again.", 429)
    try:
        actions.comment(
            link.song, plan.song, link=link, name=said.text("name").strip(), at=said.text("at").strip(),
            text=said.text("text").strip(), heard=said.text("heard").strip(),
        )  # fmt: skip
    except CoreError as error:
        return refused(request, sentence_of(error))
    return render(request, f"{TEMPLATE}#comments", {"comments": link.comments.all(), "token": token})


def _is_too_often(link: ListeningLink) -> bool:
    key = f"comments-of-link-{link.pk}"
    cache.add(key, 0, 60)
    return cache.incr(key) > settings.COMMENTS_A_MINUTE
