"""Segments against the exact print, through edits chosen at random: kept segments too are right wherever their key is the same."""

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.errors import CoreError
from highhall.plan import EffectTarget, Plan, SendTarget, plan_from_document
from highhall.plan.edits import remove_send, set_effect, set_return, set_section_value, set_send, set_tracks
from highhall.render import DRY, Engine
from highhall.render.segment_renderer import SegmentRenderer
from highhall.render.segments import LaneSegments, lanes_of, segment_frames
from highhall.timing import NoteValue
from tests.core.plans import make_document, make_stems

pytestmark = pytest.mark.slow

SEGMENTS = 4
BELOW_100_DB = 10 ** (-100 / 20)


def wide_plan() -> Plan:
    """Every way in which a segment can depend on what was before: tails, loops, wandering, moves, keys, returns into returns."""
    document = make_document(bars=4)
    chains = {
        "room": [
            {"kind": "reverb", "params": {"space": "room", "decay_s": 0.4, "mod_depth": 1.0}},
            {"kind": "autopan"},
        ],
        "repeats": [{"kind": "echo", "params": {"left": "1/8.", "right": "1/4", "feedback": 0.3, "wow_depth_ms": 1.5}}],
        "twins": [{"kind": "doubler"}],
        "swirl": [{"kind": "chorus"}, {"kind": "flanger", "params": {"rate": "1/2", "feedback": 0.5}}],
        "pumped": [
            {"kind": "reverb", "params": {"space": "plate", "decay_s": 0.5}},
            {"kind": "duck", "params": {"key": "drum"}},
        ],
    }
    document["returns"] += [{"id": key, "chain": chain} for key, chain in chains.items()]
    document["sends"] += [
        {"from": source, "to": key, "level_db": -12.0} for key in chains for source in ("voice", "harp")
    ]
    document["sends"] += [{"from": "repeats", "to": "hall", "level_db": -9.0}]
    document["moves"] += [
        {"target": {"return": "twins", "step": "doubler", "param": "left_cents"}, "points": [{"at": "1|1", "value": -9}, {"at": "4|1", "value": 12}]},
        {"target": {"return": "swirl", "step": "chorus", "param": "rate"}, "sections": [{"section": "b", "value": 2.5}]},
        {"target": {"return": "pumped", "param": "level_db"}, "throws": [{"at": "2|3", "length": "1/4", "value": 3.0}]},
    ]  # fmt: skip
    return plan_from_document(document)


START = wide_plan()
STEMS = make_stems(START)
HASHES = {track.stem: track.stem for track in START.tracks}
RETURNS = [r.id for r in START.returns]

levels = st.integers(-30, 3).map(float)
_sources, _returns, _sections = (
    st.sampled_from(["voice", "harp", "band"]),
    st.sampled_from(RETURNS),
    st.sampled_from("ab"),
)


def _moved(source: str, target: str, section: str, level: float) -> Callable[[Plan], Plan]:
    move = SendTarget(source=source, target=target, param="level_db")
    return lambda plan: set_section_value(plan, move, section, level, ramp=NoteValue(1, 8))


def _decay(section: str, seconds: float) -> Callable[[Plan], Plan]:
    target = EffectTarget(target="room", effect="reverb", param="decay_s")
    return lambda plan: set_section_value(plan, target, section, seconds)


edits = st.one_of(
    st.builds(lambda s, t, v: lambda plan: set_send(plan, s, t, level_db=v), _sources, _returns, levels),
    st.builds(_moved, _sources, _returns, _sections, levels),
    st.builds(_decay, _sections, st.sampled_from([0.2, 0.7])),
    st.builds(lambda t, v: lambda plan: set_return(plan, t, level_db=v, width=0.5), _returns, levels),
    st.builds(lambda v: lambda plan: set_effect(plan, "repeats", "echo", params={"feedback": v}), st.sampled_from([0.1, 0.5])),
    st.builds(lambda v: lambda plan: set_effect(plan, "swirl", "flanger", params={"rate": v}), st.sampled_from([0.4, 1.5])),
    st.builds(lambda v: lambda plan: set_tracks(plan, ["drum"], level_db=v, pan=-0.5), levels),
    st.builds(lambda s, t: lambda plan: remove_send(plan, s, t), _sources, _returns),
)  # fmt: skip


@settings(derandomize=True, max_examples=6, deadline=None)
@given(st.lists(edits, min_size=1, max_size=4), st.data())
def test_segments_agree_with_the_print_through_edits(made: list[Callable[[Plan], Plan]], data: st.DataObject) -> None:
    renderer, store = SegmentRenderer(kept_bytes=64 << 20), {}
    plan = START
    for edit in [lambda plan: plan, *made]:
        try:
            plan = edit(plan)
        except (CoreError, KeyError):  # the send is not there: no edit
            continue
        block = Engine(plan, STEMS).advance(SEGMENTS * segment_frames(plan))
        for lane in data.draw(st.lists(st.sampled_from(lanes_of(plan)), min_size=2, max_size=3, unique=True)):
            segments = LaneSegments(plan, lane, HASHES)
            printed = block.dry if lane == DRY else block.returns[lane]
            for index in data.draw(st.lists(st.integers(0, SEGMENTS - 1), min_size=1, max_size=2, unique=True)):
                key = segments.key(index)
                if key not in store:
                    store[key] = renderer.render(segments, STEMS, index).sound
                expected = printed[:, index * segments.frames : (index + 1) * segments.frames]
                assert np.abs(store[key] - expected).max() < BELOW_100_DB, (lane, index)
