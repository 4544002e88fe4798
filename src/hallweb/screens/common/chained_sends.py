"""Sends from one return into another."""

from dataclasses import dataclass

from highhall.plan import Plan, Return, Send
from highhall.plan.order import feeding_path


@dataclass(frozen=True, slots=True, kw_only=True)
class ChainedSend:
    """Another return that a return feeds or could feed; `refusal` says why it cannot."""

    id: str
    name: str
    send: Send | None
    refusal: str


def chained_send(plan: Plan, return_: Return, other: Return) -> ChainedSend:
    """Return whether one return feeds another, and why it cannot if it would close a loop."""
    path = feeding_path(plan, other.id, return_.id)
    names = {r.id: r.name for r in plan.returns}
    refusal = f"{' feeds '.join(names[i] for i in path)}: that would be a loop" if path else ""
    return ChainedSend(id=other.id, name=other.name, send=plan.send(return_.id, other.id), refusal=refusal)
