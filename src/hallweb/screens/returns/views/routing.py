"""Sends among returns."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.inputs import inputs, item_or_404
from hallweb.screens.common.chained_sends import chained_send
from hallweb.screens.common.context import edited, open_song, refused
from hallweb.screens.returns.views.returns import page
from highhall.plan.edits import remove_send, set_send
from highhall.plan.kinds import read_level
from highhall.wording import EntryError

_NEW_LEVEL_DB = "-12"


@login_required
@require_POST
def feed_on(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Feed another return at a level, or no longer; a loop is refused with the way that would close it."""
    plan = open_song(request, song_id).plan
    return_ = item_or_404(plan.returns, key)
    other = inputs(request).item("to", plan.returns)
    way = chained_send(plan, return_, other)
    label = f"{return_.name} into {other.name}"
    if inputs(request).text("change") == "remove":
        return edited(
            request, song_id, f"Not {label}", lambda p: remove_send(p, key, other.id), lambda s: page(request, s, key)
        )
    if way.refusal:
        return refused(request, f"{return_.name} cannot feed {other.name}, since {way.refusal}.")
    try:
        level = inputs(request).read("value", read_level, _NEW_LEVEL_DB)
    except EntryError as error:
        return refused(request, str(error))
    return edited(
        request, song_id, label, lambda p: set_send(p, key, other.id, level_db=level), lambda s: page(request, s, key)
    )
