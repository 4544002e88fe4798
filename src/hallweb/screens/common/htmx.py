"""What we read from and say to htmx 2, in one place."""

import json
from typing import Any

from django.http import HttpRequest, HttpResponse

PLAN_CHANGED = "plan-changed"
CHANGED_ELSEWHERE = "changed-elsewhere"


def wants_part(request: HttpRequest) -> bool:
    """Whether only a part of the page is asked for."""
    return request.headers.get("HX-Request") == "true" and request.headers.get("HX-History-Restore-Request") != "true"


def say_plan_changed(response: HttpResponse, ahead: dict[str, Any] | None = None, **more: object) -> HttpResponse:
    """Let the page know that what is heard has changed; `ahead` are the segments that are heard next, `more` what goes with it."""
    response["HX-Trigger"] = json.dumps({PLAN_CHANGED: {"ahead": ahead, **more}}) if ahead else PLAN_CHANGED
    return response


def say_changed_elsewhere(response: HttpResponse) -> HttpResponse:
    """Let the page know that it does not show all that was changed: it is drawn anew."""
    response["HX-Trigger-After-Settle"] = CHANGED_ELSEWHERE
    return response


def nothing_to_show() -> HttpResponse:
    """Answer a part of the page that asks by itself when what it tells of was removed meanwhile: the part stays as it is."""
    return HttpResponse(status=204)


def vary_on_part(response: HttpResponse) -> HttpResponse:
    """Mark a response that differs between page and part of the same address."""
    response["Vary"] = "HX-Request"
    return response
