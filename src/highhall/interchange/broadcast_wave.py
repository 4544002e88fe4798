"""The time stamp of a broadcast WAV.

References
----------
EBU Tech 3285, "Specification of the Broadcast Wave Format", version 2 (2011), section 2.3: the bext chunk,
TimeReference at byte 338.
"""

import struct
from pathlib import Path

from highhall.interchange.wave_chunks import chunk_body, wave_chunks

_TIME_REFERENCE = 338


def time_reference_samples(path: Path) -> int | None:
    """Return a WAV's time stamp in samples since midnight; None if it is no WAV or has none."""
    for chunk in wave_chunks(path):
        if chunk.name == b"bext":
            body = chunk_body(path, chunk, _TIME_REFERENCE + 8)
            return int(struct.unpack_from("<Q", body, _TIME_REFERENCE)[0]) if len(body) == _TIME_REFERENCE + 8 else None
    return None
