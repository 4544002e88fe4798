"""The table of kinds in docs/findings.md, made from what each kind's module says of itself."""

import re
import sys
from importlib import import_module
from pathlib import Path

from highhall.findings.finding import SEVERITIES, Kind
from highhall.findings.kinds import KINDS

_BEGIN, _END = "<!-- kinds -->\n", "\n<!-- /kinds -->"


def kinds_table() -> str:
    """Return a row for each kind: what is wrong, its limit and why, how severe it can be."""
    head = ["| kind | what is wrong | limit, and why | severity |", "|---|---|---|---|"]
    return "\n".join([*head, *(_row(kind) for kind in KINDS.values())])


def with_table(page: str) -> str:
    """Return the page with its table of kinds as it is now."""
    return re.sub(f"(?s)({_BEGIN}).*?({_END})", lambda found: found[1] + kinds_table() + found[2], page)


def _row(kind: Kind) -> str:
    module = import_module(f"highhall.findings.kinds.{kind.name.replace('-', '_')}")
    said = " ".join((module.__doc__ or "").split())
    what, _, limit = re.split(r" (Limit|No limit but that): ", said)
    severities = dict.fromkeys(SEVERITIES[severity] for severity in (kind.least, kind.most))
    none = "" if " Limit: " in said else "None but that: "
    return f"| `{kind.name}` | {what.rstrip('.')} | {none}{limit} | {' to '.join(severities)} |"


if __name__ == "__main__":
    page = Path(sys.argv[1]) / "findings.md"
    page.write_text(with_table(page.read_text(encoding="utf-8")), encoding="utf-8")
