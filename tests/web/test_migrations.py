"""From data of earlier versions: plans, revisions and undo stay."""

from dataclasses import replace

import pytest
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.operations import AddField

from hallweb.handoff.models import PrintJob
from hallweb.songs import actions
from hallweb.songs.models import Song
from highhall.plan import document_of, edits, plan_from_document
from tests.core.plans import example
from tests.web.factories import make_song, make_user, stored_plan

pytestmark = pytest.mark.django_db(transaction=True)

KNOWN = {"accounts": 2, "handoff": 3, "sharing": 1, "songs": 15}
"""The newest migration of each app before columns had to have defaults in the database."""

WITH_TABLES = [("songs", "0005_versions")]


@pytest.fixture
def at_version():
    """Bring the database to a version, and in the end to the newest one again."""

    def migrate(targets) -> None:
        MigrationExecutor(connection).migrate(targets)

    yield migrate
    executor = MigrationExecutor(connection)
    executor.migrate(executor.loader.graph.leaf_nodes())


def test_a_song_whose_plan_stood_in_tables_keeps_plans_revisions_and_undo(at_version) -> None:
    owner = make_user()
    first, second = (
        plan_from_document(example()),
        edits.set_return(plan_from_document(example()), "long-hall", level_db=-4.0),
    )
    at_version(WITH_TABLES)
    apps = MigrationExecutor(connection).loader.project_state(WITH_TABLES).apps
    old_song = apps.get_model("songs", "Song").objects.create(
        owner_id=owner.pk, title="Lantern Over Skerry", sample_rate=48000, end="57|1"
    )
    revisions = apps.get_model("songs", "Revision").objects
    parent = None
    for number, plan in enumerate((first, second), start=1):
        parent = revisions.create(
            song=old_song, number=number, label=f"Edit {number}", document=document_of(plan), parent=parent
        )
    old_song.head = parent
    old_song.save()

    executor = MigrationExecutor(connection)
    executor.migrate(executor.loader.graph.leaf_nodes())
    song = Song.objects.get()
    assert (song.bpm, song.beat, song.track_count, song.return_count) == (58.0, "1/4.", 1, 1)
    assert song.groups_by_track == {"Fiddle": "Strings & Winds"}
    assert [(r.number, r.label) for r in song.revisions.all()] == [(1, "Edit 1"), (2, "Edit 2")]
    assert stored_plan(song) == second
    assert actions.undo(song.pk, 2).plan == first
    assert stored_plan(song) == first


def test_the_way_back_fills_the_tables_again(at_version) -> None:
    plan = plan_from_document(example())
    song = actions.create_song(
        make_user(), replace(plan, groups=(), tracks=(), returns=(), sends=(), moves=()), lambda _: None
    )
    song.refresh_from_db()
    actions.edit_plan(song.pk, 1, "All of it", lambda _: plan)
    at_version(WITH_TABLES)
    apps = MigrationExecutor(connection).loader.project_state(WITH_TABLES).apps
    old_song = apps.get_model("songs", "Song").objects.get()
    document = document_of(plan)
    assert old_song.end == document["song"]["end"]
    assert [s.key for s in old_song.sections.all()] == [s["id"] for s in document["song"]["sections"]]
    assert [m.sections for m in old_song.moves.all()] == [m["sections"] for m in document["moves"]]
    steps = [step.params for return_ in old_song.returns.all() for step in return_.steps.all()]
    assert steps == [step["params"] for return_ in document["returns"] for step in return_["chain"]]


def test_processes_of_an_earlier_version_print_on_the_newest_database() -> None:
    song = make_song(make_user())
    before = MigrationExecutor(connection).loader.project_state([("handoff", "0002_print_choices")]).apps
    stored = before.get_model("handoff", "PrintJob").objects.create(song_id=song.pk, revision_id=song.head_id)
    job = PrintJob.objects.get(pk=stored.pk)
    assert (job.stage, job.frames) == (PrintJob.Stage.WHOLE, 0)


def test_processes_of_an_earlier_version_may_store_rows_without_any_newer_column() -> None:
    migrations = MigrationLoader(connection).disk_migrations
    newer = [each for (app, name), each in migrations.items() if int(name[:4]) > KNOWN.get(app, 9999)]
    added = [step for each in newer for step in each.operations if isinstance(step, AddField)]
    assert [step.name for step in added if not step.field.null and not step.field.has_db_default()] == []
