"""What a finding is: what is wrong, where, on which evidence, and what would mend it."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from highhall.plan import Plan
from highhall.wording import figure

if TYPE_CHECKING:
    from highhall.findings.heard import Heard

NOTE, LOOK, FAULT = 1, 2, 3
SEVERITIES = {NOTE: "note", LOOK: "look", FAULT: "fault"}

_COUNTED = ("sends", "places")

Line = Sequence[tuple[float, float]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """The numbers that a picture of a finding is drawn from.

    shape: which picture: metres, levels, spectrum, thirds, grid, tail, slope or flow. lines: by what they are called,
    points as (x, y): seconds and dB for levels, tail and slope, third octaves in Hz and dB for spectrum and thirds.
    figures: what is marked, by what it is called. names: what stands in a flow, in its order.
    """

    shape: str
    figures: Mapping[str, float] = field(default_factory=dict)
    lines: Mapping[str, Line] = field(default_factory=dict)
    names: Sequence[str] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """Something that is likely to be a mistake.

    source, return_id, section: where it belongs; empty where it belongs to none, None for the whole song. places: the stretches of the
    song, from and to in seconds, the worst first; none is all of it. figure, unit, limit: what was found and from where on it counts.
    excess: how far past the limit, 0 at it, 1 where a note becomes something to look at; its kind makes the severity of it. title: what is wrong; sentence: why it
    matters, with figures. proposed: the evidence as it would be with the proposal; None where that draws the same picture.
    """

    kind: str
    title: str
    sentence: str
    figure: float
    unit: str
    limit: float
    excess: float
    evidence: Evidence
    severity: int = NOTE
    source: str = ""
    return_id: str = ""
    section: str | None = None
    places: tuple[tuple[float, float], ...] = ()
    proposal: str = ""
    keeps: str = ""
    proposed: Evidence | None = None

    @property
    def id(self) -> str:
        """What it is called as long as it is about the same: kind and where."""
        return "/".join((self.kind, self.source, self.return_id, self.section or "")).rstrip("/")

    @property
    def figures(self) -> str:
        """Its figure and its limit in words; the figure alone where the limit says nothing."""
        if self.unit in _COUNTED:
            return f"{figure(self.figure, 0)} {self.unit}"
        digits = 1 if self.unit in ("dB", "%") else 2
        found, limit = (f"{figure(value, digits)} {self.unit}".strip() for value in (self.figure, self.limit))
        return f"{found}, limit {limit}"

    def is_worse_than(self, figure: float) -> bool:
        """Whether its figure is worse than an earlier one: by 2 dB, or by a fifth."""
        if self.unit == "dB":
            return (self.figure - figure) * (1 if self.figure >= self.limit else -1) > 2
        if self.figure >= self.limit:
            return self.figure > 1.2 * figure
        return self.figure < figure / 1.2


@dataclass(frozen=True, slots=True, kw_only=True)
class Mending:
    """An edit that makes a finding go away: what it changes in figures, what it keeps, and the plan with it."""

    words: str
    keeps: str = ""
    plan: Plan


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind of finding.

    label: what it is called on screens. looks_at: what was looked at, for a list in which nothing was found. least, most: the
    severities that it can have. is_rendered: whether it needs the song to be rendered; else the depth model predicts it. evidence: the
    evidence of a finding in the plan that mends it; None where it is told in words alone.
    """

    name: str
    label: str
    looks_at: str
    look: Callable[["Heard"], Iterator[Finding]]
    mend: Callable[["Heard", Finding], Iterator[Mending]]
    least: int = NOTE
    most: int = FAULT
    is_rendered: bool = False
    evidence: Callable[["Heard", Finding], Evidence | None] | None = None

    def severity(self, excess: float) -> int:
        """Return how severe a finding so far past its limit is."""
        return min(self.least + max(int(excess), 0), self.most)
