"""Low mids that gather in a return which several sources feed.

Limit: 160 to 400 Hz, against all else, lie 4 dB higher in the return than in the dry sound of what is heard in it,
with two feeds or more. Two equal feeds add up by 3 dB where they overlap and stay apart elsewhere; 4 dB in a band of
more than an octave is what is heard as a change of tone (a level difference of 1 dB is the just noticeable one; four
times that leaves differences of taste alone).
"""

from highhall.findings.kinds._spectral import Range

KIND = Range(
    kind="low-mids-build-up",
    label="Low mids build up",
    words="160 to 400 Hz",
    low_hz=160.0,
    high_hz=400.0,
    limit_db=4.0,
    does="gathers low mids",
    why="a space sounds thick and covers what is played there",
    bell=(250.0, 0.9),
    least_feeds=2,
).as_kind()
