"""The moves of a plan as controllers of a Standard MIDI File.

A track a return, named by it. Level of the return: controller 7, channel 1. The sends into it, in the plan's order: controllers 20 to
31 of channel 1, then of channel 2, and so on. Each has 14 bits, its fine part 32 numbers higher (39, 52 to 63). 0 is silence; 1 to
16383 are -120 to 24 dB on a straight line. What a controller stands for is written as text at the track's start, throws as markers.

References
----------
MIDI Association, "MIDI 1.0 Detailed Specification", 4.2 (1995), control change: pairs of controllers with 14 bits; 20 to 31 are not defined there.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

import mido
import numpy as np
from numpy.typing import NDArray

from highhall.curves import Curve
from highhall.interchange.midi import TICKS, write_midi
from highhall.plan import Plan, Return, SendTarget, Target
from highhall.plan.references import movable_parameter
from highhall.render.engine import return_fader, send_fader

LEVEL_CONTROLLER = 7
FIRST_SEND, SENDS_A_CHANNEL = 20, 12
_FINE = 32
LOW_DB, HIGH_DB, MOST = -120.0, 24.0, 16383
_STEP = 5
"""Of 14 bits: 0.044 dB, by which a controller may be off before it is sent again."""

Ticks = NDArray[np.int64]
_MOST_SENDS = 16 * SENDS_A_CHANNEL


def controller_value(gain: NDArray[np.float64]) -> Ticks:
    """Return linear gains as values of a controller, 0 to 16383."""
    level_db = 20 * np.log10(np.maximum(gain, 1e-30))
    value = 1 + np.rint((np.clip(level_db, LOW_DB, HIGH_DB) - LOW_DB) / (HIGH_DB - LOW_DB) * (MOST - 1))
    return np.where(level_db <= LOW_DB, 0, value).astype(np.int64)


def level_of_value(value: int) -> float | None:
    """Return the level that a value of a controller stands for, in dB; None is silence."""
    return LOW_DB + (value - 1) / (MOST - 1) * (HIGH_DB - LOW_DB) if value else None


@dataclass(frozen=True, slots=True)
class _Lane:
    """One controller: its channel from 0, its number, what it stands for, and the switches and level that it follows."""

    channel: int
    number: int
    words: str
    curves: tuple[Curve, ...]


def write_plan_midi(path: Path, plan: Plan) -> None:
    """Write a plan's tempo map, meters, sections, levels of returns and sends, and throws to a MIDI file."""
    clock = _Clock(plan)
    write_midi(path, plan.song, [_track(plan, return_, clock) for return_ in plan.returns])


class _Clock:
    """The ticks of a song, and the sample of the song that each falls on."""

    def __init__(self, plan: Plan) -> None:
        time = plan.song.time
        count = round(time.meters.whole_notes_at(plan.song.end) * 4 * TICKS)
        until_s = plan.song.end_sample / plan.song.sample_rate + 0.002
        seconds = np.arange(0.0, until_s, 0.001).astype(np.float64)
        places = time.tempos.whole_notes_at_many(seconds) * 4 * TICKS
        self.samples: NDArray[np.float64] = np.interp(np.arange(count + 1), places, seconds) * plan.song.sample_rate

    def tick_of(self, sample: int) -> int:
        """Return the tick nearest to a sample."""
        return int(np.abs(self.samples - sample).argmin())


def _track(plan: Plan, return_: Return, clock: _Clock) -> mido.MidiTrack:
    events: list[tuple[int, int, mido.Message | mido.MetaMessage]] = [
        (0, 0, mido.MetaMessage("track_name", name=return_.name))
    ]
    for lane in _lanes(plan, return_):
        words = f"Channel {lane.channel + 1}, controllers {lane.number} and {lane.number + _FINE}: {lane.words}"
        events.append((0, 1, mido.MetaMessage("text", text=words)))
        for tick, value in _values(lane.curves, clock):
            for number, byte in ((lane.number, value >> 7), (lane.number + _FINE, value & 127)):
                message = mido.Message("control_change", channel=lane.channel, control=number, value=byte)
                events.append((tick, 3, message))
    events += [(tick, 2, mido.MetaMessage("marker", text=text)) for tick, text in _throws(plan, return_, clock)]
    track, before = mido.MidiTrack(), 0
    for tick, _, message in sorted(events, key=lambda event: event[:2]):
        track.append(message.copy(time=tick - before))
        before = tick
    track.append(mido.MetaMessage("end_of_track", time=len(clock.samples) - 1 - before))
    return track


def _lanes(plan: Plan, return_: Return) -> Iterator[_Lane]:
    yield _Lane(0, LEVEL_CONTROLLER, f"level of {return_.name}", return_fader(plan, return_).curves[:2])
    names = plan.names
    for index, send in enumerate(islice(plan.sends_into(return_.id), _MOST_SENDS)):
        channel, place = divmod(index, SENDS_A_CHANNEL)
        words = f"send from {names[send.source]}, {send.send_point}-fader"
        yield _Lane(channel, FIRST_SEND + place, words, send_fader(plan, send).curves[:2])


def _values(curves: Sequence[Curve], clock: _Clock) -> Iterator[tuple[int, int]]:
    """Yield at which tick a controller is sent, and with which value."""
    if all(curve.constant is not None for curve in curves):
        gain = np.array([math.prod(curve.constant or 0.0 for curve in curves)])
        yield 0, int(controller_value(gain)[0])
        return
    gains: NDArray[np.float64] = np.prod([curve.drawn_at(clock.samples) for curve in curves], axis=0)
    values = controller_value(gains)
    changes = np.concatenate([[0], np.flatnonzero(np.diff(values)) + 1])
    last = -MOST
    for tick in changes:
        value = int(values[tick])
        following = int(values[tick + 1]) if tick + 1 < len(values) else value
        if abs(value - last) >= _STEP or following == value != last or (value == 0) != (last == 0):
            last = value
            yield int(tick), value


def _throws(plan: Plan, return_: Return, clock: _Clock) -> Iterator[tuple[int, str]]:
    names = plan.names
    for move in plan.moves:
        if move.target.target == return_.id:
            for throw in move.throws:
                words = movable_parameter(plan, move.target).words(throw.value)
                tick = clock.tick_of(plan.song.time.sample_at(throw.at))
                yield tick, f"Throw {_what(move.target, names)} {words} for {throw.length}"


def _what(target: Target, names: dict[str, str]) -> str:
    return names[target.source] if isinstance(target, SendTarget) else target.param
