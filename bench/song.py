"""The demo song rendered whole, as a multiple of real time, with and without writing files, on 1 and 2 threads."""

import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from bench.common import Figure, in_turn

from highhall.demo import demo_plan, write_stems
from highhall.interchange.broadcast_wave import Tags
from highhall.prints import PrintOptions, print_plan
from highhall.prints.part_file import PartFile
from highhall.prints.parts import Part, parts_of
from highhall.render import BLOCK_FRAMES, Engine, Stems


def figures(rounds: int = 3) -> Iterator[Figure]:
    """Yield the speeds of rendering, of printing, and of the writing that is in it."""
    plan = demo_plan()
    seconds = plan.song.end_sample / plan.song.sample_rate
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_stems(folder / "stems")
        stems = Stems.opened(plan, folder, folder / "decoded")

        def rendered(threads: int) -> None:
            with ThreadPoolExecutor(threads) as pool:
                engine = Engine(plan, stems, executor=pool if threads > 1 else None)
                while engine.position < plan.song.end_sample:
                    engine.advance(BLOCK_FRAMES)

        def printed() -> None:
            # Over an earlier print, renaming would wait for the disk.
            with tempfile.TemporaryDirectory(dir=folder) as out:
                print_plan(plan, stems, Path(out), PrintOptions())

        block = Engine(plan, stems, start_sample=plan.song.end_sample // 2).advance(BLOCK_FRAMES).main
        parts = parts_of(plan, PrintOptions().kinds)

        def written() -> None:
            with ThreadPoolExecutor(2) as pool:
                list(pool.map(write, parts))

        def write(part: Part) -> None:
            file = PartFile(folder / "written", part.id, part, plan, PrintOptions(), Tags())
            for _ in range(0, plan.song.end_sample, BLOCK_FRAMES):
                file.write(block)
            file.finish()

        times = seconds / in_turn([lambda: rendered(1), lambda: rendered(2), printed, written], rounds)
    names = (
        "rendered, 1 thread",
        "rendered, 2 threads",
        f"printed to {len(parts)} files of 24 bit",
        "the writing alone",
    )
    for name, speeds, bar in zip(names, times.T, (None, None, 60, None), strict=True):
        yield Figure(name=f"demo song, {name}", values=tuple(speeds), unit="x real time", bar=bar)


def main() -> None:
    for figure in figures():
        print(figure, flush=True)


if __name__ == "__main__":
    main()
