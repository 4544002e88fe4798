"""The plan: a whole design of a song as one immutable, checked value."""

from highhall.plan.model import (
    MAIN,
    Band,
    Group,
    Move,
    Plan,
    Point,
    Return,
    ReturnTarget,
    Section,
    SectionValue,
    Send,
    SendTarget,
    Song,
    Step,
    StepTarget,
    Target,
    Tempo,
    Throw,
    Track,
)
from highhall.plan.parse import parse_plan, plan_from_document
from highhall.plan.problems import PlanRefusedError, Problem
from highhall.plan.serialise import document_of, write_plan

__all__ = [
    "MAIN",
    "Band",
    "Group",
    "Move",
    "Plan",
    "PlanRefusedError",
    "Point",
    "Problem",
    "Return",
    "ReturnTarget",
    "Section",
    "SectionValue",
    "Send",
    "SendTarget",
    "Song",
    "Step",
    "StepTarget",
    "Target",
    "Tempo",
    "Throw",
    "Track",
    "document_of",
    "parse_plan",
    "plan_from_document",
    "write_plan",
]
