"""Running a print: what the background task does."""

import logging
import time
from typing import Any

import numpy as np
from django.db import InterfaceError, OperationalError
from django.utils import timezone
from numpy.typing import NDArray
from procrastinate.contrib.django.models import ProcrastinateJob

from hallweb.handoff.models import PrintJob
from hallweb.songs.files import print_folder
from hallweb.songs.lasting import forget, here, keep
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.errors import CoreError
from highhall.plan import plan_from_document
from highhall.prints import PrintOptions, check_prints, parts_of, print_plan
from highhall.prints.keys import part_key
from highhall.prints.manifest import NAME as MANIFEST
from highhall.prints.manifest import row
from highhall.prints.part_file import PrintedFile
from highhall.prints.session import Earlier

_TELL_EVERY_S = 0.25
PARTS = ("main", "dry", "returns")
COLUMNS = 112
BROKE_OFF = "The print broke off because of a fault in High Hall, which its log describes. Your song is as it was; print it again."

_log = logging.getLogger(__name__)


class CancelledError(Exception):
    """The user has cancelled the print."""


def run_print(job_id: int) -> None:
    """Print what a job asks for; may be called again for the same job after a crash."""
    job = PrintJob.objects.select_related("revision", "song").get(pk=job_id)
    if not job.is_open:
        return
    job.state, job.started = PrintJob.State.RUNNING, timezone.now()
    job.save(update_fields=["state", "started"])
    folder = print_folder(job.pk)
    forget(folder)  # what a worker that died may have left
    try:
        plan, sounds = plan_from_document(job.revision.document), song_sounds(job.song_id)
        options = options_of(job.options)
        parts = parts_of(plan, options.kinds, options.ids)
        keys = {part.key: part_key(plan, part, sounds.hashes) for part in parts}
        stems = open_stems(sounds, plan.song.sample_rate)
        summary = print_plan(plan, stems, folder, options, _Teller(job), _earlier(job, keys))
        sums = check_prints(folder)
    except CancelledError:
        return
    except (CoreError, OSError) as error:
        _fail(job, str(error))
        return
    except (InterfaceError, OperationalError):  # the database went away: the queue gives the print to a worker again
        raise
    except Exception:  # whatever it was, nobody shall wait for this print for good
        _log.exception("print %s broke off", job.pk)
        _fail(job, BROKE_OFF)
        return
    notes = [f"{name}: {count} samples clipped" for name, count in summary.clipped_samples.items()]
    keep(*(folder / path for path in (*summary.paths, MANIFEST)))
    PrintJob.objects.filter(pk=job.pk, state=PrintJob.State.RUNNING).update(
        state=PrintJob.State.DONE,
        progress=1.0,
        keys=keys,
        files=[{**row(file), "columns": _columns(file.peaks)} for file in summary.files],
        sums=[{"cut": each.cut, "difference_db": each.difference_db} for each in sums],
        bytes=sum((folder / path).stat().st_size for path in summary.paths),
        seconds=summary.seconds,
        message="; ".join(notes)[:500],
    )


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


def _earlier(job: PrintJob, keys: dict[str, str]) -> dict[str, Earlier]:
    """Return the tracks that were printed before and would be the same again, from the newest print that has them."""
    alike = [name for name in job.options if name != "parts" and name != "kinds"]
    found: dict[str, Earlier] = {}
    for other in PrintJob.objects.filter(song_id=job.song_id, state=PrintJob.State.DONE):
        if any(other.options.get(name) != job.options[name] for name in alike):
            continue
        for file in other.files:
            part, path = file["part"], here(print_folder(other.pk) / file["path"], file["sha256"])
            if part not in found and other.keys.get(part, "") == keys.get(part) and path.is_file():
                known = {name: value for name, value in file.items() if name != "columns"}
                found[part] = Earlier(path, PrintedFile(**known, peaks=np.array(file["columns"], np.float32)))
    return found


def _columns(peaks: NDArray[np.float32]) -> list[float]:
    """Return peaks over so many equal stretches as the tree draws."""
    if len(peaks) <= COLUMNS:
        return [round(float(each), 4) for each in peaks]
    return [round(float(part.max()), 4) for part in np.array_split(peaks, COLUMNS)]


def _fail(job: PrintJob, sentence: str) -> None:
    forget(print_folder(job.pk))
    PrintJob.objects.filter(pk=job.pk).update(state=PrintJob.State.FAILED, message=sentence[:500])


def fail_lost_prints() -> None:
    """End the prints that are open although nothing in the queue works on them any more."""
    queued = ProcrastinateJob.objects.filter(task_name="print-song", status__in=("todo", "doing"))
    alive = [args["job_id"] for args in queued.values_list("args", flat=True)]
    for job in PrintJob.objects.filter(state__in=PrintJob.OPEN).exclude(pk__in=alive):
        _fail(job, BROKE_OFF)


class _Teller:
    """Stores progress a few times a second, and stops the print if it was cancelled."""

    def __init__(self, job: PrintJob) -> None:
        self._job = job
        self._told = time.monotonic()

    def __call__(self, share: float) -> None:
        now = time.monotonic()
        if now - self._told < _TELL_EVERY_S:
            return
        self._told = now
        running = PrintJob.objects.filter(pk=self._job.pk, state=PrintJob.State.RUNNING)
        if not running.update(progress=min(max(share, 0.0), 1.0)):
            raise CancelledError
