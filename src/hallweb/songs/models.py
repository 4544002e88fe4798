"""Rows for all that a plan does not say. What it says stands in its document alone, in the newest revision."""

from typing import Self

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import AnonymousUser
from django.db import models
from django.urls import reverse

Account = AbstractBaseUser | AnonymousUser


class SongQuerySet(models.QuerySet["Song"]):
    """Which songs there are for whom. All views ask here; a song that is not among these does not exist for them."""

    def viewable_by(self, user: Account) -> Self:
        """Return the songs that a user may see and hear: their own and those shared with them, without deleted ones."""
        return self.filter(models.Q(owner_id=user.pk) | _shared_with(user), deleted=None)

    def editable_by(self, user: Account) -> Self:
        """Return the songs that a user may change: their own and those they are an editor of."""
        return self.filter(models.Q(owner_id=user.pk) | _shared_with(user, role=Membership.Role.EDITOR), deleted=None)

    def owned_by(self, user: Account) -> Self:
        """Return the user's own songs, which they may share and delete."""
        return self.filter(owner_id=user.pk, deleted=None)

    def deleted_by(self, user: Account) -> Self:
        """Return the user's own songs that are deleted and can be brought back."""
        return self.filter(owner_id=user.pk).exclude(deleted=None)


def _shared_with(user: Account, **more: str) -> models.Exists:
    return models.Exists(Membership.objects.filter(song=models.OuterRef("pk"), user_id=user.pk or 0, **more))


class Song(models.Model):
    """One song; `head` is its newest revision, whose document is the plan.

    All fields from `title` to `groups_by_track` are a summary of that plan, for lists of songs: see `hallweb.songs.summary`.
    `rooms` is its picture for lists, of the revision `rooms_of`: see `hallweb.audition.rooms`. A song that is `deleted` can
    be brought back for some weeks: see `hallweb.songs.removal`. `strictness` is from where on findings are told.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="songs")
    head = models.ForeignKey("Revision", models.SET_NULL, null=True, related_name="+")
    title = models.CharField(max_length=120)
    sample_rate = models.PositiveIntegerField()
    bpm = models.FloatField()
    beat = models.CharField(max_length=8)
    track_count = models.PositiveIntegerField()
    return_count = models.PositiveIntegerField()
    seconds = models.FloatField()
    meter = models.CharField(max_length=8)
    track_names = models.TextField(blank=True)
    groups_by_track = models.JSONField(default=dict)
    rooms = models.JSONField(default=list)
    rooms_of = models.BigIntegerField(null=True)
    deleted = models.DateTimeField(null=True)
    strictness = models.CharField(max_length=8, default="usual")
    created = models.DateTimeField(auto_now_add=True)

    objects = SongQuerySet.as_manager()

    class Meta:
        ordering = ["title", "pk"]

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("returns:show", args=[self.pk])


class Membership(models.Model):
    """What somebody beside its owner may do with a song: an editor changes it, a listener hears and reads it."""

    class Role(models.TextChoices):
        EDITOR = "editor", "Editor"
        LISTENER = "listener", "Listener"

    song = models.ForeignKey(Song, models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=8, choices=Role.choices)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created", "pk"]
        constraints = [models.UniqueConstraint(fields=["song", "user"], name="membership_unique")]

    def __str__(self) -> str:
        return f"{self.user}, {self.role} of {self.song}"


class Revision(models.Model):
    """A plan as it was after one edit, and who made it. Undo goes to the parent, redo to the newest child."""

    song = models.ForeignKey(Song, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", models.SET_NULL, null=True, related_name="children")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    label = models.CharField(max_length=200)
    document = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["song", "number"], name="revision_number_unique")]

    def __str__(self) -> str:
        return f"{self.song} revision {self.number}"


class Version(models.Model):
    """A revision of a song that has a name, to come back to and to compare with."""

    song = models.ForeignKey(Song, models.CASCADE, related_name="versions")
    name = models.CharField(max_length=120)
    revision = models.ForeignKey(Revision, models.CASCADE, related_name="versions")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created", "pk"]
        constraints = [models.UniqueConstraint(fields=["song", "name"], name="version_name_unique")]

    def __str__(self) -> str:
        return self.name


class SetAside(models.Model):
    """A finding of a song that is not to be told, by its id, with its figure then and the reason.

    It is told again when its figure has become worse. With `section`, all findings of its kind there are quiet.
    """

    song = models.ForeignKey(Song, models.CASCADE, related_name="set_aside")
    finding = models.CharField(max_length=400)
    kind = models.CharField(max_length=40)
    section = models.CharField(max_length=80, blank=True)
    title = models.CharField(max_length=300)
    figure = models.FloatField()
    reason = models.CharField(max_length=80)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created", "pk"]
        constraints = [models.UniqueConstraint(fields=["song", "finding"], name="set_aside_once")]

    def __str__(self) -> str:
        return self.title


class Stem(models.Model):
    """A sound file of a song, by the path that the plan calls it, with the hash of its content.

    `threshold_db` is from where it is said to sound if the user has chosen that; `phrase_ends` are ends of phrases that the
    user has put elsewhere, in seconds to 10 ms, by the end that was found; `bytes` is what it takes on disk, its decoded copy
    included; `problem` is why it could not
    be listened to.
    """

    song = models.ForeignKey(Song, models.CASCADE, related_name="stems")
    path = models.CharField(max_length=1024)
    content_hash = models.CharField(max_length=64)
    bytes = models.BigIntegerField(default=0)
    threshold_db = models.FloatField(null=True)
    phrase_ends = models.JSONField(default=dict)
    problem = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["path"]
        constraints = [models.UniqueConstraint(fields=["song", "path"], name="stem_path_unique")]

    def __str__(self) -> str:
        return self.path


class ImpulseResponse(models.Model):
    """An impulse response of a song, by the path that the plan calls it, with the hash of its content.

    It stays when no effect uses it any more, so that undo finds it.
    """

    song = models.ForeignKey(Song, models.CASCADE, related_name="responses")
    path = models.CharField(max_length=1024)
    content_hash = models.CharField(max_length=64)

    class Meta:
        ordering = ["path"]
        constraints = [models.UniqueConstraint(fields=["song", "path"], name="response_path_unique")]

    def __str__(self) -> str:
        return self.path


class Preset(models.Model):
    """Returns that a user has saved under a name, as the document of a set.

    `responses` are the content hashes, by path, of the impulse responses that its effects ask for.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="presets")
    name = models.CharField(max_length=120)
    document = models.JSONField()
    responses = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "pk"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="preset_name_unique")]

    def __str__(self) -> str:
        return self.name


class Upload(models.Model):
    """A file that is on its way in: for a song, or a whole song. What has arrived lies in a file of its own; its size is how far it came.

    The same file, by name, size and time of its last change, goes on where it broke off.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="uploads")
    song = models.ForeignKey(Song, models.CASCADE, related_name="uploads", null=True)
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField()
    modified = models.BigIntegerField()  # milliseconds, as the browser says
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "song", "name", "size", "modified"], name="upload_file_unique", nulls_distinct=False
            )
        ]

    def __str__(self) -> str:
        return self.name
