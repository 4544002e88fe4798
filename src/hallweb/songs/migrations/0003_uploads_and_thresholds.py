from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("songs", "0002_stem_material")]

    operations = [
        migrations.RemoveField("stem", "material"),
        migrations.AddField("stem", "threshold_db", models.FloatField(null=True)),
        migrations.AddField("stem", "problem", models.CharField(blank=True, max_length=300)),
        migrations.CreateModel(
            name="Upload",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=255)),
                ("size", models.PositiveBigIntegerField()),
                ("modified", models.BigIntegerField()),
                ("created", models.DateTimeField(auto_now_add=True)),
                (
                    "song",
                    models.ForeignKey(
                        on_delete=models.deletion.CASCADE, related_name="uploads", to="songs.song"
                    ),
                ),
            ],
            options={
                "ordering": ["pk"],
                "constraints": [
                    models.UniqueConstraint(
                        fields=("song", "name", "size", "modified"), name="upload_file_unique"
                    )
                ],
            },
        ),
    ]
