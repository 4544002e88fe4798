"""A return that is sharper than what it is made of.

Limit: 2 to 5 kHz, against all else, lie 5 dB higher in the return than in the dry sound of what is heard in it. There
the ear is most sensitive (ISO 226), and an even, lasting sound in that range tires more than one that comes and goes;
1 dB more than for low mids, since tails with some presence are often meant.
"""

from highhall.findings.kinds._spectral import Range

KIND = Range(
    kind="harsh-return",
    label="Sharp return",
    words="2 to 5 kHz",
    low_hz=2000.0,
    high_hz=5000.0,
    limit_db=5.0,
    does="is sharp",
    why="a tail hisses and tires the ear",
    bell=(3200.0, 0.8),
).as_kind()
