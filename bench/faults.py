"""Faults: web, worker, database are killed at random, and the disk fills up; what was acknowledged is there afterwards.

Usage: bin/bench faults [--kills 200] [--fills 20] [--seed 1] [--port 8190]

It starts bin/demo on a data folder of its own, on a disk of its own in memory (to mount it, one has to be root), and edits, uploads and
prints. Meanwhile it kills -9 one process after another, which bin/demo starts again, and now and then fills the disk to its last byte and
empties it. It fails if an edit that was answered is lost, a stem that was taken differs from what was sent, a print that is called done has
a file that is not whole, a refusal is not a sentence, or the application is not ready again within two minutes.
"""

import argparse
import hashlib
import io
import json
import os
import random
import re
import signal
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import soundfile as sf
from bench.visitors import Visitor, demo, processes

_BETWEEN_S = (0.5, 3.0)
_FULL_S = 6.0


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


@contextmanager
def full_disk(data: Path) -> Iterator[None]:
    """Take all that is free on the disk of a folder, also what becomes free, until the block ends."""
    ballast, is_over = data / "ballast", threading.Event()

    def take() -> None:
        with ballast.open("wb") as file:
            while not is_over.is_set():
                for size in (1 << 20, 4096):
                    try:
                        while not is_over.is_set():
                            file.write(bytes(size))
                            file.flush()
                    except OSError:
                        pass
                is_over.wait(0.05)

    taking = threading.Thread(target=take)
    taking.start()
    try:
        yield
    finally:
        is_over.set()
        taking.join()
        ballast.unlink()


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
    wrong += [
        f"{count} times {what}: no sentence for a person" for what, count in run.refused.items() if " 500" in what
    ]
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
    parser.add_argument("--fills", type=int, default=20)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--port", type=int, default=8190)
    options = parser.parse_args()
    rng = random.Random(options.seed)
    os.environ["HH_DISK_RESERVE_GIB"] = "0"  # or the disk would never be full
    with demo(options.port, "faults", in_memory=options.fills > 0) as data:
        visitor = Visitor(options.port)
        run = Run(options.port, 1)
        workers = [threading.Thread(target=work) for work in (run.edit, run.upload, run.print)]
        for each in workers:
            each.start()
        done, outages = Counter[str](), []
        faults = ["kill"] * options.kills + ["fill"] * options.fills
        rng.shuffle(faults)
        for fault in faults:
            time.sleep(rng.uniform(*_BETWEEN_S))
            what = "disk" if fault == "fill" else kill_one(data, rng)
            if fault == "fill":
                with full_disk(data):
                    time.sleep(_FULL_S)
            if what:
                done[what] += 1
                outages.append((outage_s(visitor), what))
        run.is_over.set()
        for each in workers:
            each.join()
        outage_s(visitor)
        import django

        django.setup()
        wrong = checked(run)
        print(
            f"killed or filled {dict(done)}; longest outage {max(outages)[0]:.1f} s ({max(outages)[1]}), median {sorted(outages)[len(outages) // 2][0]:.1f} s"
        )
        print(*wrong or ["nothing that was acknowledged is lost"], sep="\n")
        return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
