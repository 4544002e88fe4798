"""Files that come in: opened, sent in parts, finished or dropped; then made tracks of."""

from collections.abc import Callable

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from hallweb.analysis.actions import take_stems
from hallweb.inputs import inputs
from hallweb.screens.common.context import changed, open_song, sentence_of
from hallweb.screens.song.context import page
from hallweb.songs import uploads
from hallweb.songs.models import Song, Upload
from highhall.errors import CoreError
from highhall.interchange.channels import ManyChannels


def _answered(work: Callable[[], dict[str, object]]) -> JsonResponse:
    """Do a part of an upload and say what came of it, or in a sentence why not."""
    try:
        return JsonResponse(work())
    except uploads.ChannelsNotChosenError as error:
        return JsonResponse({"error": sentence_of(error), "channels": error.channels}, status=422)
    except uploads.WrongOffsetError as error:
        return JsonResponse({"error": sentence_of(error)}, status=409)
    except CoreError as error:
        return JsonResponse({"error": sentence_of(error)}, status=422)


def _own_upload(request: HttpRequest, song_id: int, upload_id: int) -> Upload:
    songs = Song.objects.visible_to(request.user)
    return get_object_or_404(Upload, pk=upload_id, song_id=song_id, song__in=songs)


def _number(request: HttpRequest, name: str) -> int:
    text = inputs(request).text(name)
    return int(text) if text.isdecimal() and len(text) < 18 else 0


@login_required
@require_POST
def begin(request: HttpRequest, song_id: int) -> JsonResponse:
    """Open an upload; answer where to send it and how much of it is here."""
    song = get_object_or_404(Song.objects.visible_to(request.user), pk=song_id)

    def work() -> dict[str, object]:
        name = inputs(request).text("name")
        upload = uploads.open_upload(song, name, _number(request, "size"), _number(request, "modified"))
        return {"id": upload.pk, "received": uploads.received(upload)}

    return _answered(work)


@login_required
@require_POST
def receive(request: HttpRequest, song_id: int, upload_id: int) -> JsonResponse:
    """Take the next part of a file as the body; `X-Offset` says where in the file it belongs."""
    upload = _own_upload(request, song_id, upload_id)
    offset = request.headers.get("X-Offset", "")
    start = int(offset) if offset.isdecimal() else -1
    return _answered(lambda: {"received": uploads.receive(upload, start, request.read)})


@login_required
@require_POST
def finish(request: HttpRequest, song_id: int, upload_id: int) -> JsonResponse:
    """Check a file that has come in whole and make it a stem."""
    upload = _own_upload(request, song_id, upload_id)
    choice = inputs(request).text("channels")
    many = ManyChannels(choice) if choice in set(ManyChannels) else ManyChannels.REFUSE
    return _answered(lambda: {"path": uploads.finish(upload, many).path})


@login_required
@require_POST
def drop(request: HttpRequest, song_id: int, upload_id: int) -> HttpResponse:
    """Forget a file that was not finished."""
    uploads.drop(_own_upload(request, song_id, upload_id))
    return HttpResponse()


@login_required
@require_POST
def take(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make tracks of stems that came in."""
    open_song(request, song_id)
    paths = inputs(request).texts("path")
    return changed(
        request,
        song_id,
        lambda song_id, base: take_stems(song_id, base, paths),
        lambda state: page(request, state),
    )
