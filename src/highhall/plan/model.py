"""The plan as an immutable value. Ids refer to ids; each part says how it stands in JSON, and nothing here checks more."""

from highhall.plan.design import Edit, Plan
from highhall.plan.effect import Effect, ParameterValue, Params
from highhall.plan.filter import Filter
from highhall.plan.moves import Move, MoveValue, Point, SectionValue, Throw
from highhall.plan.parts import MAIN, Group, Return, Send, Track
from highhall.plan.song import SAMPLE_RATES, Section, Song, Tempo
from highhall.plan.targets import EffectTarget, ReturnTarget, SendTarget, Target
from highhall.plan.wishes import Depth, DepthTarget, Space

__all__ = [
    "MAIN",
    "SAMPLE_RATES",
    "Depth",
    "DepthTarget",
    "Edit",
    "Effect",
    "EffectTarget",
    "Filter",
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
    "Space",
    "Target",
    "Tempo",
    "Throw",
    "Track",
]
