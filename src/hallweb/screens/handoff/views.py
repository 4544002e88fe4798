"""The Hand-off screen: print, watch, download; the plan as JSON."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils.text import slugify
from django.views.decorators.http import require_POST

from hallweb.handoff import actions
from hallweb.handoff.models import PrintJob
from hallweb.screens.common.context import open_song, show_screen
from hallweb.songs.files import print_folder
from hallweb.songs.models import Song
from highhall.plan import Plan, write_plan
from highhall.prints.naming import file_names
from highhall.prints.parts import parts_of

TEMPLATE = "handoff/page.html"


@login_required
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show what a print holds, and the prints made so far."""
    opened = open_song(request, song_id)
    context = {"jobs": _jobs(opened.song, opened.plan), "parts": _parts(opened.plan)}
    return show_screen(request, opened, "hand-off", TEMPLATE, context)


def _parts(plan: Plan) -> list[dict[str, str]]:
    paths = file_names(plan, parts_of(plan))
    return [
        {"file": "dry.wav", "name": "Dry", "about": "all tracks, as they reach main"},
        *(
            {"file": f"{paths[f'returns/{r.id}']}.wav", "name": r.name, "about": "as it reaches main"}
            for r in plan.returns
        ),
    ]


def _jobs(song: Song, plan: Plan) -> list[dict[str, Any]]:
    jobs = PrintJob.objects.filter(song=song).select_related("revision").defer("revision__document")[:8]
    return [_job(job, plan) for job in jobs]


def _job(job: PrintJob, plan: Plan) -> dict[str, Any]:
    paths = file_names(plan, parts_of(plan))
    names = {f"{paths[f'returns/{r.id}']}.wav": r.name for r in plan.returns} | {"main.wav": "Main", "dry.wav": "Dry"}
    files = [{"path": path, "name": names.get(path, path)} for path in job.files]
    return {"row": job, "files": files}


def _own_job(request: HttpRequest, song_id: int, job_id: int) -> PrintJob:
    songs = Song.objects.visible_to(request.user)
    return get_object_or_404(
        PrintJob.objects.select_related("song", "revision"), pk=job_id, song_id=song_id, song__in=songs
    )


@login_required
@require_POST
def start(request: HttpRequest, song_id: int) -> HttpResponse:
    """Queue a print and show its progress."""
    opened = open_song(request, song_id)
    job = actions.start_print(opened.song, opened.revision)
    return render(request, f"{TEMPLATE}#job", {"job": _job(job, opened.plan), "song": opened.song})


@login_required
def progress(request: HttpRequest, song_id: int, job_id: int) -> HttpResponse:
    """Return one print's row; it asks again by itself until the print is done."""
    job = _own_job(request, song_id, job_id)
    return render(request, f"{TEMPLATE}#job", {"job": _job(job, open_song(request, song_id).plan), "song": job.song})


@login_required
@require_POST
def cancel(request: HttpRequest, song_id: int, job_id: int) -> HttpResponse:
    """Cancel a print."""
    actions.cancel_print(_own_job(request, song_id, job_id))
    return progress(request, song_id, job_id)


@login_required
def download(request: HttpRequest, song_id: int, job_id: int, name: str) -> FileResponse:
    """Return one printed file."""
    job = _own_job(request, song_id, job_id)
    if name not in job.files:
        raise Http404
    path = print_folder(job.pk) / name
    if not path.is_file():
        raise Http404
    filename = f"{slugify(job.song.title)} r{job.revision.number} {path.name}"
    return FileResponse(path.open("rb"), as_attachment=True, filename=filename, content_type="audio/wav")


@login_required
def plan_json(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return the plan as the open document that the command line reads."""
    opened = open_song(request, song_id)
    response = HttpResponse(write_plan(opened.plan), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="{slugify(opened.song.title)}.json"'
    return response
