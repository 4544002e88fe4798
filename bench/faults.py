"""Faults: web, worker and database are killed at random among edits, uploads and prints; what was acknowledged is there afterwards.

Usage: bin/bench faults [--kills 200] [--seed 1] [--port 8190]

It starts bin/demo on a data folder of its own and kills -9 one process after another; bin/demo starts them again. It fails if an edit that was
answered is lost, a stem that was taken differs from what was sent, or a print that is called done has a file that is not whole.
"""

import argparse
import hashlib
import http.client
import io
import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.parse
from collections import Counter
from pathlib import Path

import numpy as np
import soundfile as sf

ROOT = Path(__file__).parent.parent
_BETWEEN_S = (0.5, 3.0)


class Visitor:
    """A browser that keeps its cookies and gives up soon."""

    def __init__(self, port: int) -> None:
        self._port, self._cookies = port, {}

    def ask(
        self, method: str, address: str, form: dict[str, str] | None = None, body: bytes | None = None, **headers: str
    ):
        """Return status and text of an answer; 0 if there is none."""
        connection = http.client.HTTPConnection("127.0.0.1", self._port, timeout=20)
        sent = {"Cookie": "; ".join(f"{name}={value}" for name, value in self._cookies.items()), **headers}
        if form is not None:
            body, sent["Content-Type"] = urllib.parse.urlencode(form).encode(), "application/x-www-form-urlencoded"
        sent["X-CSRFToken"] = self._cookies.get("csrftoken", "")
        try:
            connection.request(method, address, body, sent)
            answer = connection.getresponse()
            text = answer.read().decode("utf-8", "replace")
        except (OSError, http.client.HTTPException):
            return 0, ""
        finally:
            connection.close()
        for line in answer.headers.get_all("Set-Cookie") or ():
            name, _, value = line.partition(";")[0].partition("=")
            self._cookies[name] = value
        return answer.status, text

    def sign_in(self) -> None:
        """Come in as the demo's user, as soon as one can."""
        for _ in range(100):
            self.ask("GET", "/accounts/login/")
            status, text = self.ask("POST", "/accounts/login/", {"login": "demo", "password": "lantern"})
            if status == 302:
                return
            time.sleep(0.3)
        raise RuntimeError(f"signing in was answered {status}: {re.sub('<[^>]+>', ' ', text)[-300:]}")


class Run:
    """What was acknowledged while processes were killed."""

    def __init__(self, port: int, song: int) -> None:
        self.port, self.song, self.is_over = port, song, threading.Event()
        self.edits: dict[int, float] = {}
        self.stems: dict[str, str] = {}
        self.refused: Counter[str] = Counter()

    def _visitor(self) -> Visitor:
        visitor = Visitor(self.port)
        visitor.sign_in()
        return visitor

    def edit(self) -> None:
        """Set a send's level again and again, each time to another value."""
        visitor, rng, base = self._visitor(), random.Random(1), 1
        while not self.is_over.is_set():
            level = round(rng.uniform(-40, 0), 2)
            form = {
                "revision": str(base),
                "source": "fiddle",
                "target": "near-room",
                "field": "level",
                "value": str(level),
            }
            status, text = visitor.ask("POST", f"/songs/{self.song}/sends/set/", form, **{"HX-Request": "true"})
            told = re.search(r'name="revision" value="(\d+)"', text)
            if status == 200 and told:
                base = int(told[1])
                self.edits[base] = level
                continue
            self.refused[f"edit {status}"] += 1
            status, text = visitor.ask("GET", f"/songs/{self.song}/newest/")
            if status == 200:
                base = json.loads(text)["revision"]
            time.sleep(0.1)

    def upload(self) -> None:
        """Bring in one stem after another."""
        visitor, rng, number = self._visitor(), np.random.default_rng(2), 0
        while not self.is_over.is_set():
            number += 1
            out = io.BytesIO()
            sf.write(out, 0.1 * rng.standard_normal(48000 * 4), 48000, format="WAV", subtype="PCM_24")
            content = out.getvalue()
            status, text = visitor.ask(
                "POST", f"/songs/{self.song}/uploads/", {"name": f"take {number}.wav", "size": str(len(content)), "modified": "1"}
            )  # fmt: skip
            if status == 200:
                opened = json.loads(text)
                kind = {"Content-Type": "application/octet-stream", "X-Offset": str(opened["received"])}
                status, _ = visitor.ask("POST", opened["url"], body=content[opened["received"] :], **kind)
            if status == 200:
                status, text = visitor.ask("POST", f"{opened['url']}finish/", {})
            if status == 200:
                self.stems[json.loads(text)["path"]] = hashlib.sha256(content).hexdigest()
            else:
                self.refused[f"upload {status}"] += 1
            time.sleep(0.2)

    def print(self) -> None:
        """Print a section of the song again and again."""
        visitor = self._visitor()
        while not self.is_over.is_set():
            form = {"chosen": "1", "part": "main", "range": "section intro", "format": "wav", "depth": "24"}
            status, _ = visitor.ask("POST", f"/songs/{self.song}/hand-off/print/", form, **{"HX-Request": "true"})
            if status != 200:
                self.refused[f"print {status}"] += 1
            self.is_over.wait(4)


