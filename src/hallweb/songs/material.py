"""What a song's stems are like: measured once, kept with the stem."""

from dataclasses import dataclass
from typing import Any

from hallweb.songs.files import decoded_folder, song_folder
from hallweb.songs.models import Stem
from highhall.interchange.audio_files import decoded_stem
from highhall.measure import material_of, peak_overview
from highhall.plan import Plan, Track

OVERVIEW_COLUMNS = 400
VERSION = 1


@dataclass(frozen=True, slots=True)
class StemReading:
    """Measured facts of one stem; levels in dB or None, phrases as (start, end) in seconds."""

    seconds: float
    peak_db: float | None
    loudness_lufs: float | None
    dc: float
    clipped_samples: int
    sounding_share: float
    phrases: list[tuple[float, float]]
    overview: list[float]


def stem_reading(song_id: int, plan: Plan, track: Track) -> StemReading:
    """Return what a track's stem is like; the first time it is listened to from end to end.

    Raises
    ------
    AudioFileError
        If the stem's file cannot be used.
    """
    stem = Stem.objects.get(song_id=song_id, path=track.stem)
    if stem.material is None or stem.material.get("version") != VERSION:
        stem.material = _measured(song_id, plan, track)
        stem.save(update_fields=["material"])
    facts = {key: value for key, value in stem.material.items() if key != "version"}
    return StemReading(**facts)


def _measured(song_id: int, plan: Plan, track: Track) -> dict[str, Any]:
    rate = plan.song.sample_rate
    samples = decoded_stem(song_folder(song_id) / track.stem, rate, decoded_folder())
    material = material_of(samples, rate)
    return {
        "version": VERSION,
        "seconds": material.seconds,
        "peak_db": material.peak_db,
        "loudness_lufs": material.loudness_lufs,
        "dc": material.dc,
        "clipped_samples": material.clipped_samples,
        "sounding_share": material.sounding_share,
        "phrases": [(round(p.start_s, 3), round(p.end_s, 3)) for p in material.phrases],
        "overview": [round(float(peak), 4) for peak in peak_overview(samples, OVERVIEW_COLUMNS)],
    }
