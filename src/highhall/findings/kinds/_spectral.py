"""What two kinds share: a range of frequency that has more of a return than of the dry sound of what is heard in it."""

from collections.abc import Iterator

from highhall.findings.bands import between, curve, share_db
from highhall.findings.filtering import with_filter
from highhall.findings.finding import Evidence, Finding, Mending
from highhall.findings.heard import Heard
from highhall.plan import Filter
from highhall.plan.kinds import FILTER_PARAMETERS
from highhall.wording import figure, hertz_in_words

MOST_DB = FILTER_PARAMETERS["gain_db"].high


def over_dry_db(heard: Heard, return_id: str, low_hz: float, high_hz: float) -> float | None:
    """Return how much more a range has of a return than of the dry sound of what is heard in it, in dB; None if one is silent."""
    inside = between(low_hz, high_hz)
    wet = share_db(heard.model.return_spectra[return_id].out.sum(axis=0), inside)
    dry = share_db(heard.dry_of(return_id), inside)
    return wet - dry if abs(wet) < 200 and abs(dry) < 200 else None


def evidence(heard: Heard, return_id: str, low_hz: float, high_hz: float, over_db: float, limit: float) -> Evidence:
    """Return the wet spectrum over the dry one, and the range."""
    return Evidence(
        shape="spectrum",
        figures={"low": low_hz, "high": high_hz, "here": over_db, "limit": limit},
        lines={
            "wet": curve(heard.model.return_spectra[return_id].out.sum(axis=0)),
            "dry": curve(heard.dry_of(return_id)),
        },
    )


def bells(heard: Heard, finding: Finding, hz: float, q: float) -> Iterator[Mending]:
    """Yield the return with less of a range, as little as can be first."""
    over = finding.figure - finding.limit
    for more in (1.2, 1.6, 2.2, 3.0):
        gain_db = -round(min(max(over, 0.5) * more + 0.5, MOST_DB) * 2) / 2
        filter_ = Filter(shape="bell", hz=hz, gain_db=gain_db, q=q)
        yield Mending(
            words=f"{heard.names[finding.return_id]}, bell {hertz_in_words(hz)}, {figure(gain_db)} dB, Q {q:g}",
            keeps="all else of its chain stays",
            plan=with_filter(heard.plan, finding.return_id, filter_),
        )
