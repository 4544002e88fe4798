"""Reading a plan from a file."""

from pathlib import Path

from highhall.errors import CoreError
from highhall.plan import Plan, PlanRefusedError, Problem, parse_plan


def read_plan(path: Path) -> Plan:
    """Read a plan whose stems lie in its own folder.

    Raises
    ------
    PlanRefusedError
        If it is not a plan, or a stem leaves the folder through a link.
    CoreError
        If the file is not text.
    """
    try:
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError:
        raise CoreError(f"{path}: a plan is UTF-8 text, this file is not") from None
    plan = parse_plan(text)
    folder = path.resolve().parent
    leaving = [i for i, t in enumerate(plan.tracks) if not (folder / t.stem).resolve().is_relative_to(folder)]
    if leaving:
        text = "leaves the plan's folder through a link; copy the file into the folder"
        raise PlanRefusedError([Problem(f"tracks[{index}].stem", text) for index in leaving])
    return plan
