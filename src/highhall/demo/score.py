"""The tune: notes by instrument, in eighths from the song's start. D dorian, six eighths a bar."""

from collections.abc import Iterator
from dataclasses import dataclass

BAR = 6
FORM = (
    ("intro", "Intro", 4), ("verse-1", "Verse 1", 8), ("refrain-1", "Refrain 1", 8), ("verse-2", "Verse 2", 8),
    ("refrain-2", "Refrain 2", 8), ("bridge", "Bridge", 6), ("last-refrain", "Last Refrain", 8), ("outro", "Outro", 6),
)  # fmt: skip
BARS = sum(bars for _, _, bars in FORM)


@dataclass(frozen=True, slots=True)
class Note:
    """Start and length in eighths, pitch as a MIDI number, loudness 0 to 1, and a vowel for voices."""

    start: float
    length: float
    pitch: int
    loudness: float
    vowel: str = "a"


_CHORDS = {"Dm": (50, 53, 57), "C": (48, 52, 55), "Am": (45, 48, 52), "F": (53, 57, 60), "G": (43, 47, 50)}
_HARMONY = {
    "intro": "Dm C Dm Am",
    "verse": "Dm C Dm Am F C G Dm",
    "refrain": "F C G Dm F C Am Dm",
    "bridge": "G Dm G Am F C",
    "outro": "Dm C Dm Am Dm Dm",
}

# Melodies: (start in the section, length, pitch, vowel); rests between phrases are where tails are heard.
_VERSE = (
    (0, 3, 62, "a"), (3, 2, 64, "o"), (5, 1, 65, "e"), (6, 4, 67, "a"), (10, 2, 65, "i"), (12, 3, 64, "o"), (15, 3.4, 62, "a"),
    (24, 2, 69, "a"), (26, 1, 67, "e"), (27, 3, 65, "i"), (30, 3, 67, "o"), (33, 2, 64, "a"), (35, 1, 62, "e"),
    (36, 2, 60, "o"), (38, 1, 62, "i"), (39, 3, 64, "e"), (42, 3.2, 62, "a"),
)  # fmt: skip
_REFRAIN = (
    (0, 4, 69, "a"), (4, 1, 67, "e"), (5, 1, 69, "i"), (6, 3, 72, "o"), (9, 2, 71, "a"), (11, 1, 69, "e"),
    (12, 4, 71, "a"), (16, 2, 67, "o"), (18, 3, 69, "a"),
    (24, 3, 69, "a"), (27, 2, 72, "e"), (29, 1, 74, "i"), (30, 4, 72, "o"), (34, 2, 69, "a"),
    (36, 3, 67, "e"), (39, 2, 65, "i"), (41, 1, 64, "o"), (42, 3.2, 62, "a"),
)  # fmt: skip
_FIDDLE_LINE = (
    (0, 6, 69), (6, 4, 67), (10, 2, 69), (12, 6, 74), (18, 5, 72), (24, 6, 69), (30, 3, 72), (33, 3, 71),
    (36, 6, 69), (42, 5, 74),
)  # fmt: skip
_WHISTLE_TUNE = (
    (1, 1, 74), (2, 1, 76), (3, 2, 77), (5, 1, 76), (6, 3, 74), (9, 1, 72), (10, 1, 74), (11, 1, 76),
    (12, 4, 77), (16, 1, 79), (17, 1, 77), (18, 4, 76),
)  # fmt: skip


def sections() -> Iterator[tuple[str, str, int, int]]:
    """Yield id, name, first bar and the bar after it, bars counted from 1."""
    bar = 1
    for section_id, name, bars in FORM:
        yield section_id, name, bar, bar + bars
        bar += bars


def chord_at(bar: int) -> tuple[int, ...]:
    """Return the chord of a bar, counted from 1, as MIDI pitches."""
    for section_id, _, first, end in sections():
        if first <= bar < end:
            names = _HARMONY[_kind(section_id)].split()
            return _CHORDS[names[(bar - first) % len(names)]]
    return _CHORDS["Dm"]


def _kind(section_id: str) -> str:
    return next(kind for kind in _HARMONY if kind in section_id)


def _bars(section_id: str) -> int:
    return next(bars for form_id, _, bars in FORM if form_id == section_id)


