"""Laws of rendered sound: finite, bounded, linear, and the same in any blocks."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.plan import plan_from_document
from highhall.render import DRY, Engine, Stems
from highhall.render.segment_renderer import SegmentRenderer
from highhall.render.segments import LaneSegments, segment_frames
from tests.core.laws.strategies import filters, levels, reverbs
from tests.core.plans import make_document, make_stems

pytestmark = pytest.mark.slow

FRAMES = 30_000


@st.composite
def rendered_documents(draw: st.DrawFn) -> dict[str, Any]:
    """Documents in which everything has sound."""
    document = make_document(bars=4)
    for return_ in document["returns"]:
        tone = {"kind": "tone", "params": {"bands": draw(st.lists(filters, max_size=3))}}
        return_["chain"] = [tone, draw(reverbs())]
        return_["width"] = draw(st.floats(0, 2))
        return_["pan"] = draw(st.floats(-1, 1))
    for send in document["sends"]:
        send["level_db"] = draw(levels)
        send["tap"] = draw(st.sampled_from(["pre", "post"]))
    document["moves"][0]["sections"] = [{"section": "a", "value": draw(levels), "ramp": "1/16"}]
    return document


def outputs(document: dict[str, Any], stems: Stems, block: int) -> dict[str, np.ndarray]:
    engine = Engine(plan_from_document(document), stems)
    parts: dict[str, list[np.ndarray]] = {}
    while engine.position < FRAMES:
        made = engine.advance(min(block, FRAMES - engine.position))
        for name, part in {DRY: made.dry, **made.returns, **made.groups}.items():
            parts.setdefault(name, []).append(part)
    return {name: np.concatenate(blocks, axis=1) for name, blocks in parts.items()}


@settings(derandomize=True, max_examples=25, deadline=None)
@given(document=rendered_documents(), block=st.sampled_from([1, 37, 512, 4096, 8192]))
def test_any_blocks_give_the_same_bits_and_nothing_but_numbers(document: dict, block: int) -> None:
    if block == 1:
        block = 211  # one sample at a time is covered where a single effect is tested
    stems = make_stems(plan_from_document(document))
    whole, parts = outputs(document, stems, FRAMES), outputs(document, stems, block)
    for name, signal in whole.items():
        assert np.isfinite(signal).all(), name
        np.testing.assert_array_equal(signal, parts[name], err_msg=name)


@settings(derandomize=True, max_examples=12, deadline=None)
@given(document=rendered_documents())
def test_twice_the_stems_is_twice_the_sound(document: dict) -> None:
    plan = plan_from_document(document)
    stems = make_stems(plan)
    doubled = Stems({track.stem: 2 * stems.samples(track) for track in plan.tracks})
    for name, signal in outputs(document, stems, 8192).items():
        # A factor of two changes no rounding, as long as nothing is flushed to zero.
        twice = outputs(document, doubled, 8192)[name]
        np.testing.assert_allclose(twice, 2 * signal, atol=1e-9, rtol=1e-6, err_msg=name)


@settings(derandomize=True, max_examples=8, deadline=None)
@given(document=rendered_documents())
def test_the_sound_of_a_sum_is_the_sum_of_the_sounds(document: dict) -> None:
    plan = plan_from_document(document)
    both = make_stems(plan)
    silent = {track.stem: np.zeros_like(both.samples(track)) for track in plan.tracks}
    voice = plan.tracks[0]
    one = Stems({**silent, voice.stem: both.samples(voice)})
    others = Stems({**{t.stem: both.samples(t) for t in plan.tracks}, voice.stem: silent[voice.stem]})
    first, second, together = (outputs(document, stems, 8192) for stems in (one, others, both))
    for name, signal in together.items():
        error = np.abs(signal - first[name] - second[name]).max()
        assert error <= 1e-5 * max(np.abs(signal).max(), 1e-3), name


@settings(derandomize=True, max_examples=8, deadline=None)
@given(document=rendered_documents(), index=st.integers(0, 2), lane=st.sampled_from([DRY, "plate", "hall"]))
def test_a_segment_agrees_with_the_whole_below_100_db(document: dict, index: int, lane: str) -> None:
    plan = plan_from_document(document)
    stems = make_stems(plan)
    frames = segment_frames(plan)
    engine = Engine(plan, stems)
    whole = engine.advance((index + 1) * frames)
    signal = whole.dry if lane == DRY else whole.returns[lane]
    segments = LaneSegments(plan, lane, {track.stem: track.stem for track in plan.tracks})
    segment = SegmentRenderer(kept_bytes=0).render(segments, stems, index).sound
    assert np.abs(segment - signal[:, index * frames :]).max() <= 1e-5 * max(np.abs(signal).max(), 1e-3)


@settings(derandomize=True, max_examples=10, deadline=None)
@given(document=rendered_documents())
def test_silence_stays_silence(document: dict) -> None:
    plan = plan_from_document(document)
    silent = Stems({track.stem: np.zeros((1, FRAMES), np.float32) for track in plan.tracks})
    for name, signal in outputs(document, silent, 8192).items():
        assert not signal.any(), name


def test_a_renamed_return_sounds_the_same() -> None:
    plan = plan_from_document(make_document())
    stems = make_stems(plan)
    renamed = replace(plan, returns=tuple(replace(r, name=f"{r.name} again") for r in plan.returns))
    first, second = (Engine(p, stems).advance(9000).main for p in (plan, renamed))
    np.testing.assert_array_equal(first, second)
