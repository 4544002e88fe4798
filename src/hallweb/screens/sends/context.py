"""The Sends matrix: every source against every return, for the whole song or one section."""

from typing import Any

from hallweb.screens.common.chained_sends import chained_send
from hallweb.screens.common.charts import styles
from hallweb.screens.common.level_scale import share_of_scale
from highhall.plan import Plan, SendTarget
from highhall.plan.kinds import PAN
from highhall.wording import figure

BAR_PX = 94
NEW_SEND_DB = -20.0


def matrix_context(plan: Plan, section: str) -> dict[str, Any]:
    """Return what the page shows; `section` chooses whose levels are shown, empty means the sends' own."""
    section = section if any(s.id == section for s in plan.song.sections) else ""
    given = styles(plan.returns)
    crossings = Crossings(plan, section)
    columns = [{"return": r, "style": given[r.id], "facts": _facts(plan, r.id)} for r in plan.returns]

    def cells(source: str) -> list[dict[str, Any]]:
        return [crossings.cell(source, r.id) for r in plan.returns]

    groups = [
        {
            "id": key,
            "name": name,
            "cells": cells(key) if key else [],
            "rows": [{"item": t, "cells": cells(t.id)} for t in tracks],
        }
        for key, name, tracks in _by_group(plan)
    ]
    return {
        "columns": columns,
        "groups": groups,
        "return_rows": [{"item": r, "style": given[r.id], "cells": cells(r.id)} for r in plan.returns]
        if len(plan.returns) > 1
        else [],
        "section": section,
        "bar_px": BAR_PX,
        "ticks": ticks(),
        "critical_m": plan.space.critical_distance_m,
    }


def _by_group(plan: Plan) -> list[tuple[str, str, list[Any]]]:
    named = [(group.id, group.name, list(plan.tracks_in(group.id))) for group in plan.groups]
    loose = list(plan.tracks_in(None))
    return [each for each in named if each[2]] + ([("", "No group", loose)] if loose else [])


def _facts(plan: Plan, return_id: str) -> str:
    """Return in a line what a return's first wet effect does."""
    wet = (effect for effect in plan.return_(return_id).chain if effect.table.makes_wet)
    return next((effect.summary for effect in wet), "no effect yet")


def ticks() -> list[float]:
    """Return where -24 and -12 dB stand on a cell's bar."""
    return [bar_of(db) for db in (-24, -12)]


def bar_of(level_db: float | None) -> float:
    """Return how long a cell's bar is for a level, in px."""
    return share_of_scale(level_db) * BAR_PX


class Crossings:
    """What every crossing of the matrix needs, looked up once."""

    def __init__(self, plan: Plan, section: str) -> None:
        self._plan, self._section = plan, section
        self._styles = styles(plan.returns)
        self._names = plan.names
        self._sends = {(send.source, send.target): send for send in plan.sends}
        self._moves = {
            (move.target.source, move.target.target): move
            for move in plan.moves
            if isinstance(move.target, SendTarget) and move.target.param == "level_db"
        }

    def cell(self, source: str, target: str) -> dict[str, Any]:
        """Return one cell: the level that holds in the section, whether it is set there, or why there can be no send."""
        send = self._sends.get((source, target))
        name = f"{self._names[source]} to {self._names[target]}"
        cell: dict[str, Any] = {
            "source": source,
            "target": target,
            "send": send,
            "name": name,
            "style": self._styles[target],
        }
        if send is None:
            return cell | {"refusal": self._refusal(source, target)}
        move = self._moves.get((source, target))
        here = next((v for v in move.sections if v.section == self._section), None) if move else None
        level_db = here.value if here else send.level_db
        return cell | {
            "level_db": level_db,
            "bar": bar_of(level_db if isinstance(level_db, (int, float)) else None),
            "has_moves": move is not None,
            "is_here": here is not None,
            "pan_text": PAN.figure(send.pan),
            "pan": "" if not send.pan else f"{'L' if send.pan < 0 else 'R'}{figure(abs(send.pan) * 100, 0)}",
        }

    def _refusal(self, source: str, target: str) -> str:
        if source not in self._styles:
            return ""
        if source == target:
            return "itself"
        return chained_send(self._plan, self._plan.return_(source), self._plan.return_(target)).refusal
