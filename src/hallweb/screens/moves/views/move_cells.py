"""Values by section: set, nudged, ramped, copied, swapped, thrown, many as one edit."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.inputs import inputs
from hallweb.screens.common.context import edited, open_song, refused, sentence_of
from hallweb.screens.moves.changes import Chosen, change_of
from hallweb.screens.moves.entry import posted_cells
from hallweb.screens.moves.views.moves import page
from highhall.errors import CoreError
from highhall.plan.move_table import target_place
from highhall.wording import EntryError


@login_required
@require_POST
def change_cells(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change the chosen cells as one edit: `cell` names each as TARGET|SECTION, `do` says what."""
    opened, said = open_song(request, song_id), inputs(request)
    cells = posted_cells(opened.plan, said.texts("cell"))
    if not cells:
        return refused(request, "Choose values first: click a section of a row, or press Shift with an arrow key.")
    try:
        label, edit = change_of(Chosen(opened, cells, said))
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    first = target_place(opened.plan, cells[0][0])
    more = f" and {len(cells) - 1} more" if len(cells) > 1 else ""
    return edited(request, song_id, f"{label}, {first}{more}", edit, lambda state: page(request, state))
