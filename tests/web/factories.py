"""Users and songs for web tests: short songs of noise, so that a piece is rendered in a blink."""

from pathlib import Path
from typing import Any

import numpy as np
from django.contrib.auth.models import User

from hallweb.songs.actions import create_song
from hallweb.songs.models import Song
from highhall.plan import plan_from_document
from tests.core.plans import make_document, write_stem


def make_user(name: str = "ada") -> User:
    return User.objects.create_user(name, password="a long secret")


def make_song(owner: User, *, tracks: int = 3, **changes: Any) -> Song:
    document = make_document(bars=4)
    document["song"].update(changes)
    document["song"]["sections"] = [
        {"id": "a", "name": "Verse", "start": "1|1", "end": "3|1"},
        {"id": "b", "name": "Refrain", "start": "3|1", "end": "5|1"},
    ]
    for index in range(3, tracks):
        document["tracks"].append(
            {"id": f"extra-{index}", "name": f"Extra {index}", "stem": "voice.wav", "group": "band"}
        )
    plan = plan_from_document(document)

    def put_stems(folder: Path) -> None:
        rng = np.random.default_rng(0)
        for track in plan.tracks[:3]:
            write_stem(folder / track.stem, 0.1 * rng.standard_normal((1, 8 * 48000)))

    return create_song(owner, plan, put_stems)
