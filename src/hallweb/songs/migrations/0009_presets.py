from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("songs", "0008_delete_plan_tables"),
    ]

    operations = [
        migrations.RenameModel("KeptSet", "Preset"),
        migrations.AlterField(
            "preset", "owner", models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="presets")
        ),
        migrations.RemoveConstraint("preset", "kept_set_name_unique"),
        migrations.AddConstraint(
            "preset", models.UniqueConstraint(fields=["owner", "name"], name="preset_name_unique")
        ),
    ]
