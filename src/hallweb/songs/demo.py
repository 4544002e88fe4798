"""The demo song for a user. Its stems are made once and linked into each copy."""

from collections.abc import Callable
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User

from hallweb.songs.actions import create_song
from hallweb.songs.files import link_file
from hallweb.songs.lasting import keep
from hallweb.songs.models import Song
from highhall.demo import STEM_NAMES, demo_plan, write_stems


def create_demo_song(owner: User, progress: Callable[[float], None] = lambda _: None) -> Song:
    """Make a copy of the demo song for `owner`; `progress` is told the share of stems that were made."""
    made = Path(settings.DATA_DIR) / "demo-stems"
    write_stems(made, progress)

    def put_stems(folder: Path) -> None:
        for name in STEM_NAMES:
            link_file(made / f"{name}.flac", folder / "stems" / f"{name}.flac")
            keep(folder / "stems" / f"{name}.flac")

    return create_song(owner, demo_plan(), put_stems)
