"""Whether a file may be a stem: read from end to end before it is taken."""

from pathlib import Path

from highhall.interchange.audio_files import AudioFileError, SoundFacts, sound_blocks, sound_facts
from highhall.interchange.wave_chunks import wave_chunks

LONGEST_S = 3600
LOWEST_RATE, HIGHEST_RATE = 8000, 192000


def checked_sound(path: Path, shown_as: str | None = None) -> SoundFacts:
    """Return what a file's header says, once all of its sound was read and found good.

    `shown_as` is the name that errors call it by. More than two channels are for the caller to judge.

    Raises
    ------
    AudioFileError
        If it is not sound, holds no samples, is cut off, is longer than an hour, has a rate outside of 8 to
        192 kHz, or holds samples that `sound_blocks` refuses.
    """
    name = shown_as or path.name
    facts = sound_facts(path, name, most_channels=None)
    if facts.seconds > LONGEST_S:
        minutes = facts.seconds / 60
        raise AudioFileError(f'"{name}" lasts {minutes:.0f} minutes; expected at most {LONGEST_S // 60}')
    if not LOWEST_RATE <= facts.sample_rate <= HIGHEST_RATE:
        raise AudioFileError(f'"{name}" has a rate of {facts.sample_rate} Hz; expected 8000 to 192000 Hz')
    missing = _missing_bytes(path)
    if missing:
        raise AudioFileError(f'"{name}" is cut off: {missing} bytes of its sound are missing; import the whole file')
    read = sum(len(block) for block in sound_blocks(path, name))
    if read > facts.frames:
        raise AudioFileError(f'"{name}" says that it holds {facts.frames} samples and holds more; export it again')
    if read < facts.frames:
        raise AudioFileError(
            f'"{name}" is cut off: {read / facts.sample_rate:.1f} s of {facts.seconds:.1f} s are there; import the whole file'
        )
    return facts


def _missing_bytes(path: Path) -> int:
    """Return how many bytes a WAV or AIFF file is shorter than its header says."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(8)
    if head[:4] == b"FORM":
        return max(int.from_bytes(head[4:], "big") + 8 - size, 0)
    ends = (chunk.start + chunk.size for chunk in wave_chunks(path) if chunk.name == b"data")
    return max(max(ends, default=0) - size, 0)  # chunks may lie behind the sound
