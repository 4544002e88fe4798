"""A whole song rendered: 16 or 40 stems, 6 returns of three bands of tone each, every send on; 4, 16, 60 minutes, 2 threads.

Each round runs in a process of its own, which tells its speed, without writing sound, and its peak memory. Stems lie
on disk, as they do in use.
"""

import os
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from bench.common import RATE, Figure, song_plan

from highhall.plan import Plan
from highhall.render import BLOCK_FRAMES, Engine, Stems

CHAINS = (
    [{"kind": "reverb", "params": {"space": "hall", "decay_s": 3.8, "pre_delay": "1/16"}}],
    [{"kind": "reverb", "params": {"space": "plate", "decay_s": 1.8, "pre_delay": "20ms"}}],
    [{"kind": "reverb", "params": {"space": "room", "decay_s": 0.6}}],
    [{"kind": "echo", "params": {"left": "1/8.", "right": "1/4", "feedback": 0.4, "high_cut_hz": 4000}}],
    [{"kind": "echo", "params": {"left": "120ms", "right": "140ms"}}],
    [{"kind": "doubler"}],
)


def sends(tracks: int) -> list[dict[str, Any]]:
    return [{"from": f"t{t}", "to": f"r{r}", "level_db": -18} for t in range(tracks) for r in range(len(CHAINS))]


def write_stems(plan: Plan, folder: Path) -> None:
    """Write a file for each of sixteen tracks; more tracks read the same files again, which would fill a disk otherwise."""
    rng = np.random.default_rng(0)
    noise = (0.05 * rng.standard_normal((1, 60 * RATE))).astype(np.float32)
    for track in plan.tracks[16:]:
        (folder / f"{track.stem}.npy").symlink_to(folder / f"{plan.tracks[int(track.id[1:]) % 16].stem}.npy")
    for track in plan.tracks[:16]:
        stem = np.lib.format.open_memmap(folder / f"{track.stem}.npy", "w+", np.float32, (1, plan.song.end_sample))
        for start in range(0, stem.shape[1], noise.shape[1]):
            stem[:, start : start + noise.shape[1]] = np.roll(noise, rng.integers(RATE), axis=1)[
                :, : stem.shape[1] - start
            ]


def peak_mib() -> float:
    """Return this program's peak memory; the figure that `resource` gives begins with that of the process that started it."""
    return int(re.search(r"VmHWM:\s+(\d+)", Path("/proc/self/status").read_text())[1]) / 1024


def render(minutes: int, tracks: int, folder: Path) -> None:
    plan = song_plan(minutes, tracks, CHAINS, sends(tracks))
    stems = Stems({track.stem: np.load(folder / f"{track.stem}.npy", mmap_mode="r") for track in plan.tracks})
    with ThreadPoolExecutor(2) as pool:
        Engine(plan, stems, executor=pool).advance(BLOCK_FRAMES)
        engine = Engine(plan, stems, executor=pool)
        began = time.perf_counter()
        while engine.position < plan.song.end_sample:
            engine.advance(BLOCK_FRAMES)
        spent = time.perf_counter() - began
    print(minutes * 60 / spent, peak_mib())


def figures(
    minutes: int, tracks: int, rounds: int, *, speed: float | None = None, mib: float | None = None
) -> Iterator[Figure]:
    """Yield speed and peak memory of a song, each round in a process of its own."""
    name = f"{minutes} minutes, {tracks} tracks"
    with tempfile.TemporaryDirectory() as folder:
        write_stems(song_plan(minutes, tracks, CHAINS, sends(tracks)), Path(folder))
        command = [sys.executable, "-m", "bench.whole", str(minutes), str(tracks), folder]
        found = [subprocess.run(command, check=True, capture_output=True, text=True).stdout for _ in range(rounds)]
    speeds, peaks = zip(*((float(word) for word in line.split()) for line in found), strict=True)
    yield Figure(name=name, values=speeds, unit="x real time", bar=speed, beside=f"{os.cpu_count()} cores")
    yield Figure(name=name, values=peaks, unit="MiB at the peak", bar=mib, is_less_better=True)


def main() -> None:
    if len(sys.argv) > 1:
        return render(int(sys.argv[1]), int(sys.argv[2]), Path(sys.argv[3]))
    for figure in (*figures(4, 16, 5, speed=120), *figures(16, 16, 1), *figures(60, 40, 1, mib=700)):
        print(figure, flush=True)
    return None


if __name__ == "__main__":
    main()
