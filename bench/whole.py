"""A whole song rendered: 16 stems, 6 returns of three bands of tone each, every send on; 4 and 16 minutes, 2 threads.

Each length runs in a process of its own, which tells its speed, without writing sound, and its peak memory. Stems lie
on disk, as they do in use, one file each.
"""

import os
import resource
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from bench.common import RATE, song_plan

from highhall.plan import Plan
from highhall.render import BLOCK_FRAMES, Engine, Stems

TRACKS = 16
CHAINS = (
    [{"kind": "reverb", "params": {"space": "hall", "decay_s": 3.8, "pre_delay": "1/16"}}],
    [{"kind": "reverb", "params": {"space": "plate", "decay_s": 1.8, "pre_delay": "20ms"}}],
    [{"kind": "reverb", "params": {"space": "room", "decay_s": 0.6}}],
    [{"kind": "echo", "params": {"left": "1/8.", "right": "1/4", "feedback": 0.4, "high_cut_hz": 4000}}],
    [{"kind": "echo", "params": {"left": "120ms", "right": "140ms"}}],
    [{"kind": "doubler"}],
)
SENDS = [{"from": f"t{t}", "to": f"r{r}", "level_db": -18} for t in range(TRACKS) for r in range(len(CHAINS))]


def write_stems(plan: Plan, folder: Path) -> None:
    rng = np.random.default_rng(0)
    noise = (0.05 * rng.standard_normal((1, 60 * RATE))).astype(np.float32)
    for track in plan.tracks:
        stem = np.lib.format.open_memmap(folder / f"{track.stem}.npy", "w+", np.float32, (1, plan.song.end_sample))
        for start in range(0, stem.shape[1], noise.shape[1]):
            stem[:, start : start + noise.shape[1]] = np.roll(noise, rng.integers(RATE), axis=1)[
                :, : stem.shape[1] - start
            ]


def render(minutes: int, folder: Path) -> None:
    plan = song_plan(minutes, TRACKS, CHAINS, SENDS)
    stems = Stems({track.stem: np.load(folder / f"{track.stem}.npy", mmap_mode="r") for track in plan.tracks})
    with ThreadPoolExecutor(2) as pool:
        Engine(plan, stems, executor=pool).advance(BLOCK_FRAMES)
        engine = Engine(plan, stems, executor=pool)
        began = time.perf_counter()
        while engine.position < plan.song.end_sample:
            engine.advance(BLOCK_FRAMES)
        spent = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(
        f"{minutes:3} minutes {minutes * 60 / spent:7.1f} x real time {peak:7.0f} MiB at the peak, {os.cpu_count()} cores"
    )


def main() -> None:
    if len(sys.argv) > 1:
        return render(int(sys.argv[1]), Path(sys.argv[2]))
    for minutes in (4, 16):
        with tempfile.TemporaryDirectory() as name:
            write_stems(song_plan(minutes, TRACKS, CHAINS, SENDS), Path(name))
            subprocess.run([sys.executable, "-m", "bench.whole", str(minutes), name], check=True)
    return None


if __name__ == "__main__":
    main()
