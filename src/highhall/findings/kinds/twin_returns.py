"""Two returns that do the same.

Limit: their responses agree within 1 dB in all octaves, and ring equally long within a twentieth. 1 dB is the just
noticeable difference of level, 5 % that of a decay time (ISO 3382-1, Annex A).
"""

from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations
from math import log10

import numpy as np

from highhall.curves import gain_of_db
from highhall.depth.responses import ChainResponse
from highhall.depth.return_spectra import in_thirds
from highhall.findings.finding import NOTE, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Plan, Return
from highhall.plan.edits import remove_return, set_send
from highhall.plan.kinds import LEVEL
from highhall.wording import figure

LIMIT_DB = 1.0
_STEP_DB = 1.0
_SAME_TIME = 0.05


def _look(heard: Heard) -> Iterator[Finding]:
    for one, other in combinations(heard.plan.returns, 2):
        if (one.output, one.width, one.pan, one.mute) != (other.output, other.width, other.pan, other.mute):
            continue
        if {effect.kind for effect in one.chain} != {effect.kind for effect in other.chain} or not _is_still(
            heard, one, other
        ):
            continue
        chains = [heard.model.chain_of(return_.id) for return_ in (one, other)]
        if chains[0] is None or chains[1] is None:
            continue
        apart = _apart_db(chains[0], chains[1], heard.plan.song.sample_rate)
        if apart > LIMIT_DB:
            continue
        yield Finding(
            kind=KIND.name,
            title=f"{one.name} and {other.name} are twins",
            sentence=f"Their responses differ by {figure(apart)} dB at most in any octave, and ring equally long: one of them is enough.",
            figure=apart,
            unit="dB",
            limit=LIMIT_DB,
            excess=0.0,
            source=other.id,
            return_id=one.id,
            evidence=Evidence(
                shape="flow", figures={"here": apart, "limit": LIMIT_DB}, names=[one.name, "=", other.name]
            ),
        )


def _is_still(heard: Heard, *returns: Return) -> bool:
    ids = {return_.id for return_ in returns}
    return not any(
        getattr(move.target, "target", "") in ids and not hasattr(move.target, "source") for move in heard.plan.moves
    )


def _apart_db(one: ChainResponse, other: ChainResponse, sample_rate: int) -> float:
    """Return by how many dB two chains differ in the octave in which they differ most; 99 if they ring differently long."""
    thirds = [in_thirds(chain.energies.sum(axis=(0, 1)), sample_rate) for chain in (one, other)]
    octaves = [np.add.reduceat(powers[5:29], range(0, 24, 3)) for powers in thirds]
    heard = np.maximum(*octaves) > np.maximum(*octaves).max() * 1e-4
    lengths = [float((chain.envelopes @ np.arange(chain.envelopes.shape[1])).mean()) + 0.5 for chain in (one, other)]
    if abs(lengths[0] / lengths[1] - 1) > _SAME_TIME:
        return 99.0
    ratio = octaves[0][heard] / np.maximum(octaves[1][heard], 1e-30)
    return float(np.abs(10 * np.log10(np.maximum(ratio, 1e-9))).max())


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    one, other = heard.plan.return_(finding.return_id), heard.plan.return_(finding.source)
    yield Mending(
        words=f"What feeds {other.name} goes into {one.name}; {other.name} goes",
        keeps="as loud as both are together",
        plan=_merged(heard.plan, one, other),
    )


def _merged(plan: Plan, one: Return, other: Return) -> Plan:
    levels = [LEVEL.low if return_.level_db is None else return_.level_db for return_ in (one, other)]
    shift_db = levels[1] - levels[0]
    for send in list(plan.sends_into(other.id)):
        if not send.on or send.level_db is None or send.source == one.id:
            continue
        there = plan.send(send.source, one.id)
        power = gain_of_db(send.level_db + shift_db) ** 2
        if there is not None and there.on and there.level_db is not None:
            power += gain_of_db(there.level_db) ** 2
        level = round(min(max(10 * log10(power), -60.0), 6.0), 2)
        plan = set_send(plan, send.source, one.id, level_db=level, send_point=send.send_point, pan=send.pan, on=True)
    onward = tuple(
        replace(s, source=one.id) for s in plan.sends if s.source == other.id and plan.send(one.id, s.target) is None
    )
    return remove_return(replace(plan, sends=(*plan.sends, *onward)), other.id)


KIND = Kind(
    name="twin-returns",
    label="Twin returns",
    looks_at="the responses of all returns, two by two",
    look=_look,
    mend=_mend,
    most=NOTE,
)
