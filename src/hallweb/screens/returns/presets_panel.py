"""The panel of presets: those that ship, and those that the user has saved."""

from typing import Any

from django.http import HttpRequest

from hallweb.inputs import inputs
from hallweb.songs.models import Preset
from highhall.plan import Plan
from highhall.plan.starting_points import sets_for


def presets_context(request: HttpRequest, plan: Plan, *, is_open: bool | None = None) -> dict[str, Any]:
    """Return what the panel shows, or that it is closed."""
    said = inputs(request)
    if not (said.text("panel") == "presets" if is_open is None else is_open):
        return {"presets": None}
    tempo = plan.song.tempos[0]
    quarters = float(tempo.bpm * tempo.beat.whole_notes * 4)
    own = [
        {"row": row, "names": [r["name"] for r in row.document["returns"]], "note": row.document["note"]}
        for row in Preset.objects.filter(owner=request.user.pk)
    ]
    starting = [
        {"set": s, "suits": s.suits(quarters), "names": [name for name, _ in s.returns]} for s in sets_for(quarters)
    ]
    return {"presets": {"own": own, "starting": starting, "quarters": quarters}}
