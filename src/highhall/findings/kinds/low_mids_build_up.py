"""Low mids that gather in a return which several sources feed.

Limit: 160 to 400 Hz, against all else, lie 4 dB higher in the return than in the dry sound of what is heard in it,
with two feeds or more. Two equal feeds add up by 3 dB where they overlap and stay apart elsewhere; 4 dB in a band of
more than an octave is what is heard as a change of tone (a level difference of 1 dB is the just noticeable one; four
times that leaves differences of taste alone).
"""

from collections.abc import Iterator

from highhall.findings.finding import Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.findings.kinds._spectral import bells, evidence, over_dry_db
from highhall.wording import figure

LOW_HZ, HIGH_HZ = 160.0, 400.0
LIMIT_DB = 4.0
_STEP_DB = 3.0


def _look(heard: Heard) -> Iterator[Finding]:
    for return_ in heard.plan.returns:
        feeds = sum(1 for send in heard.plan.sends_into(return_.id) if send.on and send.level_db is not None)
        over = over_dry_db(heard, return_.id, LOW_HZ, HIGH_HZ)
        if feeds < 2 or over is None or over < LIMIT_DB - 0.5 * _STEP_DB:
            continue
        yield Finding(
            kind=KIND.name,
            title=f"{return_.name} gathers low mids",
            sentence=(
                f"From {feeds} feeds, 160 to 400 Hz lie {figure(over)} dB higher in the {return_.name} than in the dry sound of what is "
                f"heard in it. From {figure(LIMIT_DB, 0)} dB on a space sounds thick and covers what is played there."
            ),
            figure=over,
            unit="dB",
            limit=LIMIT_DB,
            excess=(over - LIMIT_DB) / _STEP_DB,
            severity=1,
            return_id=return_.id,
            evidence=evidence(heard, return_.id, LOW_HZ, HIGH_HZ, over, LIMIT_DB),
        )


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    return bells(heard, finding, 250.0, 0.9)


KIND = Kind(
    name="low-mids-build-up",
    label="Low mids build up",
    looks_at="spectra of all returns against the dry sound, 160 to 400 Hz",
    look=_look,
    mend=_mend,
)
