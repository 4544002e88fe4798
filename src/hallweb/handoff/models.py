"""Prints as background jobs."""

from datetime import datetime, timedelta
from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from hallweb.songs.models import Revision, Song


class PrintJob(models.Model):
    """One print of one revision: what is printed, its state, its progress, and the files when it is done.

    options: keys of parts, range in samples, format, depth, rate and pattern, as `printing.options_of` reads them. keys: what each part
    sounded like, by its key. files: a row a file, as the manifest has it, with `columns` to draw. sums: how far cuts were from main.
    stage, frames: of a print in shares, how far it is, and how long all its parts are, in samples of the song. What came later than the
    table has a default in the database: while processes are upgraded one after another, some of an earlier version store rows.
    """

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        RUNNING = "running", "Printing"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        CANCELLED = "cancelled", "Cancelled"

    class Stage(models.TextChoices):
        WHOLE = "whole", "In one process"
        LANES = "lanes", "Lanes"
        MAIN = "main", "Main"
        TRACKS = "tracks", "Tracks"
        END = "end", "Putting together"

    OPEN = (State.WAITING, State.RUNNING)

    song = models.ForeignKey(Song, models.CASCADE, related_name="prints")
    revision = models.ForeignKey(Revision, models.CASCADE, related_name="+")
    state = models.CharField(max_length=16, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=500, blank=True)
    options = models.JSONField(default=dict)
    keys = models.JSONField(default=dict)
    files = models.JSONField(default=list)
    sums = models.JSONField(default=list)
    bytes = models.BigIntegerField(default=0)
    stage = models.CharField(max_length=8, choices=Stage.choices, default=Stage.WHOLE, db_default=Stage.WHOLE)
    frames = models.BigIntegerField(default=0, db_default=0)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    started = models.DateTimeField(null=True)
    seconds = models.FloatField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-pk"]
        constraints = [
            models.CheckConstraint(condition=models.Q(progress__gte=0, progress__lte=1), name="print_progress_in_range")
        ]

    def __str__(self) -> str:
        return f"print {self.pk} of {self.song}"

    @property
    def is_open(self) -> bool:
        """Whether it is still to be done."""
        return self.state in self.OPEN

    @property
    def percent(self) -> int:
        """Progress in whole per cent."""
        return round(self.progress * 100)

    @property
    def seconds_left(self) -> float | None:
        """How long it will still take at the pace so far; None until that can be told."""
        if self.started is None or self.state != self.State.RUNNING or self.progress < 0.03:
            return None
        return (timezone.now() - self.started).total_seconds() * (1 / self.progress - 1)

    @property
    def kept_until(self) -> datetime:
        """When its files are removed."""
        return self.created + timedelta(days=settings.PRINTS_KEPT_DAYS)

    def file_of(self, part: str) -> dict[str, Any] | None:
        """Return the row of a part's file; None if it was not printed."""
        return next((file for file in self.files if file["part"] == part), None)


class PrintShare(models.Model):
    """One share of a print that several workers make: a lane or a track, by its key. file: its row, if it is a track that is done."""

    job = models.ForeignKey(PrintJob, models.CASCADE, related_name="shares")
    key = models.CharField(max_length=200)
    is_done = models.BooleanField(default=False)
    progress = models.FloatField(default=0.0)
    file = models.JSONField(null=True)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["job", "key"], name="print_share_unique")]

    def __str__(self) -> str:
        return f"{self.key} of {self.job}"
