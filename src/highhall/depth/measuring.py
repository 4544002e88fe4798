"""A source rendered alone: what the model predicts, measured."""

from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.depth.sources import section_spans
from highhall.depth.stem_table import Powers, with_whole
from highhall.effects import Chain
from highhall.measure.loudness import KFilter
from highhall.plan import Plan
from highhall.plan.isolation import alone
from highhall.render import Engine, Stems

_BLOCK_S = 2


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """The K-weighted powers at main of a source that is rendered alone, by section, the whole song last.

    dry, wet: (sections + 1,). by_return: (returns of the plan, sections + 1). wet is less or more than their sum by what
    they do to each other. is_known: (sections + 1,), where it was measured.
    """

    dry: Powers
    wet: Powers
    by_return: Powers
    is_known: NDArray[np.bool_]


def measured(
    plan: Plan,
    stems: Stems,
    track_id: str,
    *,
    places: Collection[int] | None = None,
    give_way: Callable[[], None] = lambda: None,
) -> Measured:
    """Render one source of a plan alone and return what is measured.

    Parameters
    ----------
    places: the sections that are wanted, by their place in time; None is all of the song. A part of the song is rendered from as
    long before it as what is heard there may ring on. give_way: called before every two seconds of sound.
    """
    rate, spans = plan.song.sample_rate, np.array(section_spans(plan))
    wanted = range(len(spans)) if places is None else sorted(places)
    only = alone(plan, {track_id})
    meter = _Meter(rate, 2 + len(plan.returns), spans)
    for first, last in _stretches(spans, wanted, 0 if places is None else round(_ringing_s(only, stems) * rate)):
        engine = Engine(only, stems, start_sample=first)
        meter.begin(first)
        while engine.position < last:
            give_way()
            block = engine.advance(_BLOCK_S * rate)
            returns = [block.returns[return_.id] for return_ in plan.returns]
            meter.add(np.stack([block.dry, block.main - block.dry, *returns]))
    known = np.array([place in wanted for place in range(len(spans))])
    powers = np.where(known, meter.powers, 0.0)
    dry, wet, *by_return = with_whole(powers, spans)
    is_known = np.append(known, known.all())
    return Measured(dry, wet, np.array(by_return).reshape(len(plan.returns), -1), is_known)


def _ringing_s(plan: Plan, stems: Stems) -> float:
    """Return for how long what is heard of a source may ring on, to -60 dB, in seconds."""
    lasting = [Chain.of(plan, return_, stems.responses).memory_s * 60 / 110 for return_ in plan.returns]
    return max(lasting, default=0.0) + sum(sorted(lasting)[-2:-1])


def _stretches(spans: NDArray[np.int64], wanted: Sequence[int], lead: int) -> Iterator[tuple[int, int]]:
    """Yield the stretches of the song that are rendered, from and to a sample: those that would meet are one."""
    begin = end = None
    for place in wanted:
        first, last = max(int(spans[place, 0]) - lead, 0), int(spans[place, 1])
        if end is not None and begin is not None and first > end:
            yield begin, end
            begin = None
        begin, end = first if begin is None else begin, last
    if begin is not None and end is not None:
        yield begin, end


class _Meter:
    """Means of K-weighted power between samples, of several stereo sounds at once."""

    def __init__(self, sample_rate: int, sounds: int, spans: np.ndarray) -> None:
        self._weighting, self._spans, self._at = KFilter(sample_rate, sounds), spans, 0
        self._energies = np.zeros((sounds, len(spans)))

    def begin(self, at_sample: int) -> None:
        """Hear what follows from a sample of the song on, after silence."""
        self._at = at_sample
        self._weighting.reset()

    def add(self, block: np.ndarray) -> None:
        """Take the next (sounds, 2, frames)."""
        weighted = self._weighting(block)
        gathered = np.concatenate([np.zeros((len(block), 1)), np.cumsum(np.sum(weighted**2, axis=1), axis=1)], axis=1)
        first, last = np.clip(self._spans - self._at, 0, block.shape[2]).T
        self._energies += gathered[:, last] - gathered[:, first]
        self._at += block.shape[2]

    @property
    def powers(self) -> Powers:
        """The mean power of every sound in every span, (sounds, spans)."""
        powers: Powers = self._energies / np.diff(self._spans, axis=1)[:, 0]
        return powers
