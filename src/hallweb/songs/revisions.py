"""The plans of revisions, kept read: a revision never changes."""

from functools import lru_cache

from hallweb.songs.models import Revision
from highhall.plan import Plan, plan_from_document


@lru_cache(maxsize=64)
def plan_of(revision_id: int) -> Plan:
    """Return a revision's plan."""
    return plan_from_document(Revision.objects.values_list("document", flat=True).get(pk=revision_id))