def _starts(*kinds: str) -> Iterator[tuple[str, int]]:
    return ((section_id, (first - 1) * BAR) for section_id, _, first, _ in sections() if _kind(section_id) in kinds)


def lead_voice() -> Iterator[Note]:
    """Yield the sung melody of verses and refrains, with its phrases and rests."""
    for section_id, start in _starts("verse", "refrain"):
        melody = _VERSE if _kind(section_id) == "verse" else _REFRAIN
        loudness = 0.6 if _kind(section_id) == "verse" else 0.85
        for at, length, pitch, vowel in melody:
            yield Note(start + at, length * 0.96, pitch, loudness, vowel)


def harmony_voices() -> Iterator[Note]:
    """Yield two voices under the refrains' melody, a third and a sixth lower in the mode."""
    scale = [p for octave in range(2, 8) for p in (octave * 12 + s for s in (0, 2, 4, 5, 7, 9, 11))]
    for section_id, start in _starts("refrain"):
        for at, length, pitch, _ in _REFRAIN:
            place = scale.index(pitch)
            for below in (2, 5):
                loudness = 0.5 if section_id != "last-refrain" else 0.62
                yield Note(start + at + 0.03 * below, length * 0.93, scale[place - below], loudness, "u")


def fiddle() -> Iterator[Note]:
    """Yield long bows in refrains and the second verse."""
    for section_id, start in _starts("verse", "refrain"):
        if section_id == "verse-1":
            continue
        for at, length, pitch in _FIDDLE_LINE:
            yield Note(start + at, length * 0.97, pitch - (12 if "verse" in section_id else 0), 0.6)


def low_whistle() -> Iterator[Note]:
    """Yield the tune of intro, bridge and outro."""
    for _, start in _starts("intro", "bridge", "outro"):
        for at, length, pitch in _WHISTLE_TUNE:
            yield Note(start + at, length * 0.9, pitch - 12, 0.7)


def harp() -> Iterator[Note]:
    """Yield broken chords in eighths, softer in verses, silent at the end of each refrain."""
    for bar in range(1, BARS + 1):
        root, third, fifth = chord_at(bar)
        for eighth, pitch in enumerate((root, fifth, root + 12, third + 12, root + 12, fifth)):
            if bar >= BARS and eighth > 2:
                return
            yield Note((bar - 1) * BAR + eighth, 4, pitch, 0.75 if eighth in (0, 3) else 0.5)


def harmonium() -> Iterator[Note]:
    """Yield held chords in refrains, bridge and outro."""
    for section_id, start in _starts("refrain", "bridge", "outro"):
        for bar in range(_bars(section_id)):
            for pitch in chord_at(start // BAR + bar + 1):
                yield Note(start + bar * BAR, BAR * 0.98, pitch + 12, 0.5)


def double_bass() -> Iterator[Note]:
    """Yield the root on the first beat and the fifth or root on the second."""
    for bar in range(5, BARS + 1):
        root, _, fifth = chord_at(bar)
        low = root - 12 if root - 12 >= 33 else root
        yield Note((bar - 1) * BAR, 3, low, 0.8)
        if bar < BARS - 1:
            yield Note((bar - 1) * BAR + 3, 2.6, fifth - 12 if bar % 2 else low, 0.6)


def frame_drum() -> Iterator[Note]:
    """Yield low strokes on the beats and lighter ones between, from the first refrain on."""
    for section_id, start in _starts("refrain", "bridge"):
        for bar in range(_bars(section_id)):
            at = start + bar * BAR
            for eighth, pitch, loudness in ((0, 40, 0.9), (2, 52, 0.3), (3, 40, 0.65), (5, 52, 0.4)):
                yield Note(at + eighth, 2, pitch, loudness)


def shakers() -> Iterator[Note]:
    """Yield eighths in refrains, accented on the beats."""
    for _, start in _starts("refrain"):
        for eighth in range(8 * BAR):
            yield Note(start + eighth, 0.6, 60, (0.8, 0.35, 0.5)[eighth % 3])


def stones() -> Iterator[Note]:
    """Yield pairs of struck stones where the voice has ended a phrase."""
    for _, start in _starts("verse", "bridge"):
        for bar in (3, 5):
            for eighth, pitch in ((1, 72), (2, 76), (4, 72)):
                yield Note(start + bar * BAR + eighth, 0.5, pitch, 0.8 if eighth == 1 else 0.55)
