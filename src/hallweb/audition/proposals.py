"""Proposals: plans that can be heard before they are made an edit. Kept for a day, by what they are."""

from hashlib import sha256

from django.core.cache import cache

from highhall.errors import CoreError
from highhall.plan import Plan, parse_plan, write_plan

_KEPT_S = 24 * 3600
_PREFIX = "proposal:"


def keep_proposal(plan: Plan) -> str:
    """Keep a plan to be heard; return what addresses call it in the place of a version."""
    text = write_plan(plan)
    token = sha256(text.encode()).hexdigest()[:24]
    cache.set(f"proposal-{token}", text, _KEPT_S)
    return f"{_PREFIX}{token}"


def is_proposal(version: str) -> bool:
    """Whether an address means a proposal and not a version."""
    return version.startswith(_PREFIX)


def proposed_plan(version: str) -> Plan | None:
    """Return the plan of a proposal; None if it is kept no more."""
    text: str | None = cache.get(f"proposal-{version.removeprefix(_PREFIX)}")
    if text is None:
        return None
    try:
        return parse_plan(text)
    except CoreError:
        return None
