"""Running a print: in one process, or, where several work, in shares (`hallweb.handoff.shares`)."""

import logging
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.db import InterfaceError, OperationalError
from numpy.typing import NDArray
from procrastinate.contrib.django.models import ProcrastinateJob

from hallweb.handoff.models import PrintJob
from hallweb.songs import news
from hallweb.songs.files import print_folder
from hallweb.songs.lasting import forget, here, keep
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import SongSounds, open_stems, song_sounds
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.prints import PrintOptions, check_prints, parts_of, print_plan
from highhall.prints.keys import part_key
from highhall.prints.manifest import NAME as MANIFEST
from highhall.prints.manifest import row
from highhall.prints.part_file import PrintedFile
from highhall.prints.session import Earlier
from highhall.render import Stems

TASKS = ("print-song", "print-share", "print-main", "print-end")
_TELL_EVERY_S = 0.25
PARTS = ("main", "dry", "returns")
COLUMNS = 112
BROKE_OFF = "The print broke off because of a fault in High Hall, which its log describes. Your song is as it was; print it again."

_log = logging.getLogger(__name__)


class CancelledError(Exception):
    """The user has cancelled the print."""


@dataclass(frozen=True, slots=True)
class Asked:
    """What a job asks for: the plan, the song's sounds, the options."""

    plan: Plan
    sounds: SongSounds
    options: PrintOptions

    @classmethod
    def of(cls, job: PrintJob) -> "Asked":
        """Read a job."""
        return cls(plan_of(job.revision_id), song_sounds(job.song_id), options_of(job.options))

    @property
    def keys(self) -> dict[str, str]:
        """What each part sounds like, by its key: worked out when it is asked for."""
        parts = parts_of(self.plan, self.options.kinds, self.options.ids)
        return {part.key: part_key(self.plan, part, self.sounds.hashes) for part in parts}

    @property
    def stems(self) -> Stems:
        """The stems, decoded."""
        return open_stems(self.sounds, self.plan.song.sample_rate)


@contextmanager
def ended_by_faults(job: PrintJob) -> Iterator[None]:
    """End a print as failed, with a sentence, whatever goes wrong in the block; one that was cancelled is cleared away."""
    try:
        yield
    except CancelledError:
        cancelled = PrintJob.objects.filter(pk=job.pk, state=PrintJob.State.CANCELLED)
        if cancelled.exists():  # or it is done, by another worker
            forget(print_folder(job.pk))
    except (InterfaceError, OperationalError):  # the database went away: the queue gives the print to a worker again
        raise
    except (CoreError, OSError) as error:
        _fail(job, str(error))
    except Exception:  # whatever it was, nobody shall wait for this print for good
        _log.exception("print %s broke off", job.pk)
        _fail(job, BROKE_OFF)


def print_whole(job: PrintJob) -> None:
    """Print everything that a job asks for in this process."""
    folder = print_folder(job.pk)
    forget(folder)  # what a worker that died may have left
    asked = Asked.of(job)
    summary = print_plan(asked.plan, asked.stems, folder, asked.options, Teller(job), earlier_tracks(job, asked.keys))
    keep(*(folder / path for path in summary.paths))
    end_print(job, asked, summary.files, summary.seconds)


def end_print(job: PrintJob, asked: Asked, files: Sequence[PrintedFile], seconds: float) -> None:
    """Check all files of a print, in the order of its parts, and call it done."""
    folder = print_folder(job.pk)
    sums = check_prints(folder)
    keep(folder / MANIFEST)
    notes = [f"{file.path}: {file.clipped} samples clipped" for file in files if file.clipped]
    PrintJob.objects.filter(pk=job.pk, state=PrintJob.State.RUNNING).update(
        state=PrintJob.State.DONE,
        progress=1.0,
        keys=asked.keys,
        files=[file_row(file) for file in files],
        sums=[{"cut": each.cut, "difference_db": each.difference_db} for each in sums],
        bytes=sum((folder / file.path).stat().st_size for file in files),
        seconds=seconds,
        message="; ".join(notes)[:500],
    )
    tell_of(job)


