"""What a return will do, from its values alone: repeats, decays and filter curves, without rendering.

Cheap enough to follow a hand: no sound is made. `highhall.measure.pictures` has the same from the sound itself.
"""

import heapq
import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.effects.reverb.decay import DecayCurve
from highhall.effects.reverb.design import structure_for
from highhall.effects.tone import response_db
from highhall.effects.tone.filters import HIGHEST_SHARE
from highhall.measure.decay import octaves_hz
from highhall.measure.loudness import k_gain
from highhall.plan import Effect, Filter, Return, Song
from highhall.timing import NoteValue, Position

LOWEST_DB = -60.0
_MOST_REPEATS = 256
_SIDES = ("left", "right")
_DIGITS = 5  # repeats that meet are one


@dataclass(frozen=True, slots=True, kw_only=True)
class Repeat:
    """One repeat: when, in seconds after the hit, on which side (0 left, 1 right), and its level against it."""

    seconds: float
    side: int
    level_db: float


def echo_repeats(effect: Effect, song: Song, at: Position) -> list[Repeat]:
    """Return the repeats of a hit on both sides at a position, down to -60 dB, 256 at most, in time order.

    Cuts, drive and wow are left out: they shape a repeat, and its level is that of what passes them.
    """
    times = [effect.time(side) for side in _SIDES]
    feedback, cross = effect.number("feedback"), effect.number("cross")
    levels = [effect.number("left_db"), effect.number("right_db")]
    offset_s = effect.number("offset_ms") / 1000
    late_s = (max(-offset_s, 0.0), max(offset_s, 0.0))
    start_s = song.time.seconds_at(at)

    def after(seconds: float, side: int) -> float:
        time = times[side]
        if not isinstance(time, NoteValue):
            return seconds + time.seconds
        tempos = song.time.tempos
        return tempos.seconds_at(tempos.whole_notes_at(seconds) + float(time.whole_notes))

    entering = {"stereo": (1.0, 1.0), "mono": (1.0, 1.0), "left": (1.0, 0.0)}[str(effect.value("input"))]
    waiting: list[tuple[float, int, float, float]] = []

    def repeat(seconds: float, side: int, level: float) -> None:
        then = after(seconds, side)
        heapq.heappush(waiting, (round(then, _DIGITS), side, then, level))

    for side, level in enumerate(entering):
        repeat(start_s, side, level)
    repeats: list[Repeat] = []
    while waiting and len(repeats) < _MOST_REPEATS:
        key, side, seconds, level = heapq.heappop(waiting)
        while waiting and waiting[0][:2] == (key, side):
            level += heapq.heappop(waiting)[3]
        if level <= 10 ** (LOWEST_DB / 20):
            continue
        repeats.append(
            Repeat(seconds=seconds - start_s + late_s[side], side=side, level_db=20 * math.log10(level) + levels[side])
        )
        for to, share in ((side, 1 - cross), (1 - side, cross)):
            repeat(seconds, to, level * feedback * share)
    return sorted(repeats, key=lambda repeat: (repeat.seconds, repeat.side))


def short_repeats(effect: Effect) -> list[Repeat]:
    """Return the two readings of an offset or doubler effect: left, then right."""
    return [
        Repeat(seconds=effect.number(f"{name}_ms") / 1000, side=side, level_db=0.0) for side, name in enumerate(_SIDES)
    ]


def loudness_gain_db(return_: Return, song: Song, at: Position) -> float:
    """Return how much louder a chain is than what it is fed, in dB: K-weighted pink noise, uncorrelated sides.

    Spaces keep the power they get, by the plan's level law; repeats add up in power, as what passes their cuts does; the
    curves of tone effects count; what shapes small levels only by their size (drive, crush, leveler, duck) is left out.
    """
    hz = np.geomspace(20, 20000, 256)
    rate = song.sample_rate
    weight = k_gain(hz, rate)  # equal steps in the logarithm are pink noise
    power = weight.copy()
    power *= 10 ** (chain_response_db(return_, hz, rate) / 10)
    for effect in _on(return_, "echo"):
        fed = 1.0 if effect.value("input") == "stereo" else 0.5  # both sides' mean has half of one side's power
        power *= fed * sum(10 ** (repeat.level_db / 10) for repeat in echo_repeats(effect, song, at)) / 2
        power *= _loop_cut_gain(effect, hz, rate)
    return 10 * math.log10(max(float(power.sum() / weight.sum()), 1e-12))


def _loop_cut_gain(effect: Effect, hz: NDArray[np.float64], sample_rate: int) -> NDArray[np.float64]:
    """Return the power that passes an echo's cuts once."""
    cuts = [
        Filter(shape=shape, hz=min(effect.number(f"{shape}_hz"), HIGHEST_SHARE * sample_rate), slope_db_oct=6)
        for shape in ("low_cut", "high_cut")
        if effect.value(f"{shape}_hz") is not None
    ]
    gains: NDArray[np.float64] = 10 ** (response_db(cuts, hz, sample_rate) / 10)
    return gains


def decays_of(effect: Effect, sample_rate: int) -> tuple[tuple[float, float], ...]:
    """Return (octave in Hz, seconds to -60 dB) of a reverb effect."""
    lengths = structure_for(effect, effect.number("decay_s"), sample_rate).lengths
    octaves = octaves_hz(sample_rate)
    seconds = DecayCurve.of(effect).seconds_at(np.array(octaves), lengths, sample_rate)
    return tuple(zip(octaves, seconds.tolist(), strict=True))


def chain_response_db(return_: Return, hz: NDArray[np.float64], sample_rate: int) -> NDArray[np.float64]:
    """Return what the filters of a chain do at each frequency, in dB: its tone effects that are on."""
    total = np.zeros_like(hz)
    for effect in _on(return_, "tone"):
        total += response_db(effect.filters, hz, sample_rate)
    return total


def tail_end_s(return_: Return, song: Song, at: Position, level_db: float = LOWEST_DB) -> float:
    """Return when the slowest band of a return, or its last repeat, has fallen to a level, in seconds after a hit."""
    ends = [0.0]
    for effect in _on(return_, "reverb"):
        longest = max(seconds for _, seconds in decays_of(effect, song.sample_rate))
        ends.append(song.time.seconds_of(effect.time("pre_delay"), at) + longest * level_db / -60)
    return sum(ends) + last_repeat_s(return_, song, at, level_db)


def last_repeat_s(return_: Return, song: Song, at: Position, level_db: float = LOWEST_DB) -> float:
    """Return when the last repeat at or over a level comes, in seconds after a hit: of all echoes one after the other."""
    return sum(
        max((repeat.seconds for repeat in echo_repeats(effect, song, at) if repeat.level_db >= level_db), default=0.0)
        for effect in _on(return_, "echo")
    )


def _on(return_: Return, kind: str) -> Iterator[Effect]:
    return (effect for effect in return_.chain if effect.on and effect.kind == kind)
