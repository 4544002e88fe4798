"""From an edit to the first changed segment, in songs of 4 and of 16 minutes: 24 stems, 8 returns, played in the middle.

An edit is made and checked, the keys of all segments of the lane are worked out anew, and the first segment at the play
position whose key has changed is rendered, with its pre-roll. Counted too: how many segments of the song are now others.
"""

import statistics
import time

import numpy as np
from bench.common import RATE, song_plan

from highhall.plan import Plan
from highhall.plan.edits import set_effect, set_return, set_section_value, set_send
from highhall.plan.model import SendTarget
from highhall.render import Stems
from highhall.render.segments import LaneSegments, SegmentRenderer

TRACKS, ROUNDS = 24, 7
CHAINS = (
    [{"kind": "reverb", "params": {"space": "hall", "decay_s": 3.8, "pre_delay": "1/16"}}],
    [{"kind": "reverb", "params": {"space": "plate", "decay_s": 1.8}}],
    [{"kind": "reverb", "params": {"space": "room", "decay_s": 0.6}}],
    [{"kind": "reverb", "params": {"space": "chamber", "decay_s": 1.2}}],
    [{"kind": "echo", "params": {"left": "1/8.", "right": "1/4", "feedback": 0.4, "high_cut_hz": 4000}}],
    [{"kind": "echo", "params": {"left": "120ms", "right": "140ms"}}],
    [{"kind": "doubler"}],
    [{"kind": "chorus"}],
)
SENDS = (
    *({"from": f"t{t}", "to": f"r{r}", "level_db": -18} for t in range(TRACKS) for r in range(8) if (t + r) % 2),
    {"from": "r4", "to": "r0", "level_db": -12},
)


def make_stems(plan: Plan) -> Stems:
    """Return stems of noise that share one stretch of memory."""
    frames = plan.song.end_sample
    noise = (0.05 * np.random.default_rng(0).standard_normal((1, frames + 48000))).astype(np.float32)
    return Stems({track.stem: noise[:, n * 1000 : n * 1000 + frames] for n, track in enumerate(plan.tracks)})


EDITS = {
    "a send into a plate": ("r1", lambda p, db: set_send(p, "t0", "r1", level_db=db)),
    "a send into a hall": ("r0", lambda p, db: set_send(p, "t1", "r0", level_db=db)),
    "a hall's decay": ("r0", lambda p, db: set_effect(p, "r0", "reverb", params={"decay_s": 3.8 + db / 100})),
    "a hall's level": ("r0", lambda p, db: set_return(p, "r0", level_db=db)),
    "an echo's feedback": ("r4", lambda p, db: set_effect(p, "r4", "echo", params={"feedback": 0.4 + db / 1000})),
    "a send in one section": ("r1", lambda p, db: set_section_value(p, SendTarget(source="t0", target="r1", param="level_db"), "s4", db)),
}  # fmt: skip


def main() -> None:
    print(
        f"{'':24}{'minutes':>8}{'edit':>8}{'keys':>8}{'segment':>8}{'all':>8}{'changed':>10} of all segments of the song"
    )
    for name, (lane, edit) in EDITS.items():
        for minutes in (4, 16):
            plan = song_plan(minutes, TRACKS, CHAINS, SENDS)
            stems, hashes = make_stems(plan), {track.stem: track.id for track in plan.tracks}
            count = plan.song.end_sample // (2 * RATE)
            at = count // 2 + 1
            before = {r.id: LaneSegments(plan, r.id, hashes) for r in plan.returns}
            spent: list[tuple[float, ...]] = []
            for number in range(ROUNDS):
                began = time.perf_counter()
                edited = edit(plan, -12.3 - number)
                checked = time.perf_counter()
                segments = LaneSegments(edited, lane, hashes)
                keys = [segments.key(index) for index in range(count)]
                listed = time.perf_counter()
                first = next(i for i in (*range(at, count), *range(at)) if keys[i] != before[lane].key(i))
                SegmentRenderer(kept_bytes=0).render(segments, stems, first)
                rendered = time.perf_counter()
                spent.append((checked - began, listed - checked, rendered - listed, rendered - began))
            changed = sum(
                LaneSegments(edited, r.id, hashes).key(i) != before[r.id].key(i)
                for r in plan.returns
                for i in range(count)
            )
            figures = "".join(f"{1000 * statistics.median(column):5.0f} ms" for column in zip(*spent, strict=True))
            print(f"{name:24}{minutes:8}{figures}{changed:10} of {count * (len(plan.returns) + 1)}")


if __name__ == "__main__":
    main()
