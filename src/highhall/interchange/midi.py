"""Tempo, meters and markers, from and to a Standard MIDI File.

Notes and everything else in a file are left aside.

References
----------
MIDI Association, "Standard MIDI Files 1.0", RP-001 (1996): set tempo, time signature, marker, cue point.
"""

import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import mido

from highhall.errors import CoreError
from highhall.interchange.audio_files import written_whole
from highhall.plan.model import Song, Tempo
from highhall.timing import Meter, MeterMap, NoteValue, Position

_QUARTER = NoteValue(1, 4)
_DOTTED_QUARTER = NoteValue(1, 4, ".")


LARGEST_BYTES = 8 << 20


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
    """Read the map of a song from a MIDI file; without a meter it is in 4/4.

    Markers are those of the first track, where the standard has them; if it has none, those of all. Compound meters (6/8, 9/8, 12/8) give tempos in dotted quarters. Between tempos MIDI knows no ramps.

    Raises
    ------
    MidiFileError
        If the file cannot be read, counts in SMPTE frames, holds no tempo, or changes its meter inside a bar.
    """
    file = _opened(path)
    if not 0 < file.ticks_per_beat < 0x8000:
        raise MidiFileError(f'"{path.name}" counts in film frames, not in beats; save it with a tempo map')
    events, first = _events(file.tracks, file.ticks_per_beat), _events(file.tracks[:1], file.ticks_per_beat)
    if not any(message.type == "set_tempo" for _, message in events):
        raise MidiFileError(f'"{path.name}" holds no tempo; save it with its tempo map')
    meter_map = MeterMap(_meters(path, events))
    last = max((place for place, _ in events), default=Fraction(0))
    return SongMap(
        meters=meter_map.meters,
        tempos=_tempos(events, meter_map),
        markers=tuple(_markers(first, meter_map)) or tuple(_markers(events, meter_map)),
        end=meter_map.position_at(last).next_bar_line,
    )


def _opened(path: Path) -> mido.MidiFile:
    """Open a file whose texts are UTF-8, or Latin-1 where they are not."""
    if path.stat().st_size > LARGEST_BYTES:
        raise MidiFileError(f'"{path.name}" is larger than {LARGEST_BYTES >> 20} MiB, which no map of a song is')
    content = path.read_bytes()  # from memory nothing can be read that is not there, whatever a length says
    for charset in ("utf-8", "latin-1"):
        try:
            return mido.MidiFile(file=io.BytesIO(content), clip=True, charset=charset)
        except UnicodeDecodeError:
            continue
        except (OSError, EOFError, ValueError, LookupError, TypeError, OverflowError, mido.KeySignatureError):
            break
    raise MidiFileError(f'"{path.name}" cannot be read as a MIDI file')


def _markers(
    events: Sequence[tuple[Fraction, mido.MetaMessage]], meter_map: MeterMap
) -> Iterator[tuple[Position, str]]:
    for place, message in events:
        if message.type in ("marker", "cue_marker") and message.text.strip():
            yield meter_map.position_at(place), message.text.strip()


def _events(tracks: Sequence[mido.MidiTrack], ticks_per_beat: int) -> list[tuple[Fraction, mido.MetaMessage]]:
    """Return the meta events of some tracks with their place in whole notes, in order."""
    events = []
    for track in tracks:
        ticks = 0
        for message in track:
            ticks += message.time
            if message.is_meta:
                events.append((Fraction(ticks, 4 * ticks_per_beat), message))
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
        if message.type == "set_tempo" and message.tempo > 0:
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


TICKS = 960
"""Of a quarter note."""

_RAMP_STEP = Fraction(1, 32)


def write_midi(path: Path, song: Song, tracks: Sequence[mido.MidiTrack] = ()) -> None:
    """Write a song's meters, tempos and sections (as markers) to a Standard MIDI File of type 1, with other tracks behind them.

    A ramp is written as a tempo every thirty-second note, each the mean over that note, since MIDI knows
    steps only; its times are right at those notes.
    """
    time = song.time
    events: list[tuple[Fraction, int, mido.MetaMessage]] = []
    for meter in song.meters:
        at = time.meters.whole_notes_at(Position(meter.bar))
        change = mido.MetaMessage("time_signature", numerator=meter.beats, denominator=meter.unit)
        events.append((at, 0, change))
    for at, whole_notes_per_s in _tempo_steps(song):
        message = mido.MetaMessage("set_tempo", tempo=round(250_000 / whole_notes_per_s))
        events.append((at, 1, message))
    events += [
        (time.meters.whole_notes_at(section.start), 2, mido.MetaMessage("marker", text=section.name))
        for section in song.sections
    ]
    events.append((time.meters.whole_notes_at(song.end), 3, mido.MetaMessage("end_of_track")))
    track, before = mido.MidiTrack(), 0
    for at, _, message in sorted(events, key=lambda event: event[:2]):
        ticks = round(at * 4 * TICKS)
        track.append(message.copy(time=ticks - before))
        before = ticks
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS, charset="utf-8")
    file.tracks += [track, *tracks]
    with written_whole(path) as temporary:
        file.save(temporary)


def _tempo_steps(song: Song) -> Iterator[tuple[Fraction, float]]:
    """Yield (place in whole notes, whole notes a second) of every step."""
    places = [song.time.meters.whole_notes_at(tempo.at) for tempo in song.tempos]
    for index, (place, tempo) in enumerate(zip(places, song.tempos, strict=True)):
        following = song.tempos[index + 1] if index + 1 < len(places) else None
        if following is None or not following.ramp:
            yield place, tempo.whole_notes_per_s
            continue
        while place < places[index + 1]:
            stop = min(place + _RAMP_STEP, places[index + 1])
            seconds = song.time.tempos.seconds_at(stop) - song.time.tempos.seconds_at(place)
            yield place, float(stop - place) / seconds
            place = stop
