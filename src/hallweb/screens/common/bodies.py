"""How large the body of a request may be, before a byte of it is read: forms would be written to disk first, and judged then."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from hallweb.screens.common.failures import too_large
from hallweb.songs.uploads import PART_BYTES

ANONYMOUS_BYTES = 64 << 10
FORM_BYTES = 260 << 20
"""The recording of a sweep is the largest file that comes in a form."""


class LimitBodies:
    """Middleware that refuses bodies which no page of ours sends."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        length = request.META.get("CONTENT_LENGTH") or "0"
        if not length.isascii() or not length.isdecimal() or int(length[:18]) > _largest(request):
            return too_large(request)
        return self._get_response(request)


def _largest(request: HttpRequest) -> int:
    if not request.user.is_authenticated:
        return ANONYMOUS_BYTES
    return PART_BYTES if request.content_type == "application/octet-stream" else FORM_BYTES
