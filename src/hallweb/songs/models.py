"""Rows for what the user names. Musical limits are the core's; identity and uniqueness are the database's."""

from typing import Any, Self

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import AnonymousUser
from django.db import models
from django.db.models import Q
from django.urls import reverse


class SongQuerySet(models.QuerySet["Song"]):
    def visible_to(self, user: AbstractBaseUser | AnonymousUser) -> Self:
        """Only the user's own songs; others' do not exist for them."""
        return self.filter(owner_id=user.pk)


class Song(models.Model):
    """One song; `head` is the revision that the rows show."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="songs")
    title = models.CharField(max_length=120)
    sample_rate = models.PositiveIntegerField()
    end = models.CharField(max_length=32)
    head = models.ForeignKey("Revision", models.SET_NULL, null=True, related_name="+")
    created = models.DateTimeField(auto_now_add=True)

    objects = SongQuerySet.as_manager()

    class Meta:
        ordering = ["title", "pk"]

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("desk:returns", args=[self.pk])


class Revision(models.Model):
    """A plan as it was after one edit. Undo goes to the parent, redo to the newest child."""

    song = models.ForeignKey(Song, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", models.SET_NULL, null=True, related_name="children")
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


class Stem(models.Model):
    """A sound file of a song, by the path that the plan calls it, with the hash of its content.

    `threshold_db` is from where it is said to sound if the user has chosen that; `problem` is why it could not
    be listened to.
    """

    song = models.ForeignKey(Song, models.CASCADE, related_name="stems")
    path = models.CharField(max_length=1024)
    content_hash = models.CharField(max_length=64)
    threshold_db = models.FloatField(null=True)
    problem = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["path"]
        constraints = [models.UniqueConstraint(fields=["song", "path"], name="stem_path_unique")]

    def __str__(self) -> str:
        return self.path


class ImpulseResponse(models.Model):
    """An impulse response of a song, by the path that the plan calls it, with the hash of its content.

    It stays when no step uses it any more, so that undo finds it.
    """

    song = models.ForeignKey(Song, models.CASCADE, related_name="responses")
    path = models.CharField(max_length=1024)
    content_hash = models.CharField(max_length=64)

    class Meta:
        ordering = ["path"]
        constraints = [models.UniqueConstraint(fields=["song", "path"], name="response_path_unique")]

    def __str__(self) -> str:
        return self.path


class KeptSet(models.Model):
    """Returns that a user has kept under a name, as the document of a set.

    `responses` are the content hashes, by path, of the impulse responses that its steps ask for.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="kept_sets")
    name = models.CharField(max_length=120)
    document = models.JSONField()
    responses = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "pk"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="kept_set_name_unique")]

    def __str__(self) -> str:
        return self.name


class Upload(models.Model):
    """A file that is on its way in. What has arrived lies in a file of its own; its size is how far it came.

    The same file, by name, size and time of its last change, goes on where it broke off.
    """

    song = models.ForeignKey(Song, models.CASCADE, related_name="uploads")
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField()
    modified = models.BigIntegerField()  # milliseconds, as the browser says
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["song", "name", "size", "modified"], name="upload_file_unique")]

    def __str__(self) -> str:
        return f"{self.name} for {self.song}"


class PlanRow(models.Model):
    """A part of a song's plan. `place` is its order; `FIELDS` maps columns to keys of the JSON document."""

    FIELDS: dict[str, str] = {}

    place = models.PositiveIntegerField()

    class Meta:
        abstract = True
        ordering = ["place"]

    def to_document(self) -> dict[str, Any]:
        """Return the part as the plan format writes it."""
        return {key: getattr(self, column) for column, key in self.FIELDS.items()}


class Meter(PlanRow):
    FIELDS = {"bar": "bar", "beats": "beats", "unit": "unit"}
    song = models.ForeignKey(Song, models.CASCADE, related_name="meters")
    bar = models.PositiveIntegerField()
    beats = models.PositiveSmallIntegerField()
    unit = models.PositiveSmallIntegerField()

    class Meta(PlanRow.Meta):
        constraints = [models.UniqueConstraint(fields=["song", "bar"], name="meter_bar_unique")]

    def __str__(self) -> str:
        return f"{self.beats}/{self.unit} from bar {self.bar}"


class Tempo(PlanRow):
    FIELDS = {"at": "at", "bpm": "bpm", "beat": "beat", "ramp": "ramp"}
    song = models.ForeignKey(Song, models.CASCADE, related_name="tempos")
    at = models.CharField(max_length=32)
    bpm = models.FloatField()
    beat = models.CharField(max_length=8)
    ramp = models.BooleanField()

    class Meta(PlanRow.Meta):
        constraints = [models.UniqueConstraint(fields=["song", "at"], name="tempo_at_unique")]

    def __str__(self) -> str:
        return f"{self.bpm:g} a minute from {self.at}"


