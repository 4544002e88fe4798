import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models
from django.db.models import OuterRef, Subquery


def own_by_songs_owner(apps, schema_editor):
    upload, song = apps.get_model("songs", "Upload"), apps.get_model("songs", "Song")
    owner = song.objects.filter(pk=OuterRef("song_id")).values("owner_id")[:1]
    upload.objects.filter(owner=None).update(owner_id=Subquery(owner))


class Migration(migrations.Migration):
    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("songs", "0012_findings_set_aside"),
    ]

    operations = [
        migrations.RemoveConstraint(model_name="upload", name="upload_file_unique"),
        migrations.AddField(
            model_name="upload",
            name="owner",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="uploads",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.RunPython(own_by_songs_owner, migrations.RunPython.noop),
        migrations.RunSQL("SET CONSTRAINTS ALL IMMEDIATE", migrations.RunSQL.noop),
        migrations.AlterField(
            model_name="upload",
            name="owner",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="uploads", to=settings.AUTH_USER_MODEL
            ),
        ),
        migrations.AlterField(
            model_name="upload",
            name="song",
            field=models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.CASCADE, related_name="uploads", to="songs.song"
            ),
        ),
        migrations.AddConstraint(
            model_name="upload",
            constraint=models.UniqueConstraint(
                fields=("owner", "song", "name", "size", "modified"),
                name="upload_file_unique",
                nulls_distinct=False,
            ),
        ),
    ]
