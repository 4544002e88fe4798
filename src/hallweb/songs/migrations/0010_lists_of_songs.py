from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor

from highhall.plan import plan_from_document


def summarise(apps: Apps, _: BaseDatabaseSchemaEditor) -> None:
    """Tell of every song how long it is, its first meter and its tracks, as its newest plan says."""
    for song in apps.get_model("songs", "Song").objects.select_related("head").filter(head__isnull=False):
        plan = plan_from_document(song.head.document)
        song.seconds = plan.song.end_sample / plan.song.sample_rate
        song.meter = f"{plan.song.meters[0].beats}/{plan.song.meters[0].unit}"
        song.track_names = "\n".join(track.name for track in plan.tracks)
        song.save(update_fields=["seconds", "meter", "track_names"])


class Migration(migrations.Migration):
    dependencies = [("songs", "0009_presets")]

    operations = [
        migrations.AddField("song", "seconds", models.FloatField(default=0.0), preserve_default=False),
        migrations.AddField("song", "meter", models.CharField(max_length=8, default="4/4"), preserve_default=False),
        migrations.AddField("song", "track_names", models.TextField(blank=True, default=""), preserve_default=False),
        migrations.AddField("song", "rooms", models.JSONField(default=list)),
        migrations.AddField("song", "rooms_of", models.BigIntegerField(null=True)),
        migrations.AddField("song", "deleted", models.DateTimeField(null=True)),
        migrations.RunPython(summarise, migrations.RunPython.noop),
    ]
