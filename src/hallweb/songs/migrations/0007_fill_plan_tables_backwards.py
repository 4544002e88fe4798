from typing import Any

from django.apps.registry import Apps
from django.db import migrations
from django.db.backends.base.schema import BaseDatabaseSchemaEditor

_IN_SONG = {
    "Meter": ("meters", {"bar": "bar", "beats": "beats", "unit": "unit"}),
    "Tempo": ("tempos", {"at": "at", "bpm": "bpm", "beat": "beat", "ramp": "ramp"}),
    "Section": ("sections", {"key": "id", "name": "name", "start": "start", "end": "end"}),
}
_IN_PLAN = {
    "Group": ("groups", {"key": "id", "name": "name", "level_db": "level_db", "mute": "mute", "tone": "tone"}),
    "Track": ("tracks", {"key": "id"} | {n: n for n in ("name", "group", "stem", "start_s", "level_db", "pan", "mute")}),
    "Return": ("returns", {"key": "id"} | {n: n for n in ("name", "level_db", "width", "pan", "mute", "output")}),
    "Send": ("sends", {"source": "from", "target": "to"} | {n: n for n in ("level_db", "tap", "pan", "on")}),
    "Move": ("moves", {n: n for n in ("target", "sections", "points", "throws")}),
}


def fill_tables(apps: Apps, _: BaseDatabaseSchemaEditor) -> None:
    """On the way back: make the tables say what the document of every song's newest revision says."""

    def create(model_name: str, columns: dict[str, str], parts: list[dict[str, Any]], **owner: Any) -> None:
        model = apps.get_model("songs", model_name)
        model.objects.bulk_create(
            model(place=place, **owner, **{column: part[key] for column, key in columns.items()})
            for place, part in enumerate(parts)
        )

    for song in apps.get_model("songs", "Song").objects.select_related("head").filter(head__isnull=False):
        document: dict[str, Any] = song.head.document
        song.end = document["song"]["end"]
        song.save(update_fields=["end"])
        for name, (key, columns) in _IN_SONG.items():
            create(name, columns, document["song"][key], song=song)
        for name, (key, columns) in _IN_PLAN.items():
            create(name, columns, document[key], song_id=song.pk)
        owners = dict(apps.get_model("songs", "Return").objects.filter(song=song).values_list("key", "pk"))
        steps = {"key": "id", "kind": "kind", "on": "on", "params": "params"}
        for part in document["returns"]:
            create("Step", steps, part["chain"], owner_id=owners[part["id"]])


class Migration(migrations.Migration):
    dependencies = [("songs", "0006_summaries")]

    operations = [
        migrations.RunPython(migrations.RunPython.noop, fill_tables),
    ]
