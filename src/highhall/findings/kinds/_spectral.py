"""What two kinds share: a range of frequency that has more of a return than of the dry sound of what is heard in it."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

from highhall.findings.bands import between, curve, share_db
from highhall.findings.filtering import with_filter
from highhall.findings.finding import Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Filter
from highhall.plan.kinds import FILTER_PARAMETERS
from highhall.wording import figure, hertz_in_words

STEP_DB = 3.0
MOST_DB = FILTER_PARAMETERS["gain_db"].high


@dataclass(frozen=True, slots=True, kw_only=True)
class Range:
    """A range that may be too loud in a return, and how that is said and mended.

    does: what a return does then, after its name. why: what it sounds like from the limit on. bell: middle in Hz and Q of the filter
    that takes it out. least_feeds: with fewer sends into it a return is not looked at.
    """

    kind: str
    label: str
    words: str
    low_hz: float
    high_hz: float
    limit_db: float
    does: str
    why: str
    bell: tuple[float, float]
    least_feeds: int = 1

    def as_kind(self) -> Kind:
        """Return the kind of finding that looks at it."""
        looks_at = f"spectra of all returns against the dry sound, {self.words}"
        return Kind(
            name=self.kind, label=self.label, looks_at=looks_at, look=partial(_look, self), mend=partial(_mend, self)
        )


def over_dry_db(heard: Heard, return_id: str, low_hz: float, high_hz: float) -> float | None:
    """Return how much more a range has of a return than of the dry sound of what is heard in it, in dB; None if one is silent."""
    inside = between(low_hz, high_hz)
    wet = share_db(heard.model.return_spectra[return_id].out.sum(axis=0), inside)
    dry = share_db(heard.dry_of(return_id), inside)
    return wet - dry if abs(wet) < 200 and abs(dry) < 200 else None


def _look(of: Range, heard: Heard) -> Iterator[Finding]:
    for return_ in heard.plan.returns:
        feeds = sum(1 for send in heard.plan.sends_into(return_.id) if send.on and send.level_db is not None)
        over = over_dry_db(heard, return_.id, of.low_hz, of.high_hz)
        if feeds < of.least_feeds or over is None or over < of.limit_db - 0.5 * STEP_DB:
            continue
        yield Finding(
            kind=of.kind,
            title=f"{return_.name} {of.does}",
            sentence=(
                f"{of.words[:1].upper()}{of.words[1:]} lie {figure(over)} dB higher in the {return_.name} than in the dry sound of what "
                f"is heard in it. From {figure(of.limit_db, 0)} dB on {of.why}."
            ),
            figure=over,
            unit="dB",
            limit=of.limit_db,
            excess=(over - of.limit_db) / STEP_DB,
            return_id=return_.id,
            evidence=Evidence(
                shape="spectrum",
                figures={"low": of.low_hz, "high": of.high_hz, "here": over, "limit": of.limit_db},
                lines={
                    "wet": curve(heard.model.return_spectra[return_.id].out.sum(axis=0)),
                    "dry": curve(heard.dry_of(return_.id)),
                },
            ),
        )


def _mend(of: Range, heard: Heard, finding: Finding) -> Iterator[Mending]:
    """Yield the return with less of the range, as little as can be first."""
    (hz, q), over = of.bell, finding.figure - finding.limit
    for more in (1.2, 1.6, 2.2, 3.0):
        gain_db = -round(min(max(over, 0.5) * more + 0.5, MOST_DB) * 2) / 2
        yield Mending(
            words=f"{heard.names[finding.return_id]}, bell {hertz_in_words(hz)}, {figure(gain_db)} dB, Q {q:g}",
            keeps="all else of its chain stays",
            plan=with_filter(heard.plan, finding.return_id, Filter(shape="bell", hz=hz, gain_db=gain_db, q=q)),
        )