def file_row(file: PrintedFile) -> dict[str, Any]:
    """Return a file as it is stored: its row of the manifest, and `columns` to draw."""
    return {**row(file), "columns": _columns(file.peaks)}


def file_of_row(stored: dict[str, Any]) -> PrintedFile:
    """Return the file that `file_row` wrote."""
    known = {name: value for name, value in stored.items() if name != "columns"}
    return PrintedFile(**known, peaks=np.array(stored["columns"], np.float32))


def options_of(said: dict[str, Any]) -> PrintOptions:
    """Return the options of a job; what it does not say is a whole song in 24 bit."""
    kinds = tuple(said.get("kinds", () if said.get("parts") else PARTS))
    return PrintOptions(
        kinds=kinds,
        ids=tuple(key.rpartition("/")[2] for key in said.get("parts", ())),
        start_sample=said.get("start"),
        end_sample=said.get("end"),
        file_format=said.get("format", "wav"),
        depth=said.get("depth", "24"),
        rate=said.get("rate"),
        pattern=said.get("pattern"),
    )


def earlier_tracks(job: PrintJob, keys: dict[str, str]) -> dict[str, Earlier]:
    """Return the tracks that were printed before and would be the same again, from the newest print that has them."""
    alike = [name for name in job.options if name != "parts" and name != "kinds"]
    found: dict[str, Earlier] = {}
    for other in PrintJob.objects.filter(song_id=job.song_id, state=PrintJob.State.DONE):
        if any(other.options.get(name) != job.options[name] for name in alike):
            continue
        for file in other.files:
            part = file["part"]
            if part in found or other.keys.get(part, "") != keys.get(part):
                continue
            path = here(print_folder(other.pk) / file["path"], file["sha256"])
            if path.is_file():
                found[part] = Earlier(path, file_of_row(file))
    return found


def _columns(peaks: NDArray[np.float32]) -> list[float]:
    """Return peaks over so many equal stretches as the tree draws."""
    if len(peaks) <= COLUMNS:
        return [round(float(each), 4) for each in peaks]
    return [round(float(part.max()), 4) for part in np.array_split(peaks, COLUMNS)]


def _fail(job: PrintJob, sentence: str) -> None:
    """End a print as failed, unless it has ended meanwhile."""
    still_open = PrintJob.objects.filter(pk=job.pk, state__in=PrintJob.OPEN)
    if still_open.update(state=PrintJob.State.FAILED, message=sentence[:500]):
        forget(print_folder(job.pk))
        tell_of(job)


def fail_lost_prints() -> None:
    """End the prints that are open although nothing in the queue works on them any more."""
    open_jobs = list(
        PrintJob.objects.filter(state__in=PrintJob.OPEN)
    )  # before the queue: what comes meanwhile is in none
    queued = ProcrastinateJob.objects.filter(task_name__in=TASKS, status__in=("todo", "doing"))
    alive = {args["job_id"] for args in queued.values_list("args", flat=True)}
    for job in open_jobs:
        if job.pk not in alive:
            _log.error("print %s is in no queue any more, at the stage %s", job.pk, job.stage)
            _fail(job, BROKE_OFF)


class Teller:
    """Stores progress a few times a second, and stops the print if it was cancelled."""

    def __init__(self, job: PrintJob) -> None:
        self._job = job
        self._told = time.monotonic()

    def __call__(self, share: float) -> None:
        now = time.monotonic()
        if now - self._told < _TELL_EVERY_S:
            return
        self._told = now
        self.tell(min(max(share, 0.0), 1.0))

    def tell(self, share: float) -> None:
        """Store the progress."""
        running = PrintJob.objects.filter(pk=self._job.pk, state=PrintJob.State.RUNNING)
        if not running.update(progress=share):
            raise CancelledError
        tell_of(self._job)


def tell_of(job: PrintJob) -> None:
    """Tell pages that a print has come further, or has ended."""
    news.tell(job.song_id, news.of_print(job.pk))
