"""The plans of revisions, kept read: a revision never changes."""

from hallweb.songs.locks import Locks
from hallweb.songs.models import Revision, Song
from highhall.memo import Memo
from highhall.plan import Plan, plan_from_document

_plans: Memo[Plan] = Memo(64)
_locks = Locks()


def newest_plan(song: Song) -> Plan:
    """Return a song's plan as it is now."""
    if song.head_id is None:
        raise LookupError(f"song {song.pk} has no revision")
    return plan_of(song.head_id)


def plan_of(revision_id: int) -> Plan:
    """Return a revision's plan; two who ask at once are served by one."""
    with _locks.of(revision_id):
        plan = _plans.get(revision_id)
        if plan is None:
            plan = plan_from_document(Revision.objects.values_list("document", flat=True).get(pk=revision_id))
            keep_read(revision_id, plan)
    return plan


def keep_read(revision_id: int, plan: Plan) -> None:
    """Keep the plan that a revision was just made of, so that nobody has to read it again."""
    _plans.keep(revision_id, plan)
