from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("songs", "0010_lists_of_songs")]

    operations = [migrations.AddField("stem", "phrase_ends", models.JSONField(default=dict))]
