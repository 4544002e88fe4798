"""Prints as background jobs."""

from django.db import models

from hallweb.songs.models import Revision, Song


class PrintJob(models.Model):
    """One print of one revision: its state, its progress, and the files when it is done."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        RUNNING = "running", "Printing"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        CANCELLED = "cancelled", "Cancelled"

    OPEN = (State.WAITING, State.RUNNING)

    song = models.ForeignKey(Song, models.CASCADE, related_name="prints")
    revision = models.ForeignKey(Revision, models.CASCADE, related_name="+")
    state = models.CharField(max_length=16, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=500, blank=True)
    files = models.JSONField(default=list)
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
