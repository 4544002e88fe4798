"""The database killed among edits: what was acknowledged is there when it is back, and nothing else is half there."""

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.web.test_killed import free_port, wait_for

pytestmark = pytest.mark.slow

ROOT = Path(__file__).parents[2]
EDITS = 200
KILLED_AFTER = 90

PREPARE = """
import django; django.setup()
from django.contrib.auth.models import User
from django.core.management import call_command
call_command("migrate", verbosity=0)
from tests.web.factories import make_song
make_song(User.objects.create_user("ada"))
"""

EDIT = """
import sys
import django; django.setup()
from hallweb.songs import actions
from hallweb.songs.models import Song
from highhall.plan.edits import set_return
song = Song.objects.get()
number = song.head.number
for count in range(int(sys.argv[1])):
    level_db = -(number % 50) - 0.5
    state = actions.edit_plan(song.pk, number, "Level", lambda plan: set_return(plan, "hall", level_db=level_db))
    number = state.revision.number
    print(number, level_db, flush=True)
"""

READ = """
import json
import django; django.setup()
from hallweb.songs.models import Song
from hallweb.songs.revisions import newest_plan
song = Song.objects.get()
rows = list(song.revisions.values_list("number", "parent__number"))
print(json.dumps([song.head.number, newest_plan(song).return_("hall").level_db, rows]))
"""


class Machine:
    """A database of its own, and processes that use it."""

    def __init__(self, folder: Path) -> None:
        port = free_port()
        self._folder = folder
        self._environment = {
            **{name: value for name, value in os.environ.items() if not name.startswith("HH_")},
            "HH_DATA_DIR": str(folder),
            "HH_PORT": str(port),
            "HH_DB_PORT": str(free_port()),
            "DJANGO_SETTINGS_MODULE": "hallweb.settings",
            "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}",
        }
        secrets = {"secret_key": "k" * 60, "database_password": "a long secret"}
        (folder / "secrets.json").write_text(json.dumps(secrets))

    def database(self, what: str) -> None:
        """Start or stop the database, with all that keeps its data safe switched on."""
        subprocess.run(["bin/database", what], cwd=ROOT, env=self._environment, check=True, capture_output=True)

    def kill_database(self) -> None:
        """Kill all its processes at once, as a power cut would."""
        postmaster = (self._folder / "postgres" / "postmaster.pid").read_text().split()[0]
        children = Path(f"/proc/{postmaster}/task/{postmaster}/children").read_text().split()
        for pid in (postmaster, *children):
            os.kill(int(pid), signal.SIGKILL)
        wait_for(lambda: not any(Path(f"/proc/{pid}/cmdline").exists() for pid in (postmaster, *children)))

    def run(self, script: str, *arguments: str) -> subprocess.Popen[str]:
        """Run a script of the application."""
        command = [sys.executable, "-c", script, *arguments]
        pipe = subprocess.PIPE
        return subprocess.Popen(command, cwd=ROOT, env=self._environment, stdout=pipe, stderr=pipe, text=True)

    def told(self, script: str) -> str:
        """Run a script to its end; return what it printed."""
        process = self.run(script)
        out, fault = process.communicate(timeout=120)
        assert process.returncode == 0, fault
        return out


@pytest.fixture
def machine() -> Iterator[Machine]:
    folder = Path(tempfile.mkdtemp(dir="/var/tmp", prefix="high-hall-killed-"))
    folder.chmod(0o755)  # the database's own user has to reach it
    made = Machine(folder)
    made.database("start")
    try:
        yield made
    finally:
        made.database("stop")
        shutil.rmtree(folder)


def acknowledged(process: subprocess.Popen[str], until: int | None = None) -> list[tuple[int, float]]:
    """Return what edits said when they were done: number and level."""
    found: list[tuple[int, float]] = []
    assert process.stdout is not None
    for line in process.stdout:
        number, level_db = line.split()
        found.append((int(number), float(level_db)))
        if until and len(found) == until:
            break
    return found


def test_the_database_killed_among_two_hundred_edits_loses_none_that_was_acknowledged(machine: Machine) -> None:
    machine.told(PREPARE)
    editing = machine.run(EDIT, str(EDITS))
    done = acknowledged(editing, until=KILLED_AFTER)
    machine.kill_database()
    done += acknowledged(editing)
    editing.communicate()
    assert editing.returncode != 0, "it ended before the database was killed"
    machine.database("start")
    number, level_db, rows = json.loads(machine.told(READ))
    assert number in (done[-1][0], done[-1][0] + 1), "one more may be stored that nobody was told of"
    assert rows == [[1, None], *([n, n - 1] for n in range(2, number + 1))], "every revision, each once, in order"
    if number == done[-1][0]:
        assert level_db == done[-1][1]
    rest = machine.run(EDIT, str(EDITS - len(done)))
    assert len(acknowledged(rest)) == EDITS - len(done), "work goes on"
    rest.communicate()
    assert json.loads(machine.told(READ))[0] == number + EDITS - len(done)
