"""Whether the application lives, whether it can work, and its figures: for what watches over it."""

import shutil
from datetime import timedelta

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.models import Count
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.urls import path
from django.utils import timezone
from django.views.decorators.http import require_safe
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker
from prometheus_client import CONTENT_TYPE_LATEST, generate_latest

from hallweb.metrics import WAITING, WORKERS


@require_safe
def health(request: HttpRequest) -> JsonResponse:  # noqa: ARG001 - a view
    """Answer that the process lives."""
    return JsonResponse({"lives": True})


@require_safe
def ready(request: HttpRequest) -> JsonResponse:  # noqa: ARG001 - a view
    """Answer whether the database answers and the disk has room; 503 if not."""
    state = {"database": _database_answers(), "disk": shutil.disk_usage(settings.DATA_DIR).free > 64 << 20}
    return JsonResponse(state, status=200 if all(state.values()) else 503)


@require_safe
def metrics(request: HttpRequest) -> HttpResponse:
    """Return the figures of this process and of the queue in the Prometheus exposition format, but not through the front."""
    if "X-Forwarded-For" in request.headers:
        raise Http404
    WAITING.clear()
    waiting = ProcrastinateJob.objects.filter(status="todo").values_list("task_name").annotate(Count("pk"))
    for task, count in waiting:
        WAITING.labels(task).set(count)
    alive = timezone.now() - timedelta(seconds=30)
    WORKERS.set(ProcrastinateWorker.objects.filter(last_heartbeat__gt=alive).count())
    return HttpResponse(generate_latest(), content_type=CONTENT_TYPE_LATEST)


def _database_answers() -> bool:
    try:
        with connection.cursor() as cursor:
            cursor.execute("select 1")
    except DatabaseError:
        return False
    return True


app_name = "health"
urlpatterns = [
    path("health/", health, name="health"),
    path("ready/", ready, name="ready"),
    path("metrics/", metrics, name="metrics"),
]
