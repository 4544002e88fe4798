"""A backup, restored into an empty place, is the same songs, sound for sound."""

import os
import subprocess
import sys

import pytest
from django.conf import settings
from django.db import connection

from hallweb.songs import actions
from hallweb.songs.files import song_folder
from hallweb.songs.models import Revision, Stem
from hallweb.songs.presets import save_preset
from hallweb.songs.revisions import plan_of
from highhall.interchange.audio_files import content_hash
from highhall.plan.edits import set_return
from highhall.plan.sets import ReturnSet
from tests.web.factories import make_song, make_user
from tests.web.processes import ROOT, environment

pytestmark = [pytest.mark.slow, pytest.mark.django_db(transaction=True)]

LOOK = """
import django; django.setup()
from hallweb.songs.models import Revision, Stem, Preset
from hallweb.songs.files import song_folder
from highhall.interchange.audio_files import content_hash
for row in Revision.objects.order_by("pk"): print(row.pk, row.number, sorted(row.document))
for row in Stem.objects.order_by("pk"): print(row.path, content_hash(song_folder(row.song_id) / row.path))
for row in Preset.objects.order_by("pk"): print(row.name)
"""


def run(command: list[str], **more: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, *command], env=environment(**more), cwd=ROOT, capture_output=True, text=True)


@pytest.fixture
def elsewhere(tmp_path):
    """An empty database and an empty data folder: the variables that name them."""
    with connection.cursor() as cursor:
        cursor.execute("CREATE DATABASE restored")
    yield {"HH_DB_NAME": "restored", "HH_DATA_DIR": str(tmp_path / "restored")}
    with connection.cursor() as cursor:
        cursor.execute("DROP DATABASE restored WITH (FORCE)")


def test_what_is_restored_is_what_was_backed_up(tmp_path, elsewhere) -> None:
    user = make_user()
    song = make_song(user)
    save_preset(user, ReturnSet(name="Mine", returns=plan_of(song.head_id).returns))
    backup = str(tmp_path / "backup")
    assert run(["manage.py", "backup", backup]).returncode == 0
    actions.edit_plan(song.pk, 1, "Wider", lambda plan: set_return(plan, "hall", width=0.5))
    again = run(["manage.py", "backup", backup])
    assert "and 0 new files are in" in again.stdout, again.stderr
    there = run(["-c", LOOK]).stdout
    assert there.count("\n") == Revision.objects.count() + Stem.objects.count() + 1 == 2 + 3 + 1
    refused = run(["manage.py", "restore", backup])
    assert refused.returncode == 1
    assert "is not empty; restore into one that is" in refused.stderr
    restored = run(["manage.py", "restore", backup], **elsewhere)
    assert "every sound is what it was" in restored.stdout, restored.stderr
    assert run(["-c", LOOK], **elsewhere).stdout == there


def test_a_backup_with_a_damaged_sound_is_told_when_it_is_restored(tmp_path, elsewhere) -> None:
    song = make_song(make_user())
    stem = song.stems.all()[0]
    backup = tmp_path / "backup"
    assert run(["manage.py", "backup", str(backup)]).returncode == 0
    copy = backup / "files" / (song_folder(song.pk) / stem.path).relative_to(settings.DATA_DIR)
    assert content_hash(copy) == stem.content_hash
    copy.write_bytes(copy.read_bytes()[:-8] + os.urandom(8))
    restored = run(["manage.py", "restore", str(backup)], **elsewhere)
    assert restored.returncode == 1
    assert f'"{stem.path}" of song {song.pk} is not what was stored' in restored.stderr


def test_a_folder_without_a_backup_is_refused_in_a_sentence(tmp_path, elsewhere) -> None:
    refused = run(["manage.py", "restore", str(tmp_path)], **elsewhere)
    assert (refused.returncode, "there is no backup in" in refused.stderr) == (1, True)
    assert "Traceback" not in refused.stderr
