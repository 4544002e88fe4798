"""Tempo, meters and markers of a Standard MIDI File.

Notes and everything else in the file are left aside.

References
----------
MIDI Association, "Standard MIDI Files 1.0", RP-001 (1996): set tempo, time signature, marker, cue point.
"""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import mido

from highhall.errors import CoreError
from highhall.plan.model import Tempo
from highhall.timing import Meter, MeterMap, NoteValue, Position

_QUARTER = NoteValue(1, 4)
_DOTTED_QUARTER = NoteValue(1, 4, ".")


class MidiFileError(CoreError):
    """A file is not a Standard MIDI File, or its map of bars cannot be read."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SongMap:
    """What a MIDI file says about a song's time; `markers` are (position, text) in order."""

    meters: tuple[Meter, ...]
    tempos: tuple[Tempo, ...]
    markers: tuple[tuple[Position, str], ...]
    end: Position


def read_midi(path: Path) -> SongMap:
    """Read the map of a song from a MIDI file; without a tempo it is 120, without a meter 4/4.

    Compound meters (6/8, 9/8, 12/8) give tempos in dotted quarters. Between tempos MIDI knows no ramps.

    Raises
    ------
    MidiFileError
        If the file cannot be read, counts in SMPTE frames, or changes its meter inside a bar.
    """
    try:
        file = mido.MidiFile(path, clip=True)
    except (OSError, EOFError, ValueError, KeyError, IndexError) as error:
        if isinstance(error, FileNotFoundError):
            raise
        raise MidiFileError(f'"{path.name}" cannot be read as a MIDI file') from None
    if not 0 < file.ticks_per_beat < 0x8000:
        raise MidiFileError(f'"{path.name}" counts in film frames, not in beats; save it with a tempo map')
    events = _events(file)
    meter_map = MeterMap(_meters(path, events))
    last = max((place for place, _ in events), default=Fraction(0))
    return SongMap(
        meters=meter_map.meters,
        tempos=_tempos(events, meter_map),
        markers=tuple(
            (meter_map.position_at(place), message.text.strip())
            for place, message in events
            if message.type in ("marker", "cue_marker") and message.text.strip()
        ),
        end=_next_bar(meter_map.position_at(last)),
    )


def _events(file: mido.MidiFile) -> list[tuple[Fraction, mido.MetaMessage]]:
    """Return all meta events with their place in whole notes, in order."""
    events = []
    for track in file.tracks:
        ticks = 0
        for message in track:
            ticks += message.time
            if message.is_meta:
                events.append((Fraction(ticks, 4 * file.ticks_per_beat), message))
    return sorted(events, key=lambda event: event[0])


def _meters(path: Path, events: list[tuple[Fraction, mido.MetaMessage]]) -> tuple[Meter, ...]:
    meters = [Meter(1, 4, 4)]
    start = Fraction(0)  # of the newest meter
    for place, message in events:
        if message.type != "time_signature":
            continue
        bars = (place - start) / meters[-1].bar_length
        if bars.denominator != 1:
            bar = meters[-1].bar + int(bars)
            raise MidiFileError(f'"{path.name}" changes its meter inside bar {bar}; move the change to a bar line')
        changed = Meter(meters[-1].bar + int(bars), message.numerator, message.denominator)
        if changed.bar == meters[-1].bar:
            meters.pop()
        meters.append(changed)
        start = place
    return tuple(meters)


def _tempos(events: list[tuple[Fraction, mido.MetaMessage]], meter_map: MeterMap) -> tuple[Tempo, ...]:
    by_place: dict[Fraction, float] = {Fraction(0): 120.0}
    for place, message in events:
        if message.type == "set_tempo":
            by_place[place] = _quarters_a_minute(message.tempo)
    tempos: list[Tempo] = []
    for place, quarters in sorted(by_place.items()):
        at = meter_map.position_at(place)
        meter = meter_map.meter_at(at.bar)
        is_compound = meter.unit == 8 and meter.beats % 3 == 0 and meter.beats > 3
        bpm = round(quarters * 2 / 3 if is_compound else quarters, 6)
        tempos.append(Tempo(at=at, bpm=bpm, beat=_DOTTED_QUARTER if is_compound else _QUARTER))
    return tuple(tempos)


def _quarters_a_minute(microseconds: int) -> float:
    """Return the shortest decimal that a MIDI file writes as this many whole microseconds a quarter."""
    exact = 60_000_000 / microseconds
    shortened = (round(exact, digits) for digits in range(7))
    return next((bpm for bpm in shortened if bpm > 0 and round(60_000_000 / bpm) == microseconds), exact)


def _next_bar(position: Position) -> Position:
    return position if position.beat == 1 and position.bar > 1 else Position(position.bar + 1)
