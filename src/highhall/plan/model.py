"""The plan as an immutable value. Ids refer to ids; each part says how it stands in JSON, and nothing here checks more."""

from highhall.plan.band import Band
from highhall.plan.design import Edit, Plan
from highhall.plan.moves import Move, MoveValue, Point, SectionValue, Throw
from highhall.plan.parts import MAIN, Group, Return, Send, Track
from highhall.plan.song import SAMPLE_RATES, Section, Song, Tempo
from highhall.plan.step import ParameterValue, Params, Step
from highhall.plan.targets import ReturnTarget, SendTarget, StepTarget, Target

__all__ = [
    "MAIN",
    "SAMPLE_RATES",
    "Band",
    "Edit",
    "Group",
    "Move",
    "MoveValue",
    "ParameterValue",
    "Params",
    "Plan",
    "Point",
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
]
