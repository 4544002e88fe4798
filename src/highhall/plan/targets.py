"""What can move: a value of a send, of a return, or of an effect of a return."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class SendTarget:
    """A send's `level_db`, `on` or `pan`."""

    source: str
    target: str
    param: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ReturnTarget:
    """A return's `level_db`, `pan`, `width` or `mute`."""

    target: str
    param: str


@dataclass(frozen=True, slots=True, kw_only=True)
class EffectTarget:
    """An effect's `on` or a movable parameter, `bands/0/hz` for that of a filter."""

    target: str
    effect: str
    param: str


Target = SendTarget | ReturnTarget | EffectTarget
