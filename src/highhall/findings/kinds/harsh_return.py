"""A return that is sharper than what it is made of.

Limit: 2 to 5 kHz, against all else, lie 5 dB higher in the return than in the dry sound of what is heard in it. There
the ear is most sensitive (ISO 226), and an even, lasting sound in that range tires more than one that comes and goes;
1 dB more than for low mids, since tails with some presence are often meant.
"""

from collections.abc import Iterator

from highhall.findings.finding import Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.findings.kinds._spectral import bells, evidence, over_dry_db
from highhall.wording import figure

LOW_HZ, HIGH_HZ = 2000.0, 5000.0
LIMIT_DB = 5.0
_STEP_DB = 3.0


def _look(heard: Heard) -> Iterator[Finding]:
    for return_ in heard.plan.returns:
        over = over_dry_db(heard, return_.id, LOW_HZ, HIGH_HZ)
        if over is None or over < LIMIT_DB - 0.5 * _STEP_DB:
            continue
        yield Finding(
            kind=KIND.name,
            title=f"{return_.name} is sharp",
            sentence=(
                f"2 to 5 kHz lie {figure(over)} dB higher in the {return_.name} than in the dry sound of what is heard in it. From "
                f"{figure(LIMIT_DB, 0)} dB on a tail hisses and tires the ear."
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
    return bells(heard, finding, 3200.0, 0.8)


KIND = Kind(
    name="harsh-return",
    label="Sharp return",
    looks_at="spectra of all returns against the dry sound, 2 to 5 kHz",
    look=_look,
    mend=_mend,
)
