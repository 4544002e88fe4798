"""Answers that a browser saves as files."""

from collections.abc import Iterator

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import render
from django.utils.http import content_disposition_header

from hallweb.screens.common.context import sentence_of
from highhall.errors import CoreError


def attached(content: bytes, filename: str, content_type: str) -> HttpResponse:
    """Return a file."""
    response = HttpResponse(content, content_type=content_type)
    response["Content-Disposition"] = content_disposition_header(as_attachment=True, filename=filename)
    return response


def streamed_archive(chunks: Iterator[bytes], filename: str) -> StreamingHttpResponse:
    """Return a ZIP archive while it is made."""
    response = StreamingHttpResponse(chunks, content_type="application/zip")
    response["Content-Disposition"] = content_disposition_header(as_attachment=True, filename=filename)
    return response


def not_saved(request: HttpRequest, error: CoreError) -> HttpResponse:
    """Return a page that says why there is no file; it is a link that was followed, so no notice can be shown."""
    context = {"heading": "There is no file", "problem": sentence_of(error)}
    return render(request, "common/apart.html", context, status=409)
