"""Users and songs for web tests: short songs of noise, so that a segment is rendered in a blink."""

from pathlib import Path
from typing import Any

import numpy as np
from django.contrib.auth.models import User
from django.http import HttpResponse

from hallweb.analysis.stems import analyse
from hallweb.analysis.tasks import ask_to_analyse
from hallweb.songs.actions import create_song, edit_plan
from hallweb.songs.files import song_folder
from hallweb.songs.models import Song
from highhall.interchange.audio_files import content_hash
from highhall.plan import Plan, plan_from_document
from highhall.plan.edits import add_return, effect_of_kind, set_send
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

    song = create_song(owner, plan, put_stems)
    ask_to_analyse(song.stems.all(), plan.song.sample_rate)
    return song


def large_song(user, *, tracks: int = 40, returns: int = 12) -> Song:
    """Return a song whose returns have a space and a tone each, every one fed by a third of the tracks."""
    song = make_song(user, tracks=tracks)

    def fill(plan):
        for number in range(returns - 2):
            space = effect_of_kind("reverb", "space", {"space": "hall", "decay_s": 1.0 + number / 10})
            tone = effect_of_kind(
                "tone", "tone", {"bands": [{"shape": "low_cut", "hz": 200}, {"shape": "bell", "hz": 900}]}
            )
            plan, key = add_return(plan, f"Space {number}", (space, tone))
            for track in plan.tracks[number::3]:
                plan = set_send(plan, track.id, key, level_db=-12.0)
        return plan

    edit_plan(song.pk, song.head.number, "Fill", fill)
    song.refresh_from_db()
    return song


def shown(answer: HttpResponse) -> str:
    """Return an answer's page with its blanks as a browser shows them: one for many."""
    return " ".join(answer.content.decode().split())


def stored_plan(song: Song) -> Plan:
    """Return what the database says that a song's plan is, whatever is kept read."""
    head = Song.objects.select_related("head").get(pk=song.pk).head
    return plan_from_document(head.document)


def sing(song: Song) -> Song:
    """Give a song a voice of three phrases: 0.5 to 1.5, 2.2 to 3.0 (two words, the second at 2.6) and 5.0 to 6.0 s; all stems listened to."""
    rng = np.random.default_rng(1)
    voice = np.zeros((1, 8 * 48000))
    for start, end in ((0.5, 1.5), (2.2, 2.55), (2.6, 3.0), (5.0, 6.0)):
        span = slice(round(start * 48000), round(end * 48000))
        voice[:, span] = 0.2 * rng.standard_normal((1, span.stop - span.start))
    path = song_folder(song.pk) / "voice.wav"
    write_stem(path, voice)
    song.stems.filter(path="voice.wav").update(content_hash=content_hash(path))
    for stem in song.stems.all():
        analyse(stem, 48000)
    return song
