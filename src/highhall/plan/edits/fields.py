"""What edits may change of a part, by its field; a field that is not given stays as it is."""

from typing import TypedDict

from highhall.plan.model import Effect, Filter, MoveValue
from highhall.timing import Position, TimeValue


class TrackFields(TypedDict, total=False):
    """The fields of a track."""

    name: str
    group: str | None
    stem: str
    start_s: float
    level_db: float | None
    pan: float
    mute: bool


class GroupFields(TypedDict, total=False):
    """The fields of a group."""

    name: str
    level_db: float | None
    mute: bool
    tone: tuple[Filter, ...]


class ReturnFields(TypedDict, total=False):
    """The fields of a return."""

    name: str
    heading: str | None
    level_db: float | None
    width: float
    pan: float
    mute: bool
    output: str
    chain: tuple[Effect, ...]


class FaderFields(TypedDict, total=False):
    """The fields that a new return is given beside its name and chain."""

    level_db: float | None
    width: float
    pan: float
    mute: bool
    output: str


class SendFields(TypedDict, total=False):
    """The fields of a send."""

    level_db: float | None
    send_point: str
    pan: float
    on: bool


class ThrowFields(TypedDict, total=False):
    """The fields of a throw."""

    at: Position
    length: TimeValue
    value: MoveValue
    ramp_in: TimeValue | None
    ramp_out: TimeValue | None


class Where(TypedDict, total=False):
    """Where levels of sends hold: in the whole song, or in one section, reached by a ramp before it."""

    section: str | None
    ramp: TimeValue | None
