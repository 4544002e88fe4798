"""A return into which nothing goes.

No limit but that: no send that is on has a level, now or in a move, and no return feeds it.
"""

from collections.abc import Iterator

from highhall.findings.finding import NOTE, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import SendTarget
from highhall.plan.edits import remove_return


def _look(heard: Heard) -> Iterator[Finding]:
    opened = {
        (move.target.source, move.target.target)
        for move in heard.plan.moves
        if isinstance(move.target, SendTarget) and move.target.param != "pan"
    }
    for return_ in heard.plan.returns:
        sends = list(heard.plan.sends_into(return_.id))
        if any((send.on and send.level_db is not None) or (send.source, send.target) in opened for send in sends):
            continue
        off = f"{len(sends)} sends into it are off" if sends else "nothing is sent into it"
        yield Finding(
            kind=KIND.name,
            title=f"{return_.name} is fed by nothing",
            sentence=f"{off[:1].upper()}{off[1:]}: it makes no sound, and costs its row and its print.",
            figure=0.0,
            unit="sends",
            limit=1.0,
            excess=0.0,
            return_id=return_.id,
            evidence=Evidence(shape="flow", names=["nothing", return_.name, "Main"]),
        )


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    yield Mending(
        words=f"{heard.names[finding.return_id]} goes",
        keeps="nothing that sounds changes",
        plan=remove_return(heard.plan, finding.return_id),
    )


KIND = Kind(
    name="unfed-return", label="Fed by nothing", looks_at="what feeds every return", look=_look, mend=_mend, most=NOTE
)
