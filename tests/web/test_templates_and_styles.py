"""Templates and styles can be read, use each other's classes, and stand on the theme as it is written."""

import hashlib
import re
from pathlib import Path

import pytest

WEB = Path(__file__).parents[2] / "src/hallweb"
TEMPLATES = sorted(WEB.rglob("*.html"))
STYLES = sorted(WEB.rglob("screens/**/*.css"))
THEME = sorted(WEB.glob("theme/*.scss"))
SCRIPTS = sorted(WEB.rglob("screens/**/*.js"))
BOOTSTRAP = WEB / "static/vendor/bootstrap.min.css"
MADE_OF_WORDS = ("is-", "tint-", "line-", "hatch-", "ev-")
"""What the names of classes begin with that templates make of a word, such as tint-{{ style.tint }}."""


def words_of(paths: list[Path]) -> set[str]:
    return set(re.findall(r"[\w-]+", "\n".join(path.read_text() for path in paths)))


def classes_named_by(path: Path) -> set[str]:
    """The classes in the selectors of a style sheet."""
    selectors = re.sub(r"\{[^{}]*\}", " ", path.read_text().replace("@layer app {", ""))
    return set(re.findall(r"\.([a-zA-Z][\w-]*)", selectors))


@pytest.mark.parametrize("path", [*TEMPLATES, *STYLES, *THEME], ids=lambda path: path.name)
def test_no_line_is_longer_than_140_characters(path: Path) -> None:
    long = {number: line[:60] for number, line in enumerate(path.read_text().splitlines(), 1) if len(line) > 140}
    assert not long


@pytest.mark.parametrize("path", STYLES, ids=lambda path: path.name)
def test_a_style_has_one_declaration_a_line(path: Path) -> None:
    assert not [line for line in path.read_text().splitlines() if line.count(";") > 1]


@pytest.mark.parametrize("path", STYLES, ids=lambda path: path.name)
def test_every_class_of_a_style_is_used(path: Path) -> None:
    unused = classes_named_by(path) - words_of([*TEMPLATES, *SCRIPTS])
    assert not {name for name in unused if not name.startswith(MADE_OF_WORDS)}


def test_every_class_of_a_template_is_bootstraps_or_ours() -> None:
    known = set(re.findall(r"\.([a-zA-Z][\w-]*)", BOOTSTRAP.read_text())) | words_of(SCRIPTS)
    known |= {name for path in STYLES for name in classes_named_by(path)}
    unknown = {}
    for path in TEMPLATES:
        for value in re.findall(r'class="([^"]*)"', path.read_text()):
            names = re.sub(r"\{%.*?%\}|\{\{.*?\}\}", " ", value).split()
            unknown |= {name: path.name for name in names if name not in known and not name.endswith("-")}
    assert not unknown


def test_bootstrap_was_built_from_the_theme_as_it_is() -> None:
    sources = b"".join(path.read_bytes() for path in THEME)
    assert f"theme {hashlib.sha256(sources).hexdigest()[:16]} " in BOOTSTRAP.read_text()[:200], "run bin/theme"
