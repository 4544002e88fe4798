"""Links by which somebody without an account hears chosen prints of a song, and comments at a bar and beat."""

from typing import Self

from django.conf import settings
from django.db import models
from django.utils import timezone

from hallweb.handoff.models import PrintJob
from hallweb.songs.models import Song


class ListeningLinkQuerySet(models.QuerySet["ListeningLink"]):
    def open(self) -> Self:
        """Return the links that still open: not revoked, not over, of songs that are not deleted."""
        return self.filter(revoked=None, expires__gt=timezone.now(), song__deleted=None)


class ListeningLink(models.Model):
    """A link to chosen prints of a song. Of its token only the SHA-256 is kept, so nobody can read it here."""

    song = models.ForeignKey(Song, models.CASCADE, related_name="links")
    name = models.CharField(max_length=80)
    token_sha256 = models.CharField(max_length=64, unique=True)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    revoked = models.DateTimeField(null=True)

    objects = ListeningLinkQuerySet.as_manager()

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def is_open(self) -> bool:
        """Whether it still opens."""
        return self.revoked is None and self.expires > timezone.now()


class LinkedPrint(models.Model):
    """A print that a link lets hear, under the name of its version."""

    link = models.ForeignKey(ListeningLink, models.CASCADE, related_name="prints")
    job = models.ForeignKey(PrintJob, models.CASCADE, related_name="linked")
    name = models.CharField(max_length=120)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name


class Comment(models.Model):
    """What somebody says at a bar and beat: an account, or a guest of a link by the name they gave."""

    song = models.ForeignKey(Song, models.CASCADE, related_name="comments")
    link = models.ForeignKey(ListeningLink, models.SET_NULL, null=True, related_name="comments")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    name = models.CharField(max_length=80)
    heard = models.CharField(max_length=120)
    at = models.CharField(max_length=40)
    text = models.CharField(max_length=1000)
    created = models.DateTimeField(auto_now_add=True)
    done = models.DateTimeField(null=True)

    class Meta:
        ordering = ["created", "pk"]

    def __str__(self) -> str:
        return f"{self.name} at {self.at}"