class Section(PlanRow):
    FIELDS = {"key": "id", "name": "name", "start": "start", "end": "end"}
    song = models.ForeignKey(Song, models.CASCADE, related_name="sections")
    key = models.CharField(max_length=64)
    name = models.CharField(max_length=120)
    start = models.CharField(max_length=32)
    end = models.CharField(max_length=32)

    class Meta(PlanRow.Meta):
        constraints = [models.UniqueConstraint(fields=["song", "key"], name="section_key_unique")]

    def __str__(self) -> str:
        return self.name


class Group(PlanRow):
    FIELDS = {"key": "id", "name": "name", "level_db": "level_db", "mute": "mute", "tone": "tone"}
    song = models.ForeignKey(Song, models.CASCADE, related_name="groups")
    key = models.CharField(max_length=64)
    name = models.CharField(max_length=120)
    level_db = models.FloatField(null=True)
    mute = models.BooleanField()
    tone = models.JSONField()

    class Meta(PlanRow.Meta):
        constraints = [models.UniqueConstraint(fields=["song", "key"], name="group_key_unique")]

    def __str__(self) -> str:
        return self.name


class Track(PlanRow):
    FIELDS = {
        "key": "id", "name": "name", "group": "group", "stem": "stem", "start_s": "start_s",
        "level_db": "level_db", "pan": "pan", "mute": "mute",
    }  # fmt: skip
    song = models.ForeignKey(Song, models.CASCADE, related_name="tracks")
    key = models.CharField(max_length=64)
    name = models.CharField(max_length=120)
    group = models.CharField(max_length=64, null=True)  # noqa: DJ001 - null is the plan's own "to main"
    stem = models.CharField(max_length=1024)
    start_s = models.FloatField()
    level_db = models.FloatField(null=True)
    pan = models.FloatField()
    mute = models.BooleanField()

    class Meta(PlanRow.Meta):
        constraints = [
            models.UniqueConstraint(fields=["song", "key"], name="track_key_unique"),
            models.CheckConstraint(condition=Q(pan__gte=-1, pan__lte=1), name="track_pan_in_range"),
        ]

    def __str__(self) -> str:
        return self.name


class Return(PlanRow):
    FIELDS = {
        "key": "id", "name": "name", "level_db": "level_db", "width": "width", "pan": "pan",
        "mute": "mute", "output": "output",
    }  # fmt: skip
    song = models.ForeignKey(Song, models.CASCADE, related_name="returns")
    key = models.CharField(max_length=64)
    name = models.CharField(max_length=120)
    level_db = models.FloatField(null=True)
    width = models.FloatField()
    pan = models.FloatField()
    mute = models.BooleanField()
    output = models.CharField(max_length=64)

    class Meta(PlanRow.Meta):
        constraints = [
            models.UniqueConstraint(fields=["song", "key"], name="return_key_unique"),
            models.CheckConstraint(condition=Q(width__gte=0, width__lte=2), name="return_width_in_range"),
        ]

    def __str__(self) -> str:
        return self.name

    def to_document(self) -> dict[str, Any]:
        return {**super().to_document(), "chain": [step.to_document() for step in self.steps.all()]}


class Step(PlanRow):
    FIELDS = {"key": "id", "kind": "kind", "on": "on", "params": "params"}
    owner = models.ForeignKey(Return, models.CASCADE, related_name="steps")
    key = models.CharField(max_length=64)
    kind = models.CharField(max_length=32)
    on = models.BooleanField()
    params = models.JSONField()

    class Meta(PlanRow.Meta):
        constraints = [models.UniqueConstraint(fields=["owner", "key"], name="step_key_unique")]

    def __str__(self) -> str:
        return f"{self.kind} {self.key}"


class Send(PlanRow):
    FIELDS = {"source": "from", "target": "to", "level_db": "level_db", "tap": "tap", "pan": "pan", "on": "on"}
    song = models.ForeignKey(Song, models.CASCADE, related_name="sends")
    source = models.CharField(max_length=64)
    target = models.CharField(max_length=64)
    level_db = models.FloatField(null=True)
    tap = models.CharField(max_length=4)
    pan = models.FloatField()
    on = models.BooleanField()

    class Meta(PlanRow.Meta):
        constraints = [
            models.UniqueConstraint(fields=["song", "source", "target"], name="send_pair_unique"),
            models.CheckConstraint(condition=~Q(source=models.F("target")), name="send_not_to_itself"),
        ]

    def __str__(self) -> str:
        return f"{self.source} to {self.target}"


class Move(PlanRow):
    FIELDS = {"target": "target", "sections": "sections", "points": "points", "throws": "throws"}
    song = models.ForeignKey(Song, models.CASCADE, related_name="moves")
    target = models.JSONField()
    sections = models.JSONField()
    points = models.JSONField()
    throws = models.JSONField()

    class Meta(PlanRow.Meta):
        constraints = [models.UniqueConstraint(fields=["song", "target"], name="move_target_unique")]

    def __str__(self) -> str:
        return f"move of {self.target}"
