"""What the benchmarks share: a song that stands still at 120."""

from highhall.plan import Song, Tempo
from highhall.timing import Meter, Position

RATE = 48000
SONG = Song(
    title="Bench",
    sample_rate=RATE,
    meters=(Meter(1, 4, 4),),
    tempos=(Tempo(at=Position(1), bpm=120),),
    end=Position(99),
)
