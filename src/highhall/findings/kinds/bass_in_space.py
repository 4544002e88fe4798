"""Bass that is fed into a space which does not cut it.

Limit: more than a fifth of what a source feeds lies under 120 Hz, and the chain lets 80 Hz through with less than 6
dB of loss. In a room, decays under 120 Hz blur the bass line first (modes lie apart there, Schroeder frequency), and
they carry most of the level that a return takes from the headroom.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from highhall.findings.bands import between, curve
from highhall.findings.filtering import with_filter
from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.measure.predictions import chain_response_db
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.plan import Filter
from highhall.wording import figure

UNDER_HZ = 120.0
LIMIT_SHARE = 0.2
_CUT_AT_HZ, _CUT_DB = 80.0, -6.0
_HEARD_DB = -40.0
_STEP = 0.3
_LOW = between(0.0, UNDER_HZ)


def _look(heard: Heard) -> Iterator[Finding]:
    for return_ in heard.spaces:
        cut_db = float(chain_response_db(return_, np.array([_CUT_AT_HZ]), heard.plan.song.sample_rate)[0])
        if cut_db <= _CUT_DB:
            continue
        for send in heard.plan.sends_into(return_.id):
            track = next((track for track in heard.plan.tracks if track.id == send.source), None)
            if track is None or heard.share_db(track.id, return_.id) < _HEARD_DB:
                continue
            share = _share(_fed(heard, track.id))
            if share < LIMIT_SHARE * (1 - 0.5 * _STEP):
                continue
            yield Finding(
                kind=KIND.name,
                title=f"{track.name} feeds bass into the {return_.name}",
                sentence=(
                    f"{figure(100 * share, 0)} % of what it feeds lies under 120 Hz, and the {return_.name} has no low cut there. From "
                    f"{figure(100 * LIMIT_SHARE, 0)} % on the tail blurs the bass."
                ),
                figure=100 * share,
                unit="%",
                limit=100 * LIMIT_SHARE,
                excess=(share - LIMIT_SHARE) / _STEP,
                source=track.id,
                return_id=return_.id,
                evidence=_evidence(heard, return_.id, _fed(heard, track.id)),
            )


def _fed(heard: Heard, track_id: str) -> NDArray[np.float64]:
    powers: NDArray[np.float64] = 10 ** (heard.stems[track_id].band_levels_db() / 10)
    return powers


def _share(powers: NDArray[np.float64]) -> float:
    return float(powers[_LOW].sum() / powers.sum())


def _evidence(heard: Heard, return_id: str, powers: NDArray[np.float64]) -> Evidence:
    return Evidence(
        shape="spectrum",
        figures={"low": 20.0, "high": UNDER_HZ, "here": 100 * _share(powers), "limit": 100 * LIMIT_SHARE},
        lines={"wet": curve(powers, _LOW), "dry": curve(heard.dry_of(return_id), _LOW)},
    )


def _mended(heard: Heard, finding: Finding) -> Evidence:
    """Return what is left of the source behind the filters of the return."""
    cut_db = chain_response_db(heard.plan.return_(finding.return_id), np.array(CENTRES_HZ), heard.plan.song.sample_rate)
    return _evidence(heard, finding.return_id, _fed(heard, finding.source) * 10 ** (cut_db / 10))


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    for hz in (160.0, 200.0):
        yield Mending(
            words=f"{heard.names[finding.return_id]}, low cut {hz:g} Hz, 12 dB/oct",
            keeps="the source keeps its bass in the dry sound",
            plan=with_filter(heard.plan, finding.return_id, Filter(shape="low_cut", hz=hz, slope_db_oct=12)),
        )


KIND = Kind(
    name="bass-in-space",
    label="Bass in a space",
    looks_at="what every source feeds into every space under 120 Hz",
    look=_look,
    mend=_mend,
    evidence=_mended,
    most=LOOK,
)
