"""Values by section: set, nudged, ramped, copied, swapped, thrown, many as one edit."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.screens.common.context import edited, open_song, refused, sentence_of
from hallweb.screens.moves.entry import parse_value, posted_cells
from hallweb.screens.moves.views.moves import sheet
from hallweb.screens.moves.views.throws import throwing
from hallweb.songs.actions import SongState
from highhall.errors import CoreError
from highhall.plan import Edit, Plan, Target
from highhall.plan.edits import clear_cells, copy_section, nudge_cells, remove_move, set_cells, set_ramps, swap_returns
from highhall.plan.edits.moves import Cell
from highhall.plan.model import MoveValue
from highhall.plan.move_table import target_place
from highhall.wording import EntryError, parse_length, parse_number


@login_required
@require_POST
def change_cells(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change the chosen cells as one edit: `cell` names each as TARGET|SECTION, `do` says what."""
    opened = open_song(request, song_id)
    cells = posted_cells(opened.plan, request.POST.getlist("cell"))
    if not cells:
        return refused(request, "Choose values first: click a section of a row, or press Shift with an arrow key.")
    try:
        label, edit = _edit_of_cells(request, opened, cells)
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    first = target_place(opened.plan, cells[0][0])
    more = f" and {len(cells) - 1} more" if len(cells) > 1 else ""
    return edited(request, song_id, f"{label}, {first}{more}", edit, lambda state: sheet(request, state))


def _edit_of_cells(request: HttpRequest, opened: SongState, cells: list[Cell]) -> tuple[str, Edit]:
    post, plan = request.POST, opened.plan
    text = post.get("value", "")
    targets = list(dict.fromkeys(target for target, _ in cells))
    match post.get("do"):
        case "set" if not text.strip():
            return "As in the song", lambda p: clear_cells(p, cells)
        case "set":
            values: dict[Cell, MoveValue] = {cell: parse_value(plan, cell[0], text) for cell in cells}
            return "Set", lambda p: set_cells(p, values)
        case "nudge":
            by_db = parse_number(text, "Type by how many dB, such as 0.5 or -2.")
            return "Nudge", lambda p: nudge_cells(p, cells, by_db)
        case "clear":
            return "As in the song", lambda p: clear_cells(p, cells)
        case "paste":
            pasted = {
                cell: parse_value(plan, cell[0], each) for cell, each in zip(cells, post.getlist("level"), strict=False)
            }
            return "Paste", lambda p: set_cells(p, pasted)
        case "ramp":
            side = post.get("side", "before")
            if side not in {"before", "after"}:
                raise Http404
            ramp = parse_length(text) if text.strip() else None
            return "Ramp", lambda p: set_ramps(p, cells, ramp, side)
        case "like":
            source = post.get("like", "")
            if not any(section.id == source for section in plan.song.sections):
                raise EntryError("Choose the section that these are to be like.")
            add_db = parse_number(text or "0", "Type by how many dB louder, such as 2.")
            sections = dict.fromkeys(section for _, section in cells)
            return f"Like {plan.song.section(source).name}", lambda p: _copied(p, targets, source, sections, add_db)
        case "swap":
            goals = {target.target for target, _ in cells}
            other = post.get("like", "")
            if len(goals) != 1 or not any(r.id == other for r in plan.returns):
                raise EntryError("Choose the return to swap with.")
            first = goals.pop()
            sections = dict.fromkeys(section for _, section in cells)
            return f"Swap with {plan.return_(other).name}", lambda p: _swapped(p, first, other, sections)
        case "throw" | "fill" | "ring" as what:
            return throwing(request, opened, cells, what)
        case "still":
            return "Stand still", lambda p: _stilled(p, targets)
    raise Http404


def _copied(plan: Plan, targets: list[Target], source: str, sections: dict[str, None], add_db: float) -> Plan:
    for section in sections:
        plan = copy_section(plan, targets, source, section, add_db=add_db)
    return plan


def _swapped(plan: Plan, first: str, other: str, sections: dict[str, None]) -> Plan:
    for section in sections:
        plan = swap_returns(plan, first, other, section)
    return plan


def _stilled(plan: Plan, targets: list[Target]) -> Plan:
    for target in targets:
        plan = remove_move(plan, target)
    return plan
