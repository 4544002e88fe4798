"""What of the Hall screen is chosen: a section, a source, a distance that is asked for it, and where that holds."""

from dataclasses import dataclass

from django.http import Http404

from hallweb.inputs import Inputs
from highhall.depth.drift import alike_sections
from highhall.depth.spaces import is_space
from highhall.plan import Plan, Section
from highhall.plan.edits.wishes import Wish
from highhall.plan.wishes import FARTHEST_M, NEAREST_M

SCOPES = ("section", "alike", "song")


@dataclass(frozen=True, slots=True)
class HallState:
    """What is chosen.

    section: None where the song has none. asked_m: as it was typed or dragged, None if nothing is asked. refused: the
    returns whose sends are not to change.
    """

    section: Section | None
    source: str
    asked_m: float | None
    scope: str
    refused: frozenset[str]
    keeps_loudness: bool

    @classmethod
    def of(cls, said: Inputs, plan: Plan, playing: Section | None) -> "HallState":
        """Read what a request says; without a section it is the one that is played, or the first."""
        sections = sorted(plan.song.sections, key=lambda section: section.start)
        section = said.item_or_none("section", plan.song.sections) or playing or (sections[0] if sections else None)
        source = said.text("source")
        is_known = source in {track.id for track in plan.tracks}
        scope = said.text("scope") if said.text("scope") in SCOPES else "section"
        return cls(
            section=section,
            source=source if is_known else "",
            asked_m=_metres(said.text("asked")) if is_known else None,
            scope=scope if section else "song",
            refused=frozenset(said.texts("refused")) & {return_.id for return_ in plan.returns},
            keeps_loudness=said.text("keep") == "yes",
        )

    @property
    def place(self) -> str | None:
        """The section that readings are of; None is the whole song."""
        return self.section.id if self.section else None

    def wishes(self, plan: Plan) -> dict[Wish, float]:
        """Return what is asked, by source and section."""
        if self.asked_m is None or not self.source:
            raise Http404
        if self.scope == "song" or self.section is None:
            return {(self.source, None): self.asked_m}
        sections = alike_sections(plan, self.section.id) if self.scope == "alike" else [self.section.id]
        return {(self.source, section): self.asked_m for section in sections}

    def free(self, plan: Plan) -> set[str]:
        """Return the returns into which sends may change."""
        return {return_.id for return_ in plan.returns if is_space(return_)} - self.refused


def _metres(text: str) -> float | None:
    try:
        value = float(text.replace(",", ".").removesuffix("m").strip())
    except ValueError:
        return None
    return min(max(value, NEAREST_M), FARTHEST_M) if value == value else None
