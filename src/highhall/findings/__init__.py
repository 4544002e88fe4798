"""Findings: what is likely to be a mistake in a song's depth, with the evidence and an edit that mends it."""

from highhall.findings.finding import FAULT, LOOK, NOTE, SEVERITIES, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.findings.kinds import KINDS
from highhall.findings.looking import STRICTNESS, look, look_and_mend, take

__all__ = [
    "FAULT",
    "KINDS",
    "LOOK",
    "NOTE",
    "SEVERITIES",
    "STRICTNESS",
    "Evidence",
    "Finding",
    "Heard",
    "Kind",
    "Mending",
    "look",
    "look_and_mend",
    "take",
]
