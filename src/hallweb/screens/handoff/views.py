"""The Hand-off screen: choose, print, watch, download; the recall sheet; files for other programs."""

import base64
import hashlib
import tempfile
from collections.abc import Callable
from pathlib import Path

from csp.decorators import csp_replace
from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.core.cache import cache
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.utils.text import slugify
from django.utils.timezone import localdate
from django.views.decorators.http import require_POST, require_safe
from django_htmx.http import trigger_client_event

from hallweb.access import require_editable, song_for, user_of
from hallweb.analysis.depth import ready_model
from hallweb.handoff import actions
from hallweb.handoff.models import PrintJob
from hallweb.handoff.removal import remove_print
from hallweb.inputs import inputs
from hallweb.screens.common.context import frame_context, open_song, refused, sentence_of, show_screen
from hallweb.screens.common.downloads import attached, not_saved, sent_file, streamed_archive
from hallweb.screens.handoff.context import job_context, read_options, tree_context
from hallweb.songs.actions import SongState
from hallweb.songs.files import print_folder
from hallweb.songs.lasting import here
from hallweb.songs.song_files import song_file
from hallweb.songs.sounds import open_responses, song_sounds
from highhall.errors import CoreError
from highhall.exports import save_responses, write_moves_csv, write_plan_midi, write_sends_csv, write_throws_csv
from highhall.interchange.sections import write_sections_csv
from highhall.interchange.zip_stream import zip_chunks
from highhall.plan import Plan, write_plan
from highhall.prints.manifest import NAME as MANIFEST
from highhall.sheet import PAPERS, Sheet, leaf_html, sheet_html, sheet_of, sheet_pdf

TEMPLATE = "handoff/page.html"

_LEAVES_KEPT_S = 3600
_FONTS = settings.WEB / "static" / "vendor" / "fonts"
FONTS = {
    "National Park": _FONTS / "national-park-latin-wght-normal.woff2",
    "Federo": _FONTS / "federo-latin-400-normal.woff2",
}


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show what can be printed, the prints made so far, and the first leaf of the sheet."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "hand-off", TEMPLATE, tree_context(opened))


def page(request: HttpRequest, opened: SongState) -> HttpResponse:
    """Return the page, drawn anew, without its frame."""
    context = {**frame_context(opened, "hand-off"), **tree_context(opened), "is_part": True}
    return render(request, f"{TEMPLATE}#page", context)


# prints


def _own_job(request: HttpRequest, song_id: int, job_id: int) -> PrintJob:
    song = song_for(request, song_id)
    return get_object_or_404(PrintJob.objects.select_related("song", "revision"), pk=job_id, song=song)


@login_required
@require_POST
def start(request: HttpRequest, song_id: int) -> HttpResponse:
    """Queue a print of what is chosen and show its progress."""
    opened = open_song(request, song_id)
    try:
        options = read_options(inputs(request), opened.plan)
        job = actions.start_print(opened.song, opened.revision, user_of(request), options)
    except CoreError as error:
        return refused(request, sentence_of(error))
    return render(request, f"{TEMPLATE}#job", {"job": job_context(job), "song": opened.song})


@login_required
@require_safe
def progress(request: HttpRequest, song_id: int, job_id: int) -> HttpResponse:
    """Return one print's row; it asks again by itself until the print is done, and then lets the tree be drawn anew."""
    return _progress_part(request, _own_job(request, song_id, job_id))


def _progress_part(request: HttpRequest, job: PrintJob) -> HttpResponse:
    response = render(request, f"{TEMPLATE}#job", {"job": job_context(job), "song": job.song})
    return response if job.is_open else trigger_client_event(response, "print-done")


@login_required
@require_POST
def cancel(request: HttpRequest, song_id: int, job_id: int) -> HttpResponse:
    """Cancel a print."""
    actions.cancel_print(_own_job(request, song_id, job_id))
    return _progress_part(request, _own_job(request, song_id, job_id))


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int, job_id: int) -> HttpResponse:
    """Remove a finished print and its files."""
    remove_print(_own_job(request, song_id, job_id))
    return HttpResponse("")


@login_required
@require_safe
def download(request: HttpRequest, song_id: int, job_id: int, name: str) -> HttpResponse | FileResponse:
    """Return one printed file."""
    require_editable(request, song_id)
    job = _own_job(request, song_id, job_id)
    if not any(file["path"] == name for file in job.files):
        raise Http404
    path = print_folder(job.pk) / name
    filename = path.name if job.options.get("pattern") else f"{_prefix(job)} {path.name}"
    return sent_file(path, filename)


@login_required
@require_safe
def download_all(request: HttpRequest, song_id: int, job_id: int) -> StreamingHttpResponse:
    """Return all files of a print with their manifest as one ZIP, while it is made."""
    require_editable(request, song_id)
    job = _own_job(request, song_id, job_id)
    folder = print_folder(job.pk)
    paths: dict[str, Path | bytes] = {
        name: here(folder / name) for name in (MANIFEST, *(file["path"] for file in job.files))
    }
    if not job.files or not all(isinstance(path, Path) and path.is_file() for path in paths.values()):
        raise Http404
    return streamed_archive(zip_chunks(paths), f"{_prefix(job)}.zip")


