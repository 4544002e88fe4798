"""Where a song's files lie in the data folder."""

import shutil
from pathlib import Path

from django.conf import settings

from highhall.interchange.audio_files import SoundFacts


def song_folder(song_id: int) -> Path:
    """Return the folder that a song's plan paths are relative to."""
    return Path(settings.DATA_DIR) / "songs" / str(song_id)


def decoded_folder() -> Path:
    """Return the folder of decoded stems, named by content."""
    return Path(settings.DATA_DIR) / "decoded"


def analyses_folder() -> Path:
    """Return the folder of what stems are like, named by content."""
    return Path(settings.DATA_DIR) / "measured"


def upload_file(upload_id: int) -> Path:
    """Return where the bytes of an upload gather."""
    return Path(settings.DATA_DIR) / "uploads" / f"{upload_id}.part"


def arrived_bytes(upload_id: int) -> int:
    """Return how many bytes of an upload have arrived."""
    path = upload_file(upload_id)
    return path.stat().st_size if path.exists() else 0


def segments_folder() -> Path:
    """Return the folder of segments, named by key."""
    return Path(settings.DATA_DIR) / "segments"


def rendering_mark() -> Path:
    """Return the file whose time says when this machine last had sound to render that is about to be heard."""
    return Path(settings.DATA_DIR) / "rendering"


def print_folder(job_id: int) -> Path:
    """Return the folder of one print's files."""
    return Path(settings.DATA_DIR) / "prints" / str(job_id)


def bytes_on_disk(path: Path, facts: SoundFacts, sample_rate: int) -> int:
    """Return what a stem takes: its file, and its copy that is decoded at the song's rate, four bytes a sample."""
    return path.stat().st_size + round(facts.seconds * sample_rate) * min(facts.channels, 2) * 4


def link_file(source: Path, target: Path) -> None:
    """Let a file lie in a second place as well, without a copy where the file system can do that."""
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        target.hardlink_to(source)
    except OSError:  # another file system, or one without hard links
        shutil.copyfile(source, target)
