"""`python -m highhall.plan.reference DIR` writes what docs say of the format from the tables themselves."""

import json
import sys
from collections.abc import Iterator
from pathlib import Path

from highhall.plan.kinds import BAND_PARAMETERS, KINDS, Parameter, Scale
from highhall.plan.schema import plan_schema


def kinds_page() -> str:
    """Return the page of all kinds of step and their parameters as Markdown."""
    lines = [
        "# Kinds of step",
        "",
        "Made from the table in `src/highhall/plan/kinds/` by `bin/docs`; do not edit.",
        "A movable parameter can be automated; a required one has no default.",
    ]
    for kind in KINDS.values():
        lines += ["", f"## {kind.name}", "", f"{kind.meaning}.", "", *_table(kind.parameters)]
    lines += ["", "## A band of `tone`", "", *_table(BAND_PARAMETERS)]
    return "\n".join(lines) + "\n"


def _table(parameters: tuple[Parameter, ...]) -> Iterator[str]:
    yield "| parameter | meaning | allowed | default | moves | typical | step | advice |"
    yield "|---|---|---|---|---|---|---|---|"
    for p in parameters:
        moves = f"yes, {p.scale}" if p.is_movable else ""
        yield f"| `{p.name}` | {p.meaning} | {p.allowed} | {_default(p)} | {moves} | {p.typical} | {_step(p)} | {p.advice} |"


def _step(parameter: Parameter) -> str:
    if not parameter.step:
        return ""
    return f"{'x' if parameter.scale is Scale.LOGARITHMIC else ''}{parameter.step:g}"


def _default(parameter: Parameter) -> str:
    if parameter.is_required:
        return "required"
    if parameter.by_space is not None:
        return ", ".join(f"{space} {value:g}" for space, value in parameter.by_space.items())
    return f"`{json.dumps(parameter.default)}`"


def main(folder: Path) -> None:
    """Write `kinds.md` and `plan.schema.json` to a folder."""
    (folder / "kinds.md").write_text(kinds_page())
    (folder / "plan.schema.json").write_text(json.dumps(plan_schema(), indent=1) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
