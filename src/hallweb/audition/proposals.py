"""Proposals: plans that can be heard before they are made an edit. Kept for some days, by what they are.

A rehearsal is the proposal of an edit that is being typed. Each takes the place of the one before, or typing would fill
the cache.
"""

import json
from hashlib import sha256

from django.core.cache import cache

from highhall.errors import CoreError
from highhall.memo import Memo
from highhall.plan import Plan, document_of, parse_plan, write_plan

_KEPT_S = 8 * 24 * 3600  # longer than the findings that name them
_REHEARSED_S = 600
_read: Memo[Plan] = Memo(16)
_PREFIX = "proposal:"


class LostProposalError(CoreError):
    """A proposal that is kept no more."""

    def __init__(self) -> None:
        super().__init__("the proposal is no longer kept: reload the page, which makes it again")


def keep_proposal(plan: Plan) -> str:
    """Keep a plan to be heard; return what addresses call it in the place of a version."""
    text = write_plan(plan)
    token = _digest(text)
    cache.set(f"proposal-{token}", text, _KEPT_S)
    return f"{_PREFIX}{token}"


def keep_rehearsal(plan: Plan, song_id: int, user_id: int) -> str:
    """Keep a plan to be heard until the same user types something else in the same song; return as `keep_proposal` does."""
    text = json.dumps(document_of(plan))
    place = f"{song_id}-{user_id}"
    cache.set(f"rehearsal-{place}", text, _REHEARSED_S)
    version = f"{_PREFIX}{place}-{_digest(text)}"
    _read.keep(version, plan)
    return version


def _digest(text: str) -> str:
    return sha256(text.encode()).hexdigest()[:24]


def is_proposal(version: str) -> bool:
    """Whether an address means a proposal and not a version."""
    return version.startswith(_PREFIX)


def is_rehearsal(version: str) -> bool:
    """Whether a proposal is an edit that is being typed."""
    return "-" in version


def proposed_plan(version: str) -> Plan:
    """Return the plan of a proposal.

    Raises
    ------
    LostProposalError
        If it is kept no more.
    """
    return _read.get(version) or _stored_plan(version)


def _stored_plan(version: str) -> Plan:
    place, _, token = version.removeprefix(_PREFIX).rpartition("-")
    text: str | None = cache.get(f"rehearsal-{place}" if place else f"proposal-{token}")
    if text is None or _digest(text) != token:
        raise LostProposalError
    try:
        return parse_plan(text)
    except CoreError:  # of an earlier version
        raise LostProposalError from None
