"""The time stamp of a broadcast WAV.

References
----------
EBU Tech 3285, "Specification of the Broadcast Wave Format", version 2 (2011), section 2.3: the bext chunk,
TimeReference at byte 338.
"""

import struct
from pathlib import Path

_TIME_REFERENCE = 338


def time_reference_samples(path: Path) -> int | None:
    """Return a WAV's time stamp in samples since midnight; None if it is no WAV or has none."""
    with path.open("rb") as file:
        header = file.read(12)
        if len(header) < 12 or header[:4] not in (b"RIFF", b"RF64", b"BW64") or header[8:] != b"WAVE":
            return None
        while len(head := file.read(8)) == 8:
            name, size = head[:4], struct.unpack("<I", head[4:])[0]
            if name == b"bext":
                body = file.read(_TIME_REFERENCE + 8)
                if len(body) < _TIME_REFERENCE + 8:
                    return None
                return int(struct.unpack_from("<Q", body, _TIME_REFERENCE)[0])
            if name == b"data":
                return None  # bext stands before the sound
            file.seek(size + size % 2, 1)
    return None
