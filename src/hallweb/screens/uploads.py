"""Files that come in, stems of a song and whole songs: opened, sent in parts, finished or dropped."""

from collections.abc import Callable

from django.contrib.auth.decorators import login_required
from django.db.models import Q
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import path, reverse
from django.views.decorators.http import require_POST

from hallweb.access import editable_song, user_of
from hallweb.analysis.tasks import ask_to_analyse
from hallweb.inputs import inputs
from hallweb.screens.common.context import sentence_of
from hallweb.songs import song_files, stem_files, uploads
from hallweb.songs.models import Song, Upload
from highhall.errors import CoreError
from highhall.interchange.channels import ManyChannels

Work = Callable[[], dict[str, object]]


def _answered(work: Work) -> JsonResponse:
    """Do a part of an upload and say what came of it, or in a sentence why not."""
    try:
        return JsonResponse(work())
    except stem_files.ChannelsNotChosenError as error:
        return JsonResponse({"error": sentence_of(error), "channels": error.channels}, status=422)
    except uploads.WrongOffsetError as error:
        return JsonResponse({"error": sentence_of(error)}, status=409)
    except CoreError as error:
        return JsonResponse({"error": sentence_of(error)}, status=422)


def _own_upload(request: HttpRequest, upload_id: int) -> Upload:
    """Return an upload of this user, for a song that they may change, or of a whole song; else answer 404."""
    seen = Q(song=None) | Q(song__in=Song.objects.editable_by(request.user))
    return get_object_or_404(Upload.objects.select_related("song"), seen, pk=upload_id, owner_id=request.user.pk)


def _begun(request: HttpRequest, song: Song | None, require_name: Callable[[str], None], largest: int) -> JsonResponse:
    said, user = inputs(request), user_of(request)

    def work() -> dict[str, object]:
        name = said.text("name")
        require_name(name)
        size, modified = said.large("size"), said.large("modified")
        upload = uploads.open_upload(user, song, name, size, modified, largest=largest)
        address = reverse("uploads:receive", args=[upload.pk])
        return {"url": address, "received": uploads.received(upload)}

    return _answered(work)


@login_required
@require_POST
def begin_stem(request: HttpRequest, song_id: int) -> JsonResponse:
    """Open an upload of a stem; answer where to send it and how much of it is here."""
    song = editable_song(request, song_id)
    return _begun(request, song, stem_files.require_sound_name, stem_files.LARGEST_BYTES)


@login_required
@require_POST
def begin_song(request: HttpRequest) -> JsonResponse:
    """Open an upload of a whole song; answer where to send it and how much of it is here."""
    return _begun(request, None, song_files.require_song_name, song_files.LARGEST_BYTES)


@login_required
@require_POST
def receive(request: HttpRequest, upload_id: int) -> JsonResponse:
    """Take the next part of a file as the body; `X-Offset` says where in the file it belongs."""
    upload = _own_upload(request, upload_id)
    offset = request.headers.get("X-Offset", "")
    start = int(offset) if offset.isascii() and offset.isdecimal() and len(offset) < 18 else -1
    return _answered(lambda: {"received": uploads.receive(upload, start, request.read)})


@login_required
@require_POST
def finish(request: HttpRequest, upload_id: int) -> JsonResponse:
    """Check a file that has come in whole and make it a stem of its song, or a song."""
    upload, said = _own_upload(request, upload_id), inputs(request)
    return _answered(lambda: _stored(upload, said.text("channels"), said.text("digest")))


def _stored(upload: Upload, channels: str, digest: str) -> dict[str, object]:
    if upload.song:
        many = ManyChannels(channels) if channels in set(ManyChannels) else ManyChannels.REFUSE
        return {"path": stem_files.store_stem(upload.song, upload, many, digest).path}
    song = song_files.open_song_file(upload.owner, upload, digest)
    ask_to_analyse(song.stems.all(), song.sample_rate)
    return {"page": song.get_absolute_url()}


@login_required
@require_POST
def drop(request: HttpRequest, upload_id: int) -> HttpResponse:
    """Forget a file that was not finished."""
    uploads.drop(_own_upload(request, upload_id))
    return HttpResponse()


app_name = "uploads"
urlpatterns = [
    path("songs/<int:song_id>/uploads/", begin_stem, name="begin-stem"),
    path("songs/open/", begin_song, name="begin-song"),
    path("uploads/<int:upload_id>/", receive, name="receive"),
    path("uploads/<int:upload_id>/finish/", finish, name="finish"),
    path("uploads/<int:upload_id>/drop/", drop, name="drop"),
]