def _prefix(job: PrintJob) -> str:
    return f"{slugify(job.song.title)} r{job.revision.number}"


# the recall sheet


def _sheet(opened: SongState) -> Sheet:
    plan, sounds = opened.plan, song_sounds(opened.song.pk)
    return sheet_of(
        plan,
        open_responses(sounds, plan.song.sample_rate),
        version=f"revision {opened.revision.number}",
        date=f"{localdate():%-d %B %Y}",
        depth=ready_model(sounds, plan),
        aside=_aside(opened),
    )


def _aside(opened: SongState) -> list[tuple[str, str]]:
    return [(row.title, row.reason) for row in opened.song.set_aside.all()]


def _leaves(opened: SongState) -> list[str]:
    """Return all leaves, drawn; kept as long as what stands on them is the same, so that turning one draws nothing."""
    sounds = song_sounds(opened.song.pk)
    has_depth = ready_model(sounds, opened.plan) is not None
    facts = (opened.revision.pk, sounds.mark, has_depth, localdate(), _aside(opened))
    key = f"sheet-{hashlib.sha256(repr(facts).encode()).hexdigest()}"
    leaves: list[str] | None = cache.get(key)
    if leaves is None:
        sheet = _sheet(opened)
        leaves = [leaf_html(sheet, number) for number in range(1, len(sheet.leaves) + 1)]
        cache.set(key, leaves, _LEAVES_KEPT_S)
    return leaves


@login_required
@require_safe
def sheet_leaf(request: HttpRequest, song_id: int, number: int) -> HttpResponse:
    """Return a leaf of the sheet, and what turns it."""
    opened = open_song(request, song_id)
    leaves = _leaves(opened)
    number = min(max(number, 1), len(leaves))
    context = {"song": opened.song, "leaf": leaves[number - 1], "number": number, "count": len(leaves)}
    return render(request, f"{TEMPLATE}#sheet", context)


@login_required
@require_safe
def sheet_page(request: HttpRequest, song_id: int) -> HttpResponseBase:
    """Return the whole sheet as a page of its own."""
    opened = open_song(request, song_id)
    page = sheet_html(_sheet(opened), inputs(request).choice("paper", PAPERS, "a4"))
    style = page.partition("<style>")[2].partition("</style>")[0]
    digest = base64.b64encode(hashlib.sha256(style.encode()).digest()).decode()
    policy = {"default-src": ["'none'"], "style-src": [f"'sha256-{digest}'"]}  # its own style alone, and no script
    return csp_replace(policy)(lambda _: HttpResponse(page))(request)


@login_required
@require_safe
def sheet_file(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return the whole sheet as a PDF."""
    opened = open_song(request, song_id)
    content = sheet_pdf(_sheet(opened), inputs(request).choice("paper", PAPERS, "a4"), FONTS)
    return attached(content, f"{_slug(opened)} sheet.pdf", "application/pdf")


# files for other programs

Writer = Callable[[Path, Plan], object]
_TABLES: dict[str, Writer] = {
    "moves.csv": write_moves_csv,
    "sends.csv": write_sends_csv,
    "throws.csv": write_throws_csv,
    "sections.csv": lambda path, plan: write_sections_csv(path, plan.song),
}


@login_required
@require_safe
def export(request: HttpRequest, song_id: int, kind: str) -> HttpResponse | StreamingHttpResponse:
    """Return a plan for other programs: MIDI, tables, responses, the whole song, or the plan alone."""
    opened = open_song(request, song_id)
    plan, slug = opened.plan, _slug(opened)
    if kind == "plan":
        return attached(write_plan(plan).encode(), f"{slug}.json", "application/json")
    if kind == "song":
        require_editable(request, song_id)
        try:
            return streamed_archive(song_file(opened.song), f"{slug}.zip")
        except CoreError as error:
            return not_saved(request, error)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        if kind == "midi":
            write_plan_midi(folder / "plan.mid", plan)
            return attached((folder / "plan.mid").read_bytes(), f"{slug}.mid", "audio/midi")
        if kind == "tables":
            for file, write in _TABLES.items():
                write(folder / file, plan)
        else:
            responses = open_responses(song_sounds(song_id), plan.song.sample_rate)
            saved = save_responses(plan, folder, responses)
            notes = (f"{each.path.name if each.path else each.return_id}: {each.note or 'as it is'}" for each in saved)
            (folder / "about.txt").write_text("\n".join(notes) + "\n", encoding="utf-8")
        files: dict[str, Path | bytes] = {path.name: path.read_bytes() for path in sorted(folder.iterdir())}
    return attached(b"".join(zip_chunks(files)), f"{slug} {kind}.zip", "application/zip")


def _slug(opened: SongState) -> str:
    return f"{slugify(opened.song.title)} r{opened.revision.number}"
