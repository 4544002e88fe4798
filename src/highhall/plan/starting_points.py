"""Where to start from: settings of steps, and sets of returns by character and tempo, each with when to use it.

They are plain values as a plan's JSON writes them, so that whatever reads plans reads them.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from highhall.plan.edits import step_of_kind
from highhall.plan.model import Return, Step

Params = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class StartingPoint:
    """Settings of one step; `when` says what they are for."""

    id: str
    name: str
    kind: str
    params: Params
    when: str

    @property
    def step(self) -> Step:
        """The step that it sets."""
        return step_of_kind(self.kind, self.kind, self.params)


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
            steps: list[Step] = []
            for kind, params in chain:
                step_id = kind if all(step.kind != kind for step in steps) else f"{kind}-{len(steps) + 1}"
                steps.append(step_of_kind(kind, step_id, params))
            made.append(Return(id=name.lower().replace(" ", "-"), name=name, chain=tuple(steps)))
        return tuple(made)

    def suits(self, bpm: float) -> bool:
        """Whether it is made for a tempo in quarters a minute."""
        return self.slowest_bpm <= bpm <= self.fastest_bpm


def _bands(*bands: tuple[str, float] | tuple[str, float, float]) -> Params:
    rows = []
    for shape, hz, *gain in bands:
        rows.append({"shape": shape, "hz": hz, **({"gain_db": gain[0]} if gain else {})})
    return {"bands": rows}


_CLEAN = ("tone", _bands(("low_cut", 220), ("high_cut", 9000)))
_THIN = ("tone", _bands(("low_cut", 350), ("high_cut", 6500)))
_DARK = ("tone", _bands(("low_cut", 180), ("high_cut", 4500)))

STARTING_POINTS: tuple[StartingPoint, ...] = (
    StartingPoint("booth", "Booth", "reverb", {"space": "room", "decay_s": 0.35, "early_db": 2, "size": 0.6}, "Takes the cupboard off a dry voice without a tail that anybody notices."),
    StartingPoint("wooden-room", "Wooden room", "reverb", {"space": "room", "decay_s": 0.7, "high_ratio": 0.6, "size": 1.2}, "Puts drums and guitars on the same floor."),
    StartingPoint("bare-chamber", "Bare chamber", "reverb", {"space": "chamber", "decay_s": 1.3, "pre_delay": "1/64"}, "An even bloom behind snare and claps, and behind a voice in a busy mix."),
    StartingPoint("quick-sheet", "Quick sheet", "reverb", {"space": "plate", "decay_s": 1.1, "high_ratio": 0.8, "pre_delay": "1/64"}, "Bright and dense at once: fast songs, percussion, rhythm guitars."),
    StartingPoint("slow-sheet", "Slow sheet", "reverb", {"space": "plate", "decay_s": 2.4, "pre_delay": "1/32", "low_ratio": 0.9}, "For a lead voice in a slow song; the pre-delay keeps it in front."),
    StartingPoint("seated-hall", "Seated hall", "reverb", {"space": "hall", "decay_s": 2.0, "pre_delay": "1/32"}, "Strings, winds and choirs at a natural distance."),
    StartingPoint("empty-hall", "Empty hall", "reverb", {"space": "hall", "decay_s": 3.8, "pre_delay": "1/16", "early_db": -9}, "Wide and far: pads, last words, the end of a song."),
    StartingPoint("nave", "Nave", "reverb", {"space": "cathedral", "decay_s": 5.5, "pre_delay": "1/16"}, "One instrument alone in a bridge; never all of them."),
    StartingPoint("rising-light", "Rising light", "reverb", {"space": "hall", "decay_s": 5.0, "shift_semitones": 12, "shift_feed": 0.35}, "Pads and guitars that should glow an octave up."),
    StartingPoint("sinking-floor", "Sinking floor", "reverb", {"space": "cathedral", "decay_s": 4.0, "shift_semitones": -12, "shift_feed": 0.3}, "A drop before a refrain, thrown on one hit."),
    StartingPoint("close-slap", "Close slap", "echo", {"left": "90ms", "right": "115ms"}, "One repeat too short to count: thickens a voice in place of a reverb."),
    StartingPoint("quarter-repeats", "Quarter repeats", "echo", {"left": "1/4", "right": "1/4", "feedback": 0.35, "low_cut_hz": 200, "high_cut_hz": 4500}, "Long notes that should carry on behind the voice."),
    StartingPoint("dotted-pair", "Dotted pair", "echo", {"left": "1/8.", "right": "1/4", "feedback": 0.3, "low_cut_hz": 250, "high_cut_hz": 5000}, "Fills straight rhythms with what they leave open."),
    StartingPoint("side-to-side", "Side to side", "echo", {"left": "1/8", "right": "1/8", "input": "left", "cross": 1, "feedback": 0.5, "high_cut_hz": 5000}, "A single hit that walks through the picture."),
    StartingPoint("triplet-shadow", "Triplet shadow", "echo", {"left": "1/4T", "right": "1/8T", "feedback": 0.3, "high_cut_hz": 3500}, "Loosens a stiff grid, under guitars and keys."),
    StartingPoint("worn-machine", "Worn machine", "echo", {"left": "1/8.", "right": "1/8.", "feedback": 0.45, "wow_depth_ms": 0.6, "wow_hz": 0.6, "drive": 0.3, "low_cut_hz": 180, "high_cut_hz": 3200}, "Repeats that age: voices and guitars in slow songs."),
    StartingPoint("half-width", "Half width", "offset", {"right_ms": 11}, "A mono synth that should reach across without a repeat."),
    StartingPoint("second-take", "Second take", "doubler", {}, "As if sung twice: choruses, backing voices."),
    StartingPoint("loose-takes", "Loose takes", "doubler", {"left_ms": 19, "right_ms": 31, "left_cents": -12, "right_cents": 11}, "Further apart, for gang voices and guitars."),
    StartingPoint("slow-shimmer", "Slow shimmer", "chorus", {"rate": 0.35, "depth": 0.5}, "Pads and clean guitars that stand still."),
    StartingPoint("many-hands", "Many hands", "chorus", {"rate": 0.8, "depth": 0.4, "voices": 4}, "Makes one string or voice a section."),
    StartingPoint("two-bar-sweep", "Two-bar sweep", "flanger", {"rate": "2/1", "depth": 0.8}, "Cymbals and distorted guitars in a break."),
    StartingPoint("walking-repeats", "Walking repeats", "autopan", {"rate": "1/2", "depth": 0.8}, "Behind an echo: every repeat lands elsewhere."),
    StartingPoint("firm-middle", "Firm middle", "width", {"width": 1.2, "bass_mono_hz": 140}, "A wide return that leaves bass and kick alone."),
    StartingPoint("warm-edge", "Warm edge", "drive", {"amount": 0.25, "tone_hz": 7000}, "Before a plate, so that its tail is heard in a loud mix."),
    StartingPoint("torn-edge", "Torn edge", "drive", {"amount": 0.7, "tone_hz": 4500}, "A throw that should sound broken."),
    StartingPoint("old-sampler", "Old sampler", "crush", {"bits": 9, "rate_hz": 14000}, "Grit on a drum room."),
    StartingPoint("clear-lows", "Clear lows", "tone", _bands(("low_cut", 220)), "The first thing on any return that many instruments feed."),
    StartingPoint("behind-the-voice", "Behind the voice", "tone", _bands(("low_cut", 250), ("bell", 2600, -4), ("high_cut", 7500)), "Takes out of the return what makes words clear, so that the dry voice has it alone."),
    StartingPoint("through-the-wall", "Through the wall", "tone", _bands(("low_cut", 400), ("high_cut", 2200)), "Far away, small, remembered."),
    StartingPoint("breathing", "Breathing", "leveler", {"threshold_db": -26, "ratio": 3, "attack_ms": 15, "release_ms": 150}, "Feeds a reverb evenly from an uneven part."),
)  # fmt: skip
"""Impulse and duck have none: they need a response, or a track, of the song."""

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
