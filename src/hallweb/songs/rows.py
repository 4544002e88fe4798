"""The one mapping between rows and the core's plan."""

from typing import Any

from django.db.models import Model, Q

from hallweb.songs.models import Group, Meter, Move, PlanRow, Return, Section, Send, Song, Step, Tempo, Track
from highhall.plan import Plan, plan_from_document
from highhall.plan.parse import FORMAT, VERSION

_IN_SONG: dict[str, type[PlanRow]] = {"meters": Meter, "tempos": Tempo, "sections": Section}
_IN_PLAN: dict[str, type[PlanRow]] = {"groups": Group, "tracks": Track, "returns": Return, "sends": Send, "moves": Move}


def load_plan(song: Song) -> Plan:
    """Read a song's rows as a plan: nine queries, whatever the song's size."""
    owner: dict[str, Model] = {"song": song}
    rows: dict[str, Any] = {
        name: [row.to_document() for row in model._default_manager.filter(**owner)]
        for name, model in {**_IN_SONG, **_IN_PLAN}.items()
        if model is not Return
    }
    returns = [row.to_document() for row in Return.objects.filter(song=song).prefetch_related("steps")]
    return plan_from_document(
        {
            "format": FORMAT,
            "version": VERSION,
            "song": {
                "title": song.title,
                "sample_rate": song.sample_rate,
                "end": song.end,
                **{name: rows[name] for name in _IN_SONG},
            },
            **{name: rows[name] for name in _IN_PLAN if name != "returns"},
            "returns": returns,
        }
    )


Document = dict[str, Any]
NOTHING: Document = {"song": {}}


def store_plan(song: Song, document: Document, before: Document = NOTHING) -> None:
    """Make a song's rows say what a plan's document says, when they say `before`; call inside a transaction.

    Only rows in which the two differ are written.
    """
    described = document["song"]
    song.title, song.sample_rate, song.end = described["title"], described["sample_rate"], described["end"]
    song.save(update_fields=["title", "sample_rate", "end"])
    for name, model in _IN_SONG.items():
        _replace_rows(model, song, described[name], before["song"].get(name, []))
    for name, model in _IN_PLAN.items():
        _replace_rows(model, song, document[name], before.get(name, []))
    if document["returns"] != before.get("returns"):
        _create_steps(song, document)


def _create_steps(song: Song, document: Document) -> None:
    Step.objects.filter(owner__song=song).delete()
    owners = {row.key: row for row in Return.objects.filter(song=song)}
    Step.objects.bulk_create(
        Step(owner=owners[return_["id"]], **_columns(Step, step, place))
        for return_ in document["returns"]
        for place, step in enumerate(return_["chain"])
    )


def _columns(model: type[PlanRow], part: dict[str, Any], place: int) -> dict[str, Any]:
    return {"place": place, **{column: part[key] for column, key in model.FIELDS.items()}}


def _replace_rows(model: type[PlanRow], song: Song, parts: list[Document], before: list[Document]) -> None:
    """Make a table's rows say `parts` when they say `before`: rows of places where the two differ are made anew."""
    changed = [place for place, part in enumerate(parts) if place >= len(before) or part != before[place]]
    if not changed and len(parts) == len(before):
        return
    owner: dict[str, Model] = {"song": song}
    rows = model._default_manager.filter(**owner)
    rows.filter(Q(place__in=changed) | Q(place__gte=len(parts))).delete()
    model._default_manager.bulk_create(model(**owner, **_columns(model, parts[place], place)) for place in changed)
