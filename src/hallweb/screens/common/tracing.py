"""Each request has an id, which all log lines have that it leads to, and its time is told to whoever watches over the process."""

import re
import time
import uuid
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse

from hallweb.log_lines import REQUEST_ID
from hallweb.metrics import REQUESTS

_ID = re.compile(r"[0-9a-f]{16,64}")


class Traced:
    """Middleware that gives a request its id, the front's if there is one, and measures it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        said = request.headers.get("X-Request-ID", "")
        known = settings.IS_BEHIND_FRONT and _ID.fullmatch(said)
        REQUEST_ID.set(said if known else uuid.uuid4().hex)
        began = time.perf_counter()
        response = self._get_response(request)
        match = request.resolver_match
        address = match.view_name if match else "unknown"
        REQUESTS.labels(address, response.status_code).observe(time.perf_counter() - began)
        response["X-Request-ID"] = REQUEST_ID.get()
        return response