def processes(data: Path) -> dict[str, list[int]]:
    """Return the numbers of the processes of a data folder, by what they do."""
    found: dict[str, list[int]] = {"web": [], "worker": [], "database": []}
    for folder in Path("/proc").iterdir():
        if not folder.name.isdecimal():
            continue
        try:
            command = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode()
            environ = (folder / "environ").read_bytes().decode("utf-8", "replace")
        except OSError:
            continue
        is_ours = f"HH_DATA_DIR={data}" in environ
        if is_ours and "gunicorn hallweb" in command:
            found["web"].append(int(folder.name))
        elif is_ours and "procrastinate worker" in command:
            found["worker"].append(int(folder.name))
    pid = data / "postgres" / "postmaster.pid"
    if pid.exists():
        found["database"].append(int(pid.read_text().split()[0]))
    return found


def kill_one(data: Path, rng: random.Random) -> str | None:
    """Kill one process at random; return what it did, if there was any."""
    alive = processes(data)
    what = rng.choice([name for name, numbers in alive.items() if numbers] or ["web"])
    for number in alive[what][:1] if what == "database" else alive[what]:
        try:
            os.kill(number, signal.SIGKILL)
        except ProcessLookupError:
            return None
    return what if alive[what] else None


def outage_s(visitor: Visitor) -> float:
    """Return how long it takes until web and database answer."""
    began = time.perf_counter()
    while visitor.ask("GET", "/ready/")[0] != 200:
        if time.perf_counter() - began > 120:
            raise SystemExit("it did not come back within two minutes")
        time.sleep(0.05)
    return time.perf_counter() - began


def checked(run: Run) -> list[str]:
    """Return what of the acknowledged is not there, by the rows and files of the data folder."""
    from hallweb.handoff.models import PrintJob
    from hallweb.songs.files import print_folder, song_folder
    from hallweb.songs.models import Revision, Stem
    from hallweb.songs.revisions import plan_of

    wrong = []
    numbers = dict(Revision.objects.filter(song_id=run.song).values_list("number", "pk"))
    for number, level in run.edits.items():
        send = plan_of(numbers[number]).send("fiddle", "near-room") if number in numbers else None
        if send is None or send.level_db is None or abs(send.level_db - level) > 0.005:
            wrong.append(f"the edit of revision {number} is lost")
    for path, sha256 in run.stems.items():
        file = song_folder(run.song) / path
        if not file.exists() or hashlib.sha256(file.read_bytes()).hexdigest() != sha256:
            wrong.append(f"the stem {path} differs from what was sent")
        if not Stem.objects.filter(song_id=run.song, path=path, content_hash=sha256).exists():
            wrong.append(f"the stem {path} has no row")
    for job in PrintJob.objects.filter(song_id=run.song, state=PrintJob.State.DONE):
        for row in job.files:
            file = print_folder(job.pk) / row["path"]
            if not file.exists() or hashlib.sha256(file.read_bytes()).hexdigest() != row["sha256"]:
                wrong.append(f"print {job.pk} has a file that is not whole: {row['path']}")
    if not run.edits or not run.stems:
        wrong.append("nothing was acknowledged, so nothing is shown")
    states = Counter(PrintJob.objects.filter(song_id=run.song).values_list("state", flat=True))
    print(
        f"{len(run.edits)} edits, {len(run.stems)} stems, prints {dict(states)} acknowledged; not taken meanwhile: {dict(run.refused)}"
    )
    return wrong


def main() -> int:
    """Kill, look after what was acknowledged, and return 1 if any of it is gone."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--port", type=int, default=8190)
    options = parser.parse_args()
    rng = random.Random(options.seed)
    data = Path(tempfile.mkdtemp(prefix="high-hall-faults-", dir="/var/tmp"))
    data.chmod(0o755)
    os.environ |= {"HH_PORT": str(options.port), "HH_DATA_DIR": str(data), "DJANGO_SETTINGS_MODULE": "hallweb.settings"}
    os.environ["HH_DB_PORT"] = str(options.port + 10000)
    demo = subprocess.Popen([ROOT / "bin" / "demo"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        visitor = Visitor(options.port)
        while visitor.ask("GET", "/ready/")[0] != 200:
            if demo.poll() is not None:
                raise SystemExit("bin/demo did not start")
            time.sleep(1)
        run = Run(options.port, 1)
        workers = [threading.Thread(target=work) for work in (run.edit, run.upload, run.print)]
        for each in workers:
            each.start()
        killed, outages = Counter[str](), []
        while killed.total() < options.kills:
            time.sleep(rng.uniform(*_BETWEEN_S))
            what = kill_one(data, rng)
            if what:
                killed[what] += 1
                outages.append((outage_s(visitor), what))
        run.is_over.set()
        for each in workers:
            each.join()
        outage_s(visitor)
        import django

        django.setup()
        wrong = checked(run)
        print(
            f"killed {dict(killed)}; longest outage {max(outages)[0]:.1f} s ({max(outages)[1]}), median {sorted(outages)[len(outages) // 2][0]:.1f} s"
        )
        print(*wrong or ["nothing that was acknowledged is lost"], sep="\n")
        return 1 if wrong else 0
    finally:
        demo.terminate()
        demo.wait()
        shutil.rmtree(data, ignore_errors=True)


if __name__ == "__main__":
    sys.exit(main())
