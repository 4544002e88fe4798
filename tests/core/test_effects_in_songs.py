"""Effects inside a song's flow: keys of ducks, moves in segments and their keys, impulse responses."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from highhall.plan import Plan, plan_from_document
from highhall.plan.edits import set_tracks
from highhall.render import Engine, Stems
from highhall.render.segment_renderer import SegmentRenderer
from highhall.render.segments import LaneSegments, segment_frames
from tests.core.plans import make_document
from tests.core.signals import RATE

SECONDS = 20
HASHES = {"ir.wav": "one", "voice.wav": "v", "harp.wav": "h", "drum.wav": "d"}
WANDERING: list[dict[str, Any]] = [
    {"id": "echo", "kind": "echo", "params": {"left": "1/8.", "right": "1/4", "feedback": 0.4, "wow_depth_ms": 1.0}},
    {"id": "chorus", "kind": "chorus", "params": {"rate": "1/2"}},
    {
        "id": "hall",
        "kind": "reverb",
        "params": {"space": "hall", "decay_s": 1.0, "shift_semitones": 12, "shift_feed": 0.3},
    },
    {"id": "pan", "kind": "autopan", "params": {}},
    {"id": "double", "kind": "doubler", "params": {}},
]
MOVES = [
    {"target": {"return": "far", "step": "echo", "param": "left"}, "sections": [{"section": "b", "value": "1/8"}]},
    {
        "target": {"return": "far", "step": "hall", "param": "decay_s"},
        "sections": [{"section": "b", "value": 2.0, "ramp": "1/2"}],
    },
    {"target": {"return": "far", "step": "chorus", "param": "rate"}, "sections": [{"section": "a", "value": 2.0}]},
    {"target": {"return": "far", "step": "double", "param": "on"}, "sections": [{"section": "a", "value": False}]},
]


def song(chain: list[dict[str, Any]], moves: list[dict[str, Any]] = []) -> Plan:  # noqa: B006
    document = make_document()
    document["tracks"] = [{"id": name, "stem": f"{name}.wav"} for name in ("voice", "drum")]
    document["groups"] = [{"id": "band", "name": "Band"}]
    document["tracks"][1]["group"] = "band"
    document["returns"] = [{"id": "far", "chain": chain}]
    document["sends"] = [{"from": "voice", "to": "far"}]
    document["moves"] = moves
    return plan_from_document(document)


def stems(seed: int = 0) -> Stems:
    rng = np.random.default_rng(seed)
    voice = 0.1 * rng.standard_normal((1, SECONDS * RATE))
    drum = np.zeros((1, SECONDS * RATE))
    drum[0, 2 * RATE : 3 * RATE] = 0.5
    return Stems({"voice.wav": voice.astype(np.float32), "drum.wav": drum.astype(np.float32)})


@pytest.mark.parametrize("key", ["drum", "band"])
def test_a_duck_hears_its_track_or_group_after_the_fader(key: str) -> None:
    duck = {"kind": "duck", "params": {"key": key, "depth_db": 20, "hold_ms": 0, "release_ms": 100}}
    plan = song([{"kind": "offset", "params": {"right_ms": 0}}, duck])
    ducked = Engine(plan, stems(), lanes={"far"}).advance(4 * RATE).returns["far"]
    free = Engine(song(plan_effects(plan)[:1]), stems(), lanes={"far"}).advance(4 * RATE).returns["far"]

    def level(start_s: float) -> float:
        span = slice(int(start_s * RATE), int((start_s + 0.5) * RATE))
        return float(20 * np.log10(np.std(ducked[:, span]) / np.std(free[:, span])))

    assert (level(1.0), level(2.3), level(3.4)) == pytest.approx((0, -20, 0), abs=0.1)
    quiet = set_tracks(plan, ["drum"], level_db=-40.0)
    unheard = Engine(quiet, stems(), lanes={"far"}).advance(4 * RATE).returns["far"]
    np.testing.assert_allclose(unheard, free, atol=1e-6)


def plan_effects(plan: Plan) -> list[dict[str, Any]]:
    from highhall.plan import document_of

    return list(document_of(plan)["returns"][0]["chain"])


def test_segments_agree_with_the_whole_below_100_db_while_everything_wanders_and_moves() -> None:
    plan = song(WANDERING, MOVES)
    frames = segment_frames(plan)
    whole = Engine(plan, stems(), lanes={"far"}).advance(8 * frames).returns["far"]
    segments = LaneSegments(plan, "far", HASHES)
    for index in (1, 2, 5, 7):
        segment = SegmentRenderer(kept_bytes=0).render(segments, stems(), index).sound
        error = segment - whole[:, index * frames : (index + 1) * frames]
        assert np.abs(error).max() < 1e-5 * np.abs(whole).max(), index


def test_a_moved_value_edited_in_one_section_leaves_the_keys_before_it() -> None:
    """Section b lasts from 4 s to 8 s, and segments 2 s."""

    def keys(note: str) -> list[str]:
        move = {**MOVES[0], "sections": [{"section": "b", "value": note}]}
        segments = LaneSegments(song(WANDERING, [move]), "far", HASHES)
        return [segments.key(index) for index in range(4)]

    first, second = keys("1/8"), keys("1/16")
    assert first[:2] == second[:2]
    assert first[2] != second[2]


def test_what_a_duck_and_an_impulse_hear_changes_the_keys() -> None:
    duck = {"kind": "duck", "params": {"key": "drum"}}
    plan = song([{"kind": "offset"}, duck])
    louder = set_tracks(plan, ["drum"], level_db=-3.0)
    assert LaneSegments(plan, "far", HASHES).key(0) != LaneSegments(louder, "far", HASHES).key(0)
    captured = song([{"kind": "impulse", "params": {"ir": "ir.wav"}}])
    response = {"ir.wav": np.ones((1, 500), np.float32)}
    first, second = (LaneSegments(captured, "far", {**HASHES, "ir.wav": h}, response).key(0) for h in ("one", "two"))
    assert first != second


def test_an_impulse_sounds_in_the_engine_and_its_segments() -> None:
    plan = song([{"kind": "impulse", "params": {"ir": "ir.wav", "direct": "keep"}}])
    time = np.arange(RATE) / RATE
    response = (np.random.default_rng(1).standard_normal((2, RATE)) * 10 ** (-3 * time)).astype(np.float32)
    source = stems()
    heard = Stems({name: source.by_path(name) for name in ("voice.wav", "drum.wav")}, {"ir.wav": response})
    frames = segment_frames(plan)
    whole = Engine(plan, heard, lanes={"far"}).advance(3 * frames).returns["far"]
    segment = SegmentRenderer(kept_bytes=0).render(LaneSegments(plan, "far", HASHES, heard.responses), heard, 2).sound
    assert np.abs(whole).max() > 0.01
    assert np.abs(segment - whole[:, 2 * frames :]).max() < 1e-5 * np.abs(whole).max()


def test_a_step_that_is_off_from_the_start_may_be_moved_on() -> None:
    off = [{"id": "echo", "kind": "echo", "on": False, "params": {"left": "1/8", "right": "1/8"}}]
    on = [{"target": {"return": "far", "step": "echo", "param": "on"}, "sections": [{"section": "b", "value": True}]}]
    heard = Engine(song(off, on), stems(), lanes={"far"}).advance(10 * RATE).returns["far"]
    assert not heard[:, : 4 * RATE].any()
    assert np.std(heard[:, 5 * RATE : 7 * RATE]) > 0.01
    assert not heard[:, 9 * RATE :].any()
    assert not Engine(replace(song(off), moves=()), stems()).advance(RATE).returns["far"].any()
