"""The recall sheet: a design on paper, with which it can be built again by hand, by whatever makes reverbs and delays."""

from highhall.sheet.content import Leaf, Sheet, sheet_of
from highhall.sheet.pages import PAPERS, PdfMissingError, leaf_html, sheet_html, sheet_pdf

__all__ = ["PAPERS", "Leaf", "PdfMissingError", "Sheet", "leaf_html", "sheet_html", "sheet_of", "sheet_pdf"]
