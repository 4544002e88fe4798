"""What ships with High Hall and under which licence: a CycloneDX 1.5 document, or with --licences a table.

Run by `bin/inventory`. Python packages are those that requirements/web.txt pins, with what their own metadata says of a licence; beside them
stands what lies in the repository.
"""

import json
import re
import sys
from importlib.metadata import PackageNotFoundError, metadata
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
VENDOR = ROOT / "src" / "hallweb" / "static" / "vendor"


class Component(NamedTuple):
    """Something that ships, its version and its licence."""

    name: str
    version: str
    licence: str
    kind: str


def packages() -> list[Component]:
    """Return the pinned Python packages that are installed here."""
    pins = re.findall(r"^([A-Za-z0-9._-]+)==(\S+)", (ROOT / "requirements" / "web.txt").read_text(), re.MULTILINE)
    return [Component(name, version, _licence(name), "pypi") for name, version in pins]


def _licence(name: str) -> str:
    try:
        facts = metadata(name)
    except PackageNotFoundError:
        return "not installed here"
    classified = [
        each.rpartition(" :: ")[2] for each in facts.get_all("Classifier") or () if each.startswith("License ::")
    ]
    said = facts.get("License-Expression") or ", ".join(classified) or (facts.get("License") or "").partition("\n")[0]
    return said or "not said"


def vendored() -> list[Component]:
    """Return what lies in the repository, with the version that it says itself."""
    bootstrap = re.search(r"Bootstrap v([\d.]+)", (VENDOR / "bootstrap.bundle.min.js").read_text()[:200])
    htmx = re.search(r'version:"([\d.]+)"', (VENDOR / "htmx.min.js").read_text())
    return [
        Component("bootstrap", bootstrap[1] if bootstrap else "", "MIT", "npm"),
        Component("htmx.org", htmx[1] if htmx else "", "0BSD", "npm"),
        Component("Federo", "", "OFL-1.1", "font"),
        Component("National Park", "", "OFL-1.1", "font"),
    ]


def document(components: list[Component]) -> dict[str, object]:
    """Return the inventory as CycloneDX 1.5 has it."""
    rows = []
    for each in components:
        row: dict[str, object] = {
            "type": "library",
            "name": each.name,
            "licenses": [{"license": {"name": each.licence}}],
        }
        if each.version:
            row |= {"version": each.version}
        if each.kind in ("pypi", "npm"):
            row |= {"purl": f"pkg:{each.kind}/{each.name.lower()}@{each.version}"}
        rows.append(row)
    about = {"component": {"type": "application", "name": "High Hall"}}
    return {"bomFormat": "CycloneDX", "specVersion": "1.5", "version": 1, "metadata": about, "components": rows}


if __name__ == "__main__":
    found = packages() + vendored()
    if "--licences" in sys.argv:
        sys.stdout.writelines(f"{each.name:32} {each.version:12} {each.licence}\n" for each in found)
    else:
        json.dump(document(found), sys.stdout, indent=1)
