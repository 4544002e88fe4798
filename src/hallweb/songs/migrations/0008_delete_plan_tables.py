from django.db import migrations, models

_TABLES = ("Step", "Meter", "Tempo", "Section", "Group", "Track", "Return", "Send", "Move")


class Migration(migrations.Migration):
    dependencies = [("songs", "0007_fill_plan_tables_backwards")]

    operations = [
        migrations.AlterField("song", "end", models.CharField(max_length=32, default="1|1")),  # for the way back
        migrations.RemoveField("song", "end"),
        *(migrations.DeleteModel(name) for name in _TABLES),
    ]
