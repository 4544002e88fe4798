"""Templates and styles can be read: no line over 140 characters, one declaration a line."""

from pathlib import Path

import pytest

WEB = Path(__file__).parents[2] / "src" / "hallweb"
FILES = [path for suffix in ("html", "css") for path in WEB.rglob(f"*.{suffix}") if "vendor" not in path.parts]


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.name)
def test_no_line_is_longer_than_140_characters(path: Path) -> None:
    long = {number: line[:60] for number, line in enumerate(path.read_text().splitlines(), 1) if len(line) > 140}
    assert not long


@pytest.mark.parametrize("path", [path for path in FILES if path.suffix == ".css"], ids=lambda path: path.name)
def test_styles_have_one_declaration_a_line(path: Path) -> None:
    crowded = [line for line in path.read_text().splitlines() if line.count(";") > 1 and "url(" not in line]
    assert not crowded
