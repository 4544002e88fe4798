"""Edits of sends."""

from dataclasses import replace
from typing import Unpack

from highhall.errors import CoreError
from highhall.plan.edits.basics import checked, without_sends
from highhall.plan.edits.fields import SendFields
from highhall.plan.model import Plan, Send


def set_send(plan: Plan, source: str, target: str, **fields: Unpack[SendFields]) -> Plan:
    """Change a send's level_db, send_point, pan or on; a send that does not exist yet is made."""
    existing = plan.send(source, target)
    if existing is None:
        return checked(replace(plan, sends=(*plan.sends, Send(source=source, target=target, **fields))))
    sends = tuple(replace(s, **fields) if s is existing else s for s in plan.sends)
    return checked(replace(plan, sends=sends))


def remove_send(plan: Plan, source: str, target: str) -> Plan:
    """Remove a send and its moves."""
    if plan.send(source, target) is None:
        raise CoreError(f'there is no send from "{source}" to "{target}"')
    return checked(without_sends(plan, lambda *ends: ends == (source, target)))
