"""Answers that a browser saves as files."""

from collections.abc import Iterator
from pathlib import Path
from typing import TypeVar

from django.conf import settings
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseRedirect, StreamingHttpResponse
from django.shortcuts import render
from django.utils.encoding import filepath_to_uri
from django.utils.http import content_disposition_header

from hallweb.screens.common.context import sentence_of
from hallweb.songs.lasting import address_of, here
from highhall.errors import CoreError

_Response = TypeVar("_Response", HttpResponse, StreamingHttpResponse)


def attached(content: bytes, filename: str, content_type: str) -> HttpResponse:
    """Return a file."""
    return _named(HttpResponse(content, content_type=content_type), filename)


def sent_file(path: Path, filename: str | None = None) -> HttpResponse | FileResponse:
    """Return a printed file, to be saved under a name if there is one: by the storage or the front, if they can send it."""
    elsewhere = address_of(path, filename) if filename else None
    if elsewhere:
        return HttpResponseRedirect(elsewhere)
    if not here(path).is_file():
        raise Http404
    kind = "audio/flac" if path.suffix == ".flac" else "audio/wav"
    if settings.IS_BEHIND_FRONT:
        response = HttpResponse(content_type=kind)
        response["X-Accel-Redirect"] = filepath_to_uri(f"/{path.relative_to(settings.DATA_DIR).as_posix()}")
        return _named(response, filename) if filename else response
    return FileResponse(path.open("rb"), as_attachment=bool(filename), filename=filename or "", content_type=kind)


def streamed_archive(chunks: Iterator[bytes], filename: str) -> StreamingHttpResponse:
    """Return a ZIP archive while it is made."""
    return _named(StreamingHttpResponse(chunks, content_type="application/zip"), filename)


def _named(response: _Response, filename: str) -> _Response:
    response["Content-Disposition"] = content_disposition_header(as_attachment=True, filename=filename)
    return response


def not_saved(request: HttpRequest, error: CoreError) -> HttpResponse:
    """Return a page that says why there is no file; it is a link that was followed, so no notice can be shown."""
    context = {"heading": "There is no file", "problem": sentence_of(error)}
    return render(request, "common/apart.html", context, status=409)
