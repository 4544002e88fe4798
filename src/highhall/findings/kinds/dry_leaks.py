"""Dry sound that comes out of a return of space or echo.

Limit: correlation of return and feed at no delay over 0.3. Then a tenth of the return's power is the source itself at
no delay: every turn of the send moves level and tone of the dry sound too. Taken from the chain's own response, for
pink noise from 100 Hz to 8 kHz.
"""

from collections.abc import Iterator

import numpy as np
from scipy import fft

from highhall.effects import Signal
from highhall.findings.finding import FAULT, LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.measure.pictures import hit_response
from highhall.plan import Effect
from highhall.plan.edits import set_effect
from highhall.wording import figure

LIMIT = 0.3
_STEP = 0.2
_WET = frozenset({"reverb", "impulse", "echo", "doubler", "offset"})


def correlation(response: Signal, sample_rate: int) -> float:
    """Return the correlation at no delay of pink noise with what a response, (2, frames), makes of it; the smaller side's.

    One side at no delay is how an offset works.
    """
    size = fft.next_fast_len(response.shape[1], real=True)
    spectrum = fft.rfft(response, size, axis=1)
    hz = fft.rfftfreq(size, 1 / sample_rate)
    pink = np.where((hz > 100) & (hz < 8000), 1 / np.maximum(hz, 1.0), 0.0)
    meant = (pink * spectrum.real).sum(axis=1)
    power = (pink * np.abs(spectrum) ** 2).sum(axis=1) * pink.sum()
    return float(np.min(np.abs(meant) / np.sqrt(np.maximum(power, 1e-30))))


def _look(heard: Heard) -> Iterator[Finding]:
    for return_ in heard.plan.returns:
        if return_.mute or not any(effect.on and effect.kind in _WET for effect in return_.chain):
            continue
        response = hit_response(return_, heard.plan.song, heard.model.responses)
        if response is None:
            continue
        found = correlation(response, heard.plan.song.sample_rate)
        if found < LIMIT - 0.5 * _STEP:
            continue
        why = " (its impulse response keeps the direct sound)" if any(map(_keeps_direct, return_.chain)) else ""
        yield Finding(
            kind=KIND.name,
            title=f"{return_.name} lets dry sound through",
            sentence=(
                f"What comes out of it is like what is fed, at no delay, by a correlation of {figure(found, 2)}{why}. "
                f"Over {figure(LIMIT, 1)} its send changes level and tone of the dry sound."
            ),
            figure=found,
            unit="",
            limit=LIMIT,
            excess=(found - LIMIT) / _STEP,
            return_id=return_.id,
            evidence=Evidence(
                shape="flow", figures={"here": found, "limit": LIMIT}, names=["fed", return_.name, "dry goes through"]
            ),
        )


def _keeps_direct(effect: Effect) -> bool:
    return effect.on and effect.kind == "impulse" and effect.value("direct") == "keep"


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    plan, return_ = heard.plan, heard.plan.return_(finding.return_id)
    for effect in return_.chain:
        if _keeps_direct(effect):
            plan = set_effect(plan, return_.id, effect.id, params={"direct": "remove"})
    if plan != heard.plan:
        yield Mending(
            words=f"{return_.name}, direct sound removed", keeps="the dry sound is in main already", plan=plan
        )


KIND = Kind(
    name="dry-leaks",
    label="Dry sound leaks",
    looks_at="every return against what it is fed, at no delay",
    look=_look,
    mend=_mend,
    least=LOOK,
    most=FAULT,
)
