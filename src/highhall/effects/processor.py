"""What every kind of effect gives to the renderer."""

from typing import Protocol

from highhall.effects.signals import Signal

CELL_FRAMES = 8192
"""The engine works in whole cells, counted from 1|1: nobody plays into it, so a cell's input is known as a whole."""


class Processor(Protocol):
    """One effect at work: it holds its own state and is fed blocks of any size, in order.

    As long as blocks are whole cells, their sizes do not change a bit of the result (others may round it otherwise), and
    anything that wanders by itself depends on the absolute sample index, so that a start elsewhere finds the same phase.
    """

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the effect of `block`, (2, frames), whose first frame is the song's `start_sample`."""
        ...

    @property
    def memory_s(self) -> float:
        """How long the past can be heard: seconds until it is 110 dB down (`MEMORY_DB`)."""
        ...

    @property
    def falling_s(self) -> float:
        """How much of that, at its end, is an exponential fall; before it what is heard may be as loud as ever."""
        ...

    @property
    def longest_gap_s(self) -> float:
        """The longest silence inside what the effect gives back, in seconds."""
        ...
