"""A whole first design of a song's depth: from a place for each instrument to spaces and sends for all of them."""

import math
import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from highhall.depth.deepening import deepen
from highhall.depth.model import DepthModel
from highhall.depth.placing import LevelChange, Placed, level_changes, place
from highhall.depth.spaces import is_space
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.plan.edits import add_return, effect_of_kind
from highhall.plan.edits.wishes import Wish
from highhall.plan.kinds import filter_params
from highhall.timing import Position

ROWS_M: Mapping[str, float] = {"front": 2.0, "middle": 4.2, "back": 8.0}
"""What a row stands for, in metres."""

DRY = "dry"
NO_FACTORS: Mapping[str, float] = MappingProxyType({})
VERSES_NEARER = 0.85
"""So many times as deep as the rest of the song is a section whose name says that it is a verse."""

_DRY_WORDS = {"bass", "kick", "sub", "bassdrum"}
_SUNG_OR_BLOWN = {"voice", "voices", "vox", "vocal", "vocals", "clarinet", "flute", "recorder", "trombone"}
_FRONT_WORDS = {"lead", "vox", "vocal", "vocals", "solo", "snare", "shaker", "shakers", "hat", "hihat", "main", "rap"}
_BACK_WORDS = {
    "pad", "pads", "strings", "choir", "back", "backing", "bvox", "bv", "harmony", "harmonies", "organ", "harmonium", "drone",
    "ambience", "atmos", "fx", "whistle", "horns", "brass", "gong", "timpani", "double", "doubles",
}  # fmt: skip
_BACK_GROUPS = {"pad", "pads", "choir", "backing", "ambience", "fx"}
_BRIGHT_HZ = 3000.0
_SPACES = (("Room", "room", 0.6, 12.0), ("Chamber", "chamber", 1.4, 24.0), ("Hall", "hall", 2.8, 32.0))
"""What is built where a song has no spaces: name, space, about how long, pre-delay in ms."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """A first design: the plan, where each source was put (metres, or dry), what became of it, and what was built for it."""

    plan: Plan
    places: Mapping[str, float | None]
    placed: tuple[Placed, ...]
    changes: tuple[LevelChange, ...]
    built: tuple[str, ...]


def proposed_row(name: str, group: str = "", brightness_hz: float | None = None) -> tuple[str, str]:
    """Return where an instrument belongs by its name, its group's, and how bright it is, and why.

    Bass and kick are dry, leads in front, backing voices and pads behind, bright percussion before dark; all else in between.
    """
    words, group_words = (set(re.findall(r"[^\W\d_]+", text.lower())) for text in (name, group))
    if words & _DRY_WORDS and not words & _SUNG_OR_BLOWN:
        return DRY, "carries the low end"
    if words & _BACK_WORDS:
        return "back", "backs the others"
    if words & _FRONT_WORDS:
        return "front", "leads"
    if group_words & {"rhythm", "drums", "percussion", "perc"}:
        is_bright = brightness_hz is not None and brightness_hz > _BRIGHT_HZ
        return ("front", "bright rhythm") if is_bright else ("middle", "dark rhythm")
    return ("back", "backs the others") if group_words & _BACK_GROUPS else ("middle", "in between")


def proposed_rows(model: DepthModel) -> dict[str, tuple[str, str]]:
    """Return in which row every track of a plan belongs, and why."""
    plan = model.plan
    groups = {group.id: group.name for group in plan.groups}
    return {
        track.id: proposed_row(track.name, groups.get(track.group or "", ""), model.brightness_hz(track.id))
        for track in plan.tracks
    }


def proposed_places(model: DepthModel) -> dict[str, float | None]:
    """Return where every track of a plan belongs, in metres; None is dry."""
    return {track: ROWS_M.get(row) for track, (row, _) in proposed_rows(model).items()}


def section_factors(
    plan: Plan, verses: float = VERSES_NEARER, own: Mapping[str, float] = NO_FACTORS
) -> dict[str, float]:
    """Return how many times as deep every section is to be: its own factor, that of verses, or 1."""
    return {
        section.id: own.get(section.id, verses if "verse" in section.name.lower() else 1.0)
        for section in plan.song.sections
    }


def draft(
    model: DepthModel,
    places: Mapping[str, float | None] | None = None,
    *,
    left: Collection[str] = (),
    verses: float = VERSES_NEARER,
    factors: Mapping[str, float] = NO_FACTORS,
) -> Draft:
    """Return a first design: spaces where there are none, sends of all sources that sound, verses nearer than the rest.

    Parameters
    ----------
    places: metres by track, None for dry; tracks that it does not name are put where `proposed_places` says. left: tracks that
    stay as they are. verses: how many times as deep verses are; 1 leaves them as the rest. factors: the same for other sections,
    by id, or for single verses.

    Raises
    ------
    CoreError
        If a track is not there, or no track sounds.
    """
    plan = model.plan
    known = {track.id for track in plan.tracks}
    for track_id in places or {}:
        if track_id not in known:
            raise CoreError(f'there is no track "{track_id}" to place')
    wanted = {**proposed_places(model), **(places or {})}
    heard = [
        track.id
        for track in plan.tracks
        if track.id not in left and model.readings[track.id, None].dry_power is not None
    ]
    wishes: dict[Wish, float] = {(track_id, None): far for track_id in heard if (far := wanted[track_id]) is not None}
    if not wishes:
        raise CoreError("nothing is to be placed: no track that sounds has a place")
    with_spaces, built = _with_spaces(plan)
    found = place(model.edited(with_spaces), wishes)
    deepened = _deepened(model.edited(found.plan), section_factors(plan, verses, factors))
    changes = tuple(level_changes(plan, deepened))
    return Draft(plan=deepened, places=wanted, placed=found.placed, changes=changes, built=tuple(built))


def _with_spaces(plan: Plan) -> tuple[Plan, list[str]]:
    """Return the plan with three spaces, from short to long, if it has none; and their ids."""
    if any(is_space(return_) for return_ in plan.returns):
        return plan, []
    beat_s = plan.song.time.seconds_of(plan.song.tempos[0].beat, Position(1))
    built = []
    for name, space, about_s, pre_delay_ms in _SPACES:
        decay_s = _in_half_beats(about_s, beat_s)
        chain = (
            effect_of_kind(
                "reverb", "reverb", {"space": space, "decay_s": decay_s, "pre_delay": f"{pre_delay_ms:g}ms"}
            ),
            effect_of_kind("tone", "tone", filter_params(("low_cut", 220), ("high_cut", 9000))),
        )
        plan, key = add_return(plan, name, chain)
        built.append(key)
    return plan, built


def _in_half_beats(about_s: float, beat_s: float) -> float:
    """Return the decay next to a length that ends on a half beat."""
    half = beat_s / 2
    return round(max(round(about_s / half), 1) * half, 3)


def _deepened(model: DepthModel, factors: Mapping[str, float]) -> Plan:
    plan = model.plan
    for section, factor in factors.items():
        if not math.isclose(factor, 1.0):
            try:
                plan = deepen(model.edited(plan), section, factor).plan
            except CoreError:
                continue  # nothing of it is heard in a space
    return plan
