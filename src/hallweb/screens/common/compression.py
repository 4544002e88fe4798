"""Pages and lists are sent compressed; sound is not, since it is packed already."""

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware

_PACKED_WELL = ("text/", "application/json")


class CompressText(GZipMiddleware):
    """Django's compression, for text alone. It adds random bytes, so that lengths tell nothing (BREACH)."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """Compress a page or a list; leave anything else as it is."""
        if not response.headers.get("Content-Type", "").startswith(_PACKED_WELL):
            return response
        return super().process_response(request, response)
