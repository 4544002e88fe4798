from typing import Any

from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor


def summarise(apps: Apps, _: BaseDatabaseSchemaEditor) -> None:
    """Tell of every song in short what the document of its newest revision says."""
    for song in apps.get_model("songs", "Song").objects.select_related("head").filter(head__isnull=False):
        document: dict[str, Any] = song.head.document
        first = document["song"]["tempos"][0]
        names = {group["id"]: group["name"] for group in document["groups"]}
        song.bpm, song.beat = first["bpm"], first["beat"]
        song.track_count, song.return_count = len(document["tracks"]), len(document["returns"])
        song.groups_by_track = {t["name"]: names[t["group"]] for t in document["tracks"] if t["group"] is not None}
        song.save(update_fields=["bpm", "beat", "track_count", "return_count", "groups_by_track"])


class Migration(migrations.Migration):
    dependencies = [("songs", "0005_versions")]

    operations = [
        migrations.AddField("song", "bpm", models.FloatField(default=120.0), preserve_default=False),
        migrations.AddField("song", "beat", models.CharField(max_length=8, default="1/4"), preserve_default=False),
        migrations.AddField("song", "track_count", models.PositiveIntegerField(default=0), preserve_default=False),
        migrations.AddField("song", "return_count", models.PositiveIntegerField(default=0), preserve_default=False),
        migrations.AddField("song", "groups_by_track", models.JSONField(default=dict)),
        migrations.RunPython(summarise, migrations.RunPython.noop),
    ]
