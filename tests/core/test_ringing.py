"""How long effects in a row ring, against falls worked out by convolution, and against the engine."""

import numpy as np
import pytest

from highhall.effects import Ringing
from highhall.plan import plan_from_document
from highhall.render import Engine
from highhall.render.segment_renderer import SegmentRenderer
from highhall.render.segments import LaneSegments, leads_s
from tests.core.plans import make_document, make_stems

STEP_S = 0.002


def heard_after(falls_s: list[float], seconds: float) -> float:
    """Return how much of the power comes later, behind falls of 110 dB each in a row, in dB."""
    time = np.arange(0, 3 * sum(falls_s), STEP_S)
    size = 2 * len(time)
    spectrum = np.ones(size // 2 + 1, complex)
    for fall_s in falls_s:
        spectrum *= np.fft.rfft(10 ** (-11 * time / fall_s), size)
    power = np.fft.irfft(spectrum, size)[: len(time)]
    return float(10 * np.log10(power[round(seconds / STEP_S) :].sum() / power.sum()))


@pytest.mark.parametrize("falls_s", [[3.0], [3.0, 3.0], [4.0, 3.0], [2.0, 2.0, 2.0], [8.0, 0.1, 0.05], [6.0, 5.0, 0.2]])
def test_what_comes_after_the_memory_is_110_db_down_and_it_is_no_longer_than_it_need_be(falls_s: list[float]) -> None:
    memory_s = Ringing(falls_s=tuple(falls_s)).memory_s
    assert heard_after(falls_s, memory_s) < -109
    assert max(falls_s) - 1e-9 <= memory_s <= min(sum(falls_s), 1.3 * max(falls_s) + 0.2) + 1e-9


def test_waits_add_up_and_falls_hardly_do() -> None:
    hall, echo = Ringing(0.1, (7.0,)), Ringing(0.5, (7.0,))
    assert hall.memory_s == pytest.approx(7.1)
    assert echo.before(hall) == Ringing(0.6, (7.0, 7.0))
    assert echo.before(hall).memory_s == pytest.approx(
        0.6 + 1.1344 * 7, abs=0.01
    )  # (1 + x) exp(-x) = 10^-11 at x = 28.73
    assert Ringing().memory_s == 0


def test_what_feeds_two_rings_as_long_as_the_longer_of_both_whatever_comes_before() -> None:
    late, slow, before = Ringing(5.0, (0.1,)), Ringing(0.0, (5.5, 2.0)), Ringing(0.0, (5.0,))
    both = late.beside(slow)
    assert both == Ringing(5.0, (5.5, 2.0))
    assert before.before(both).memory_s >= max(before.before(each).memory_s for each in (late, slow))


def test_a_hall_that_an_equally_long_echo_feeds_begins_early_enough() -> None:
    document = make_document(bars=8)
    document["returns"] = [
        {"id": "repeats", "chain": [{"kind": "echo", "params": {"left": "100ms", "right": "130ms", "feedback": 0.52}}]},
        {"id": "hall", "chain": [{"kind": "reverb", "params": {"space": "hall", "decay_s": 1.1}}]},
    ]
    document["sends"] = [
        {"from": "voice", "to": "repeats", "level_db": 0.0},
        {"from": "repeats", "to": "hall", "level_db": 6.0},
    ]
    document["moves"] = []
    plan = plan_from_document(document)
    stems, hashes = make_stems(plan), {track.stem: track.stem for track in plan.tracks}
    leads = leads_s(plan, "hall", {})
    assert leads["repeats"] < 1.2 * leads["hall"]  # the sum of both is almost twice as long
    segments = LaneSegments(plan, "hall", hashes)
    index = 3
    whole = Engine(plan, stems).advance((index + 1) * segments.frames).returns["hall"][:, index * segments.frames :]
    alone = SegmentRenderer(kept_bytes=0).render(segments, stems, index).sound
    assert index * segments.frames > leads["repeats"] * plan.song.sample_rate
    assert np.abs(alone - whole).max() < 10 ** (-100 / 20) * np.abs(whole).max()
