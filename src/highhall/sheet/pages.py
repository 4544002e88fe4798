"""A sheet as HTML and as PDF: one template, two leaves a page."""

import atexit
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from types import MappingProxyType
from typing import Any

import jinja2

from highhall.errors import CoreError
from highhall.sheet.content import Sheet

PAPERS: Mapping[str, tuple[float, float]] = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}
"""Width and height in mm (ISO 216, ANSI/ASME Y14.1)."""

NO_FONTS: Mapping[str, Path] = MappingProxyType({})

_HERE = Path(__file__).parent
STYLE = _HERE / "style" / "sheet.css"


class PdfMissingError(CoreError):
    """What makes PDFs is not installed."""


@cache
def _templates() -> jinja2.Environment:
    loader = jinja2.FileSystemLoader(_HERE / "templates")
    return jinja2.Environment(loader=loader, autoescape=True, trim_blocks=True, lstrip_blocks=True)


def leaf_html(sheet: Sheet, number: int) -> str:
    """Return one leaf of a sheet, counted from 1, as a piece of a page; `STYLE` is how it looks."""
    leaf = sheet.leaves[number - 1]
    return _templates().get_template("leaf.html").render(sheet=sheet, leaf=leaf, number=number)


def sheet_html(sheet: Sheet, paper: str = "a4") -> str:
    """Return a whole sheet as a document that needs no other file; paper is a key of `PAPERS`.

    Raises
    ------
    CoreError
        If there is no such paper.
    """
    if paper not in PAPERS:
        raise CoreError(f'there is no paper "{paper}"; there are {", ".join(PAPERS)}')
    width, height = PAPERS[paper]
    pages = [range(start, min(start + 2, len(sheet.leaves))) for start in range(0, len(sheet.leaves), 2)]
    template = _templates().get_template("sheet.html")
    style = STYLE.read_text(encoding="utf-8")
    return template.render(sheet=sheet, pages=pages, width=width, height=height, style=style)


def sheet_pdf(sheet: Sheet, paper: str = "a4", fonts: Mapping[str, Path] = NO_FONTS) -> bytes:
    """Return a whole sheet as a PDF; see `sheet_html`.

    Parameters
    ----------
    fonts: font files to embed, by the family that the style calls; without them the PDF embeds what the machine has.

    Raises
    ------
    PdfMissingError
        If the library for it is not installed.
    """
    try:
        from weasyprint import HTML
    except (ImportError, OSError):
        raise PdfMissingError(
            "a PDF needs WeasyPrint, which is not installed: pip install highhall[pdf], or write --out FILE.html"
        ) from None
    html = HTML(string=sheet_html(sheet, paper), base_url=str(_HERE))  # type: ignore[no-untyped-call]
    styles, font_config = _fonts(tuple(sorted(fonts.items())))
    document: bytes = html.write_pdf(stylesheets=styles, font_config=font_config)  # type: ignore[no-untyped-call]
    return document


@cache
def _fonts(files: tuple[tuple[str, Path], ...]) -> tuple[list[Any], Any]:
    """Read fonts once: unpacking them takes longer than setting a page."""
    from weasyprint import CSS
    from weasyprint.text.fonts import FontConfiguration

    config = FontConfiguration()  # type: ignore[no-untyped-call]
    rules = [f'@font-face {{ font-family: "{family}"; src: url("{path.as_uri()}"); }}' for family, path in files]
    return [CSS(string="\n".join(rules), font_config=config)], config  # type: ignore[no-untyped-call]


atexit.register(_fonts.cache_clear)  # fonts tidy up after themselves, which is too late when the program has ended
