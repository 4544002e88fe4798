"""Edits of sections, from the ruler over the tracks and from its fields."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.inputs import inputs
from hallweb.screens.common.context import edited, open_song, refused
from hallweb.screens.song.context import page
from highhall.plan import Plan, Section
from highhall.plan import edits as plan_edits
from highhall.timing import Position
from highhall.wording import EntryError, parse_name, parse_position


def _section_or_404(plan: Plan, key: str) -> Section:
    section = next((section for section in plan.song.sections if section.id == key), None)
    if section is None:
        raise Http404
    return section


@login_required
@require_POST
def add(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add a section and hold it."""
    before = {section.id for section in open_song(request, song_id).plan.song.sections}
    try:
        name = inputs(request).read("name", parse_name)
        start, end = (parse_position(inputs(request).text(field)) for field in ("start", "end"))
    except EntryError as error:
        return refused(request, f"New section: {error}")
    return edited(
        request,
        song_id,
        f"New section {name}",
        lambda plan: plan_edits.add_section(plan, name, start, end),
        lambda state: page(request, state, _new_id(state.plan, before)),
    )


def _new_id(plan: Plan, before: set[str]) -> str:
    return next((section.id for section in plan.song.sections if section.id not in before), "")


@login_required
@require_POST
def set_value(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Rename a section, or let it start or end elsewhere."""
    section = _section_or_404(open_song(request, song_id).plan, key)
    field, text = inputs(request).text("field"), inputs(request).text("value")
    try:
        if field == "name":
            name = parse_name(text)
            return edited(
                request,
                song_id,
                f"Name, {section.name}",
                lambda plan: plan_edits.rename_section(plan, key, name),
                lambda state: page(request, state, key),
            )
        start, end = _moved(section, field, parse_position(text))
    except EntryError as error:
        return refused(request, f"{section.name}: {error}")
    return edited(
        request,
        song_id,
        f"Move {section.name}",
        lambda plan: plan_edits.move_section(plan, key, start, end),
        lambda state: page(request, state, key),
    )


def _moved(section: Section, field: str, to: Position) -> tuple[Position, Position]:
    """Return a section's start and end once one of them, or all of it by whole bars, was moved."""
    match field:
        case "start":
            return to, section.end
        case "end":
            return section.start, to
        case "place":
            by = to.bar - section.start.bar
            return to, Position(section.end.bar + by, section.end.beat)
        case _:
            raise Http404


@login_required
@require_POST
def split(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Part a section in two and hold the second."""
    plan = open_song(request, song_id).plan
    section = _section_or_404(plan, key)
    before = {s.id for s in plan.song.sections}
    try:
        at = inputs(request).read("at", parse_position)
    except EntryError as error:
        return refused(request, f"Split {section.name}: {error}")
    return edited(
        request,
        song_id,
        f"Split {section.name}",
        lambda p: plan_edits.split_section(p, key, at, f"{section.name[:118]} b"),
        lambda state: page(request, state, _new_id(state.plan, before)),
    )


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Remove a section; its stretch has no name then."""
    section = _section_or_404(open_song(request, song_id).plan, key)
    return edited(
        request,
        song_id,
        f"Remove section {section.name}",
        lambda plan: plan_edits.remove_section(plan, key),
        lambda state: page(request, state, ""),
    )
