"""The demo song rendered whole, as a multiple of real time, with and without writing files, on 1 and 2 threads."""

import os
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from highhall.demo import demo_plan, write_stems
from highhall.prints import PrintOptions, print_plan
from highhall.render import BLOCK_FRAMES, Engine, Stems


def main() -> None:
    plan = demo_plan()
    seconds = plan.song.end_sample / plan.song.sample_rate
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        began = time.perf_counter()
        write_stems(folder / "stems")
        print(f"stems made in          {time.perf_counter() - began:6.1f} s")
        began = time.perf_counter()
        stems = Stems.opened(plan, folder, folder / "decoded")
        print(f"stems decoded in       {time.perf_counter() - began:6.1f} s")
        for threads in (1, 2):
            with ThreadPoolExecutor(threads) as pool:
                engine = Engine(plan, stems, executor=pool if threads > 1 else None)
                began = time.perf_counter()
                while engine.position < plan.song.end_sample:
                    engine.advance(BLOCK_FRAMES)
                spent = time.perf_counter() - began
            print(f"rendered, {threads} thread{'s' * (threads > 1):1}    {seconds / spent:6.1f} x real time")
        summary = print_plan(plan, stems, folder / "out", PrintOptions())
        print(
            f"printed, 2 threads     {summary.seconds_per_second:6.1f} x real time, {len(summary.files)} files of 24 bit"
        )
        print(f"peak memory            {summary.peak_memory_bytes / 2**20:6.0f} MiB ({os.cpu_count()} cores)")


if __name__ == "__main__":
    main()
