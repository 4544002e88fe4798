"""What two kinds share: a range of frequency that has more of a return than of the dry sound of what is heard in it."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

from highhall.findings.bands import between, curve, share_db
from highhall.findings.filtering import with_filter
from highhall.findings.finding import Evidence, Finding, Kind, Mending
from highhall.findings.heard import WHOLE, Heard
from highhall.plan import Filter
from highhall.plan.kinds import FILTER_PARAMETERS
from highhall.wording import figure, hertz_in_words

STEP_DB = 3.0
_FAR_UNDER_DB = -12.0
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
            name=self.kind,
            label=self.label,
            looks_at=looks_at,
            look=partial(_look, self),
            mend=partial(_mend, self),
            evidence=lambda heard, finding: _evidence(self, heard, finding.return_id),
        )


def over_dry_db(heard: Heard, return_id: str, low_hz: float, high_hz: float, place: int = WHOLE) -> float | None:
    """Return how much more a range has of a return than of the dry sound of what is heard in it, in dB; None if one is silent.

    place: a section by its number in time, or the whole song.
    """
    inside = between(low_hz, high_hz)
    wet = share_db(heard.wet_of(return_id, place), inside)
    dry = share_db(heard.dry_of(return_id, place), inside)
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
            places=_places(of, heard, return_.id),
            evidence=_evidence(of, heard, return_.id),
        )


def _places(of: Range, heard: Heard, return_id: str) -> tuple[tuple[float, float], ...]:
    """Return the sections in which the range is over its limit and the return is not far under its own mean, the worst first."""
    least = heard.wet_of(return_id).sum() * 10 ** (_FAR_UNDER_DB / 10)
    found = [
        (over, heard.span(section.id))
        for place, section in enumerate(heard.sections)
        if heard.wet_of(return_id, place).sum() >= least
        and (over := over_dry_db(heard, return_id, of.low_hz, of.high_hz, place)) is not None
        and over >= of.limit_db
    ]
    return tuple(span for _, span in sorted(found, reverse=True))


def _evidence(of: Range, heard: Heard, return_id: str) -> Evidence:
    over = over_dry_db(heard, return_id, of.low_hz, of.high_hz)
    inside = between(of.low_hz, of.high_hz)
    return Evidence(
        shape="spectrum",
        figures={"low": of.low_hz, "high": of.high_hz, "here": over or 0.0, "limit": of.limit_db},
        lines={"wet": curve(heard.wet_of(return_id), inside), "dry": curve(heard.dry_of(return_id), inside)},
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
