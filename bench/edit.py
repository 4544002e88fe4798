"""From an edit to the first changed segment, in a song of 16 minutes: 24 stems, 8 returns, played in the middle.

The lane is played up to the play position. An edit is made and checked, the keys of all segments of the lane are worked out anew,
and the first segment at the play position whose key has changed is rendered, with its pre-roll: going on from what was played, and
for comparison from nothing. Counted too: how many segments of the song are now others.
"""

import time
from collections.abc import Iterator

import numpy as np
from bench.common import RATE, Figure, song_plan
from numpy.typing import NDArray

from highhall.plan import Plan
from highhall.plan.edits import set_effect, set_return, set_section_value, set_send
from highhall.plan.model import SendTarget
from highhall.render import Stems
from highhall.render.segment_renderer import SegmentRenderer
from highhall.render.segments import LaneSegments

TRACKS, ROUNDS = 24, 7
KEPT_BYTES = 128 << 20
PLAYED, AHEAD = 8, 2
"""Segments that were rendered before the edit: heard, and ahead of what is heard."""
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


def spent_ms(name: str, minutes: int) -> tuple[NDArray[np.float64], str]:
    """Return the milliseconds of each round, (rounds, parts): the edit, the keys, the segment, the segment from nothing; and how many segments are now others."""
    lane, edit = EDITS[name]
    plan = song_plan(minutes, TRACKS, CHAINS, SENDS)
    stems, hashes = make_stems(plan), {track.stem: track.id for track in plan.tracks}
    count = plan.song.end_sample // (2 * RATE)
    at = count // 2 + 1
    before = {r.id: LaneSegments(plan, r.id, hashes) for r in plan.returns}
    renderer, spent = SegmentRenderer(kept_bytes=KEPT_BYTES), []
    for index in range(at - PLAYED, at + AHEAD):
        renderer.render(before[lane], stems, index)
    for number in range(ROUNDS):
        began = time.perf_counter()
        edited = edit(plan, -12.3 - number)
        checked = time.perf_counter()
        segments = LaneSegments(edited, lane, hashes)
        keys = [segments.key(index) for index in range(count)]
        listed = time.perf_counter()
        first = next(i for i in (*range(at, count), *range(at)) if keys[i] != before[lane].key(i))
        renderer.render(segments, stems, first)
        rendered = time.perf_counter()
        SegmentRenderer(kept_bytes=0).render(segments, stems, first)
        spent.append((checked - began, listed - checked, rendered - listed, time.perf_counter() - rendered))
    changed = sum(
        LaneSegments(edited, r.id, hashes).key(i) != before[r.id].key(i) for r in plan.returns for i in range(count)
    )
    return 1000 * np.array(spent), f"{changed} of {count * (len(plan.returns) + 1)} segments are others"


def figures() -> Iterator[Figure]:
    """Yield the time from every edit to its first segment in a song of 16 minutes."""
    for name in EDITS:
        times, changed = spent_ms(name, 16)
        edited, keys, _, alone = np.median(times, axis=0)
        beside = f"from nothing {alone:.0f} ms; edit {edited:.0f} ms, keys {keys:.0f} ms; {changed}"
        bar = 60 if "hall" in name else 30
        segments = tuple(times[:, 2])
        yield Figure(name=name, values=segments, unit="ms", bar=bar, is_less_better=True, beside=beside)


def main() -> None:
    for figure in figures():
        print(figure, flush=True)


if __name__ == "__main__":
    main()
