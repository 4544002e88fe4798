"""`python -m highhall.plan.reference DIR` writes what docs say of the format from the tables themselves."""

import json
import sys
from collections.abc import Iterable, Iterator
from pathlib import Path

from highhall.plan.format import plan_schema
from highhall.plan.json.records import codec_of
from highhall.plan.kinds import FILTER_PARAMETERS, KINDS, Parameter, Scale


def kinds_page() -> str:
    """Return the page of all kinds of step and their parameters as Markdown."""
    lines = [
        "# Kinds of effect",
        "",
        "Made from the table in `src/highhall/plan/kinds/` by `bin/docs`; do not edit.",
        "A movable parameter can be automated; a required one has no default.",
    ]
    for kind in KINDS.values():
        called = "" if kind.label.lower() == kind.name else f"Called {kind.label.lower()} on screens. "
        lines += ["", f"## {kind.name}", "", f"{called}{kind.meaning}.", "", *_table(kind.parameters)]
    lines += ["", "## A filter of `tone`", "", *_table(FILTER_PARAMETERS.values())]
    return "\n".join(lines) + "\n"


def _table(parameters: Iterable[Parameter]) -> Iterator[str]:
    yield "| parameter | on screen | meaning | allowed | default | moves | typical | step | advice |"
    yield "|---|---|---|---|---|---|---|---|---|"
    for p in parameters:
        moves = f"yes, {p.scale}" if p.is_movable else ""
        yield f"| `{p.name}` | {p.label} | {p.meaning} | {p.allowed} | {_default(p)} | {moves} | {p.typical} | {_step(p)} | {p.advice} |"


def _step(parameter: Parameter) -> str:
    if not parameter.step:
        return ""
    return f"{'x' if parameter.scale is Scale.LOGARITHMIC else ''}{parameter.step:g}"


def _default(parameter: Parameter) -> str:
    if parameter.is_required:
        return "required"
    if parameter.default_by is not None:
        return ", ".join(f"{choice} {value:g}" for choice, value in parameter.default_by[1].items())
    return f"`{json.dumps(None if parameter.default is None else codec_of(parameter).write(parameter.default))}`"


def main(folder: Path) -> None:
    """Write `kinds.md` and `plan.schema.json` to a folder."""
    (folder / "kinds.md").write_text(kinds_page())
    (folder / "plan.schema.json").write_text(json.dumps(plan_schema(), indent=1) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
