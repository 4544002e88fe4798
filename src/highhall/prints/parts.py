"""The parts of a song that can be printed, and three ways to cut it into parts that sum to main."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from highhall.errors import CoreError
from highhall.plan import MAIN, Plan
from highhall.plan.isolation import returns_of

KINDS = ("main", "dry", "returns", "groups", "ungrouped", "tracks")
DEFAULT_KINDS = ("main", "dry", "returns", "groups")
CUTS = {
    "dry and returns": ("dry", "returns"),
    "groups and what is in none": ("groups", "ungrouped"),
    "tracks with their space": ("tracks",),
}
_WHOLE = {"main": "Main", "dry": "Dry", "ungrouped": "Ungrouped"}


@dataclass(frozen=True, slots=True)
class Part:
    """One part: what kind it is, and of what. id: of a return, group or track, else the kind.

    is_about: whether it is only about what main holds of it, since something on its way is not linear.
    """

    kind: str
    id: str
    name: str
    is_about: bool = False

    @property
    def key(self) -> str:
        """What it is called among all parts: its kind, and for returns, groups and tracks their id."""
        return self.kind if self.kind in _WHOLE else f"{self.kind}/{self.id}"


def parts_of(plan: Plan, kinds: Sequence[str] = KINDS, ids: Sequence[str] = ()) -> list[Part]:
    """Return the parts of some kinds and those that are named, in the order of a mix.

    ids: of returns, groups and tracks, or "main", "dry", "ungrouped".

    Raises
    ------
    CoreError
        If there is no part of such an id.
    """
    parts = list(_all(plan))
    for wanted in ids:
        if not any(part.id == wanted for part in parts):
            raise CoreError(f'there is no part "{wanted}" to print; there are {", ".join(part.id for part in parts)}')
    return [part for part in parts if part.kind in kinds or part.id in ids]


def part_of(plan: Plan, key: str) -> Part:
    """Return the part of a key; KeyError if there is none."""
    return next(part for part in _all(plan) if part.key == key)


def _all(plan: Plan) -> Iterator[Part]:
    for kind in ("main", "dry"):
        yield Part(kind, kind, _WHOLE[kind])
    for return_ in plan.returns:
        yield Part("returns", return_.id, return_.name)
    for group in plan.groups:
        yield Part("groups", group.id, group.name)
    if plan.groups and (plan.tracks_in(None) or any(return_.output == MAIN for return_ in plan.returns)):
        yield Part("ungrouped", "ungrouped", _WHOLE["ungrouped"])
    for track in plan.tracks:
        yield Part("tracks", track.id, track.name, is_about=_is_about(plan, track.id))


def _is_about(plan: Plan, track_id: str) -> bool:
    chains = (plan.return_(return_id).chain for return_id in returns_of(plan, track_id))
    return any(effect.on and not effect.is_linear for chain in chains for effect in chain)
