"""`highhall sheet`: write the recall sheet of a plan."""

import argparse
from pathlib import Path

from highhall.cli.depths import opened_model
from highhall.errors import CoreError
from highhall.interchange.audio_files import written_whole
from highhall.sheet import PAPERS, sheet_html, sheet_of, sheet_pdf


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--out", type=Path, required=True, metavar="F.html|F.pdf")
    parser.add_argument("--paper", choices=tuple(PAPERS), default="a4")
    parser.add_argument("--version", default="", help="what the design is called on it, such as its revision")
    parser.add_argument("--date", default="", help="as it is printed on it")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    suffix = options.out.suffix.lower()
    if suffix not in (".html", ".pdf"):
        raise CoreError(f"a sheet is written as .html or .pdf, got {options.out.name}")
    with opened_model(options.plan) as (model, stems):
        sheet = sheet_of(model.plan, stems.responses, version=options.version, date=options.date, depth=model)
    content = sheet_pdf(sheet, options.paper) if suffix == ".pdf" else sheet_html(sheet, options.paper).encode()
    with written_whole(options.out) as temporary:
        temporary.write_bytes(content)
    print(f"{options.out}: {len(sheet.leaves)} leaves, two a page")
    return 0
