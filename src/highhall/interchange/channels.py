"""From a file of many channels to a stereo stem.

References
----------
ITU-R BS.775-3 (2012), "Multichannel stereophonic sound system": downmix to two channels, centre and
surrounds at -3 dB; the low-frequency channel is left out. Channel order as in WAV (ITU-R BS.2051 subsets).
"""

import math
from enum import StrEnum
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from highhall.interchange.audio_files import AudioFileError, sound_blocks, sound_facts, written_whole

_R = math.sqrt(0.5)

# Left and right shares of each channel: L R C LFE and surrounds, in WAV's order.
_LAYOUTS: dict[int, tuple[tuple[float, float], ...]] = {
    3: ((1, 0), (0, 1), (_R, _R)),
    4: ((1, 0), (0, 1), (_R, 0), (0, _R)),
    5: ((1, 0), (0, 1), (_R, _R), (_R, 0), (0, _R)),
    6: ((1, 0), (0, 1), (_R, _R), (0, 0), (_R, 0), (0, _R)),
    8: ((1, 0), (0, 1), (_R, _R), (0, 0), (_R, 0), (0, _R), (_R, 0), (0, _R)),
}


class ManyChannels(StrEnum):
    """What to do with a file of more than two channels."""

    REFUSE = "refuse"
    FIRST_PAIR = "first-pair"
    FOLD_DOWN = "fold-down"


def to_stereo(path: Path, target: Path, how: ManyChannels, shown_as: str | None = None) -> None:
    """Write a stereo WAV in 32-bit float, so that nothing clips that a fold-down makes louder than full scale.

    Raises
    ------
    AudioFileError
        If it is not sound, or has a number of channels for which no fold-down is known.
    """
    name = shown_as or path.name
    facts = sound_facts(path, name, most_channels=None)
    shares = _shares(name, facts.channels, how)
    with (
        written_whole(target) as temporary,
        sf.SoundFile(temporary, "w", facts.sample_rate, 2, subtype="FLOAT", format="RF64") as file,
    ):
        for block in sound_blocks(path, name):
            file.write(block @ shares)


def _shares(name: str, channels: int, how: ManyChannels) -> NDArray[np.float32]:
    """Return (channels, 2)."""
    if how is ManyChannels.FIRST_PAIR:
        return np.eye(channels, 2, dtype=np.float32)
    if how is ManyChannels.FOLD_DOWN and channels in _LAYOUTS:
        return np.array(_LAYOUTS[channels], np.float32)
    if how is ManyChannels.FOLD_DOWN:
        known = ", ".join(map(str, _LAYOUTS))
        raise AudioFileError(f'"{name}" has {channels} channels, which cannot be folded down; expected {known}')
    raise AudioFileError(f'"{name}" has {channels} channels; expected one (mono) or two (stereo)')
