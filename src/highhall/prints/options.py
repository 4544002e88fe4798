"""What to print, and as what."""

from dataclasses import dataclass

from highhall.interchange.sound_writer import require_depth
from highhall.prints.parts import DEFAULT_KINDS
from highhall.render.engine import BLOCK_FRAMES

FORMATS = ("wav", "flac")
RATES = (44100, 48000, 88200, 96000)


@dataclass(frozen=True, slots=True, kw_only=True)
class PrintOptions:
    """What to print, and as what.

    kinds, ids: the parts; see `parts_of`. start_sample: None is the song's start. end_sample: there the tracks stop; None is the song's
    end, and stems that go on after it are not cut. tail_s: None is until silence. rate: of the files; None is the song's.
    pattern: of the files' names, as `file_names` takes it; None is a folder for each kind.

    Raises
    ------
    CoreError
        If the format cannot hold the depth.
    """

    start_sample: int | None = None
    end_sample: int | None = None
    file_format: str = "wav"
    depth: str = "24"
    kinds: tuple[str, ...] = DEFAULT_KINDS
    ids: tuple[str, ...] = ()
    tail_s: float | None = None
    rate: int | None = None
    pattern: str | None = None
    block_frames: int = BLOCK_FRAMES
    threads: int = 2

    def __post_init__(self) -> None:
        require_depth(self.file_format, self.depth)
