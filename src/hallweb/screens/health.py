"""Whether the application lives, and whether it can work: for what watches over it."""

import shutil

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import HttpRequest, JsonResponse
from django.urls import path
from django.views.decorators.http import require_safe


@require_safe
def health(request: HttpRequest) -> JsonResponse:  # noqa: ARG001 - a view
    """Answer that the process lives."""
    return JsonResponse({"lives": True})


@require_safe
def ready(request: HttpRequest) -> JsonResponse:  # noqa: ARG001 - a view
    """Answer whether the database answers and the disk has room; 503 if not."""
    state = {"database": _database_answers(), "disk": shutil.disk_usage(settings.DATA_DIR).free > 64 << 20}
    return JsonResponse(state, status=200 if all(state.values()) else 503)


def _database_answers() -> bool:
    try:
        with connection.cursor() as cursor:
            cursor.execute("select 1")
    except DatabaseError:
        return False
    return True


app_name = "health"
urlpatterns = [path("health/", health, name="health"), path("ready/", ready, name="ready")]
