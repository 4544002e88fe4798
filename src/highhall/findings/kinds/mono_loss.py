"""A return that thins out when it is summed to mono.

Limit: a third octave, or the whole, falls by more than 4 dB against what decorrelated sides do. Middle over middle
and side, in powers, is one half for decorrelated sides; so the figure is 10 log10 (2 M / (M + S)), 0 for a diffuse
space, +3 for mono. 4 dB down is a correlation of -0.6: sides that work against each other. Only bands within 20 dB of
the loudest count.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from highhall.depth.return_spectra import in_thirds
from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import WHOLE, Heard
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.plan import Return
from highhall.plan.edits import set_return
from highhall.wording import figure, hertz_in_words

LIMIT_DB = -4.0
_STEP_DB = 3.0
_LOUD_DB = 20.0


def losses_db(powers: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return what the mono sum loses by third octave, (bands,), from (middle and side, bands); nan where next to nothing sounds."""
    both = powers.sum(axis=0)
    loud = both > both.max(initial=0.0) * 10 ** (-_LOUD_DB / 10)
    lost = 10 * np.log10(np.maximum(2 * powers[0], 1e-30) / np.maximum(both, 1e-30))
    found: NDArray[np.float64] = np.where(loud & (both > 0), lost, np.nan)
    return found


def _look(heard: Heard) -> Iterator[Finding]:
    for return_ in heard.plan.returns:
        evidence = _evidence(heard, return_)
        if evidence is None or evidence.figures["here"] > LIMIT_DB + 0.5 * _STEP_DB:
            continue
        worst, hz = evidence.figures["here"], evidence.figures["hz"]
        is_third = worst >= min(db for _, db in evidence.lines["lost"])
        where = f"in the third at {hertz_in_words(hz)}" if is_third else "as a whole"
        yield Finding(
            kind=KIND.name,
            title=f"{return_.name} thins in mono",
            sentence=(
                f"Summed to mono it falls by {figure(-worst)} dB {where} against sides that know nothing of each other. "
                f"From {figure(-LIMIT_DB, 0)} dB on its tone is gone in mono."
            ),
            figure=worst,
            unit="dB",
            limit=LIMIT_DB,
            excess=(LIMIT_DB - worst) / _STEP_DB,
            return_id=return_.id,
            evidence=evidence,
        )


def _evidence(heard: Heard, return_: Return) -> Evidence | None:
    """Return what each third octave of a return loses, and the worst of them or of the whole; None for silence."""
    powers = _out(heard, return_)
    if powers is None or not powers.sum() > 0:
        return None
    lost = losses_db(powers)
    whole = float(10 * np.log10(max(2 * powers[0].sum(), 1e-30) / powers.sum()))
    band = int(np.nanargmin(lost))
    known = [(float(hz), float(db)) for hz, db in zip(CENTRES_HZ, lost, strict=True) if not np.isnan(db)]
    return Evidence(
        shape="thirds",
        figures={"here": min(float(lost[band]), whole), "limit": LIMIT_DB, "hz": float(CENTRES_HZ[band])},
        lines={"lost": known},
    )


def _out(heard: Heard, return_: Return) -> NDArray[np.float64] | None:
    """Return what leaves a return, (middle and side, bands), were what it is fed spread evenly in each third octave.

    A single held tone meets single modes, of which each has sides of its own: they say nothing about the return.
    """
    chain, rate = heard.model.chain_of(return_.id), heard.plan.song.sample_rate
    if chain is None:
        return None
    bins = in_thirds(np.ones(chain.energies.shape[-1]), rate)
    through = in_thirds(chain.energies, rate) / np.maximum(bins, 1.0)
    out: NDArray[np.float64] = np.einsum("oib,ib->ob", through, heard.model.return_spectra[return_.id].fed[WHOLE])
    out[1] *= return_.width**2
    return out


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    return_ = heard.plan.return_(finding.return_id)
    widths = [width for width in (1.2, 1.0, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3) if width < return_.width]
    for width in widths:
        yield Mending(
            words=f"{return_.name}, width {figure(100 * return_.width, 0)} to {figure(100 * width, 0)} %",
            keeps="its middle stays",
            plan=set_return(heard.plan, return_.id, width=width),
        )


KIND = Kind(
    name="mono-loss",
    label="Loss in mono",
    looks_at="mono sums of all returns by third octave",
    look=_look,
    mend=_mend,
    evidence=lambda heard, finding: _evidence(heard, heard.plan.return_(finding.return_id)),
    most=LOOK,
)
