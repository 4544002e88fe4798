"""The demo song for a user. Its stems are made once and linked into each copy."""

import shutil
from collections.abc import Callable
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User

from hallweb.songs.actions import create_song
from hallweb.songs.models import Song
from highhall.demo import STEM_NAMES, demo_plan, write_stems


def create_demo_song(owner: User, progress: Callable[[float], None] = lambda _: None) -> Song:
    """Make a copy of the demo song for `owner`; `progress` is told the share of stems that were made."""
    made = Path(settings.DATA_DIR) / "demo-stems"
    write_stems(made, progress)

    def put_stems(folder: Path) -> None:
        (folder / "stems").mkdir(parents=True, exist_ok=True)
        for name in STEM_NAMES:
            _link(made / f"{name}.flac", folder / "stems" / f"{name}.flac")

    return create_song(owner, demo_plan(), put_stems)


def _link(source: Path, target: Path) -> None:
    try:
        target.hardlink_to(source)
    except OSError:  # another file system, or one without hard links
        shutil.copyfile(source, target)
