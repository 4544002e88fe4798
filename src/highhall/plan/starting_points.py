"""Where to start from: settings of effects, and sets of returns by character and tempo, each with when to use it.

Settings of effects stand with their kinds. All are plain values as a plan's JSON writes them, so whatever reads plans reads them.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from highhall.plan.edits import effect_of_kind
from highhall.plan.kinds import KINDS, filter_params
from highhall.plan.model import Effect, Return

Params = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class StartingPoint:
    """Settings of one effect; `when` says what they are for."""

    id: str
    name: str
    kind: str
    params: Params
    when: str

    @property
    def effect(self) -> Effect:
        """The effect that it sets."""
        return effect_of_kind(self.kind, self.kind, self.params)


@dataclass(frozen=True, slots=True)
class StartingSet:
    """Returns that make one depth together; made for tempos from `slowest_bpm` to `fastest_bpm` in quarters."""

    id: str
    name: str
    slowest_bpm: float
    fastest_bpm: float
    returns: Sequence[tuple[str, Sequence[tuple[str, Params]]]]
    when: str

    def made(self) -> tuple[Return, ...]:
        """Return its returns, with ids made of their names."""
        made = []
        for name, chain in self.returns:
            effects: list[Effect] = []
            for kind, params in chain:
                effect_id = kind if all(effect.kind != kind for effect in effects) else f"{kind}-{len(effects) + 1}"
                effects.append(effect_of_kind(kind, effect_id, params))
            made.append(Return(id=name.lower().replace(" ", "-"), name=name, chain=tuple(effects)))
        return tuple(made)

    def suits(self, bpm: float) -> bool:
        """Whether it is made for a tempo in quarters a minute."""
        return self.slowest_bpm <= bpm <= self.fastest_bpm


_CLEAN = ("tone", filter_params(("low_cut", 220), ("high_cut", 9000)))
_THIN = ("tone", filter_params(("low_cut", 350), ("high_cut", 6500)))
_DARK = ("tone", filter_params(("low_cut", 180), ("high_cut", 4500)))

STARTING_POINTS: tuple[StartingPoint, ...] = tuple(
    StartingPoint(start.id, start.name, kind.name, start.params, start.when)
    for kind in KINDS.values()
    for start in kind.starts
)
"""Those of all kinds. Impulse and ducker have none: they need a response, or a track, of the song."""

STARTING_SETS: tuple[StartingSet, ...] = (
    StartingSet("close-and-dry", "Close and dry", 60, 200, (
        ("Near Room", (("reverb", {"space": "room", "decay_s": 0.4, "early_db": 1, "size": 0.8}), _CLEAN)),
        ("Slap", (("echo", {"left": "85ms", "right": "110ms", "low_cut_hz": 250, "high_cut_hz": 5000}),)),
        ("Width", (("doubler", {}), _THIN)),
    ), "Words and rhythm first: singer and songwriter, rap, speech over music."),
    StartingSet("one-room", "One room", 70, 190, (
        ("Room", (("reverb", {"space": "room", "decay_s": 0.75, "size": 1.3}), _CLEAN)),
        ("Chamber", (("reverb", {"space": "chamber", "decay_s": 1.2, "pre_delay": "1/64"}), _CLEAN)),
        ("Eighths", (("echo", {"left": "1/8", "right": "1/8.", "feedback": 0.25, "low_cut_hz": 250, "high_cut_hz": 4500}),)),
    ), "A band that should sound as if it played together."),
    StartingSet("bright-and-fast", "Bright and fast", 110, 200, (
        ("Quick Plate", (("reverb", {"space": "plate", "decay_s": 1.0, "high_ratio": 0.85, "pre_delay": "1/64"}), _THIN)),
        ("Drum Room", (("reverb", {"space": "room", "decay_s": 0.5, "early_db": 2}), _CLEAN)),
        ("Eighth Echo", (("echo", {"left": "1/8.", "right": "1/8", "feedback": 0.3, "low_cut_hz": 300, "high_cut_hz": 6000}),)),
        ("Spread", (("chorus", {"rate": 0.6, "depth": 0.4}), _THIN)),
    ), "Pop and dance: depth that is over before the next beat."),
    StartingSet("slow-and-wide", "Slow and wide", 40, 95, (
        ("Long Plate", (("reverb", {"space": "plate", "decay_s": 2.4, "pre_delay": "1/32"}), _CLEAN)),
        ("Wide Hall", (("reverb", {"space": "hall", "decay_s": 3.8, "pre_delay": "1/16", "early_db": -9}), _DARK)),
        ("Quarter Echo", (("echo", {"left": "1/4", "right": "1/8.", "feedback": 0.35, "cross": 0.3, "low_cut_hz": 220, "high_cut_hz": 3800}),)),
        ("Width", (("doubler", {}), _THIN)),
    ), "Ballads: a voice in front, everything else behind it, and room at the ends of lines."),
    StartingSet("great-distance", "Great distance", 40, 130, (
        ("Hall", (("reverb", {"space": "hall", "decay_s": 2.8, "pre_delay": "1/32"}), _CLEAN)),
        ("Nave", (("reverb", {"space": "cathedral", "decay_s": 6.0, "pre_delay": "1/16"}), _DARK)),
        ("Glow", (("reverb", {"space": "hall", "decay_s": 5.0, "shift_semitones": 12, "shift_feed": 0.3}), _THIN)),
        ("Far Echo", (("echo", {"left": "1/2", "right": "1/4.", "feedback": 0.45, "low_cut_hz": 250, "high_cut_hz": 3000}),)),
    ), "Film, ambient, and bridges that leave the ground."),
    StartingSet("worn-and-warm", "Worn and warm", 60, 140, (
        ("Driven Plate", (("drive", {"amount": 0.2, "tone_hz": 8000}), ("reverb", {"space": "plate", "decay_s": 1.5}), _DARK)),
        ("Worn Echo", (("echo", {"left": "1/8.", "right": "1/8.", "feedback": 0.45, "wow_depth_ms": 0.5, "drive": 0.3, "low_cut_hz": 180, "high_cut_hz": 3000}),)),
        ("Soul Chamber", (("reverb", {"space": "chamber", "decay_s": 1.1, "high_ratio": 0.6}), _CLEAN)),
    ), "Soul, blues and anything that was better when machines had tubes."),
)  # fmt: skip


def sets_for(bpm: float) -> list[StartingSet]:
    """Return the sets for a tempo in quarters a minute, those made for it first."""
    return sorted(STARTING_SETS, key=lambda each: not each.suits(bpm))
