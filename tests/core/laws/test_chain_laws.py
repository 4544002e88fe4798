"""What holds for every chain: nothing runs away, dry sound stays out, blocks change no bit, moves do not click."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.effects import CELL_FRAMES
from highhall.plan.kinds import KINDS, Kind, Parameter
from highhall.wording import Form
from tests.core.laws.strategies import values
from tests.core.signals import RATE, click_db, db, in_blocks, moved_chain, pink_noise, power

pytestmark = pytest.mark.slow

WET = [kind for kind in KINDS.values() if kind.makes_wet and kind.name != "impulse"]
OTHERS = [kind for kind in KINDS.values() if not kind.makes_wet and kind.name != "duck"]
TIMES = ["1/32", "1/16T", "1/8.", "7.3ms", "60ms", "333.3ms"]
NOTES = ["1/1", "1/4.", "1/8T"]


def value_of(parameter: Parameter) -> st.SearchStrategy[Any]:
    """What the table allows, numbers at their ends most of all, times short enough for the sound that is rendered."""
    match parameter.form:
        case Form.TIME:
            return st.sampled_from(TIMES)
        case Form.RATE:
            return st.one_of(st.floats(parameter.low, parameter.high), st.sampled_from(NOTES))
        case Form.LIST:
            return st.lists(filters(), min_size=1, max_size=4)
        case Form.NUMBER:
            return st.one_of(values(parameter), st.sampled_from([parameter.low, parameter.high]))
    return values(parameter)


@st.composite
def filters(draw: st.DrawFn) -> dict[str, Any]:
    filter_: dict[str, Any] = {"shape": draw(st.sampled_from(["low_cut", "high_cut", "bell", "high_shelf", "notch"]))}
    filter_["hz"] = draw(st.floats(20, 16000))
    if filter_["shape"] in ("bell", "high_shelf"):
        filter_["gain_db"] = draw(st.floats(-24, 3))  # what lifts by more adds up over the limit that is tested here
    return filter_


@st.composite
def effects(draw: st.DrawFn, kind: Kind, effect_id: str, *, is_first: bool) -> dict[str, Any]:
    params = {
        parameter.name: draw(value_of(parameter))
        for parameter in kind.parameters
        if parameter.is_required or (draw(st.booleans()) and parameter.name not in ("makeup_db", "left_db", "right_db"))
    }
    if is_first:
        params.pop("mix", None)
    if kind.name == "reverb":
        params["decay_s"] = min(params["decay_s"], 6.0)
    return {"id": effect_id, "kind": kind.name, "params": params}


@st.composite
def moves_of(draw: st.DrawFn, effect: dict[str, Any]) -> list[dict[str, Any]]:
    movable = [p for p in KINDS[effect["kind"]].parameters if p.is_movable and p.name in effect["params"]]
    found = []
    for parameter in movable:
        if draw(st.integers(0, 2)) == 0 and parameter.name not in ("left_db", "right_db"):
            value = draw(value_of(parameter))
            if parameter.name == "decay_s":
                value = min(value, 6.0)
            section: dict[str, Any] = {"section": "a", "value": value}
            if draw(st.booleans()):
                section |= {"ramp": "1/2", "ramp_side": "after"}
            found.append({"target": {"step": effect["id"], "param": parameter.name}, "sections": [section]})
    return found


@st.composite
def chains(draw: st.DrawFn) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    first = draw(effects(draw(st.sampled_from(WET)), "one", is_first=True))
    second = draw(effects(draw(st.sampled_from(WET + OTHERS)), "two", is_first=False))
    return [first, second], draw(moves_of(first)) + draw(moves_of(second))


@settings(derandomize=True, max_examples=120, deadline=None)
@given(chain=chains(), seed=st.integers(0, 99))
def test_no_chain_gives_nan_or_more_than_24_db_over_what_it_gets_or_writes_there(
    chain: tuple[list[Any], list[Any]], seed: int
) -> None:
    noise = (0.1 * np.random.default_rng(seed).standard_normal((2, 6 * RATE))).astype(np.float32)
    noise[:, 3 * RATE :] = 0
    given_to_it = noise.copy()
    heard = moved_chain(*chain).process(given_to_it, 0)
    np.testing.assert_array_equal(given_to_it, noise)
    assert np.isfinite(heard).all()
    assert db(power(heard[:, : 3 * RATE]) / power(noise[:, : 3 * RATE]) + 1e-20) < 24
    assert db(power(heard[:, 5 * RATE :]) / power(noise[:, : 3 * RATE]) + 1e-20) < 24


@settings(derandomize=True, max_examples=25, deadline=None)
@given(chain=chains(), cells=st.lists(st.integers(1, 3), min_size=2, max_size=4))
def test_blocks_of_any_cells_change_no_bit(chain: tuple[list[Any], list[Any]], cells: list[int]) -> None:
    noise = (0.1 * np.random.default_rng(1).standard_normal((2, 4 * CELL_FRAMES))).astype(np.float32)
    start = 4 * RATE // CELL_FRAMES * CELL_FRAMES  # the section ends within
    whole = moved_chain(*chain).process(noise, start)
    parts = in_blocks(moved_chain(*chain).process, noise, [CELL_FRAMES * count for count in cells], start)
    np.testing.assert_array_equal(parts, whole)


@pytest.mark.parametrize("kind", ["echo", "offset", "chorus", "reverb"])
def test_nothing_dry_leaves_while_its_only_wet_step_comes_and_goes(kind: str) -> None:
    params = {"echo": {"left": "1/1", "right": "1/1"}, "reverb": {"space": "hall", "decay_s": 1, "pre_delay": "400ms"}}
    wet = {"id": "w", "kind": kind, "params": params.get(kind, {})}
    tone = {"id": "t", "kind": "tone", "params": {"bands": [{"shape": "low_cut", "hz": 100}]}}
    on = {"target": {"step": "w", "param": "on"}, "sections": [{"section": "b", "value": False}]}
    chain = moved_chain([wet, tone], [on])
    signal = np.zeros((2, 10 * RATE), np.float32)
    signal[:, 4 * RATE - 4000 : 4 * RATE + 6000] = 0.5  # over the fade
    heard = chain.process(signal, 0)
    always = moved_chain([wet, tone], []).process(signal, 0)
    fade = slice(4 * RATE, 4 * RATE + 2400)
    share = 0.5 + 0.5 * np.cos(np.pi * np.arange(2400) / 2400)
    if kind in ("offset", "chorus"):
        assert np.abs(heard[:, fade] - always[:, fade] * share).max() < 0.06  # the filter hears the fade, not after it
    else:
        assert not np.abs(heard[:, fade]).max() > 1e-6
    assert np.abs(heard[:, 4 * RATE + 2400 + 4800 : 8 * RATE]).max() < 1e-3


MOVES = [
    ("reverb", {"space": "plate", "decay_s": 0.6}, "decay_s", 4.0), ("reverb", {"space": "hall", "decay_s": 4}, "decay_s", 0.3),
    ("reverb", {"space": "hall", "decay_s": 2}, "early_db", 6), ("reverb", {"space": "room", "decay_s": 1}, "high_ratio", 0.1),
    ("reverb", {"space": "hall", "decay_s": 2}, "low_hz", 900), ("reverb", {"space": "hall", "decay_s": 2}, "mod_depth", 1.0),
    ("reverb", {"space": "hall", "decay_s": 2}, "mod_hz", 4.0), ("reverb", {"space": "hall", "decay_s": 2}, "pre_delay", "80ms"),
    ("reverb", {"space": "hall", "decay_s": 2, "shift_semitones": 12}, "shift_feed", 0.8),
    ("echo", {"left": "1/8", "right": "1/4"}, "left", "1/4"), ("echo", {"left": "1/8", "right": "1/4", "feedback": 0.6}, "feedback", 0.0),
    ("echo", {"left": "1/8", "right": "1/4", "low_cut_hz": 100}, "low_cut_hz", 1500), ("echo", {"left": "1/8", "right": "1/4"}, "left_db", -60),
    ("echo", {"left": "1/8", "right": "1/4", "wow_hz": 1}, "wow_depth_ms", 3), ("echo", {"left": "1/8", "right": "1/4"}, "offset_ms", 20),
    ("offset", {}, "right_ms", 40), ("doubler", {}, "left_ms", 40), ("doubler", {}, "left_cents", 40),
    ("chorus", {}, "rate", 5.0), ("chorus", {}, "depth", 1.0), ("flanger", {}, "feedback", -0.9), ("flanger", {}, "depth", 0.0),
    ("drive", {}, "amount", 1.0), ("drive", {}, "tone_hz", 800), ("offset", {}, "on", False),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "params", "moved", "value"), MOVES)
def test_no_move_clicks(kind: str, params: dict[str, Any], moved: str, value: object) -> None:
    """Largest 4th difference at the jump less than 10 dB over the RMS around it, on a low tone that hides nothing."""
    effect = {"id": "s", "kind": kind, "params": params}
    move = {"target": {"step": "s", "param": moved}, "sections": [{"section": "b", "value": value}]}
    wave = 0.3 * np.sin(2 * np.pi * 220 * np.arange(9 * RATE) / RATE)
    heard = moved_chain([effect], [move]).process(np.stack([wave, wave]).astype(np.float32), 0)
    assert power(heard[:, 4 * RATE - 2400 : 4 * RATE + 2400]) > 1e-6
    for jump in (4 * RATE, 8 * RATE):
        assert click_db(heard, jump) < 10


@pytest.mark.parametrize("filter_", [{"shape": "bell", "hz": 300, "gain_db": 0}, {"shape": "low_cut", "hz": 60}])
def test_moved_bands_do_not_click_and_arrive(filter_: dict[str, Any]) -> None:
    param, value = ("gain_db", 18.0) if filter_["shape"] == "bell" else ("hz", 1500.0)
    effects_ = [
        {"id": "o", "kind": "offset", "params": {}},
        {"id": "t", "kind": "tone", "params": {"bands": [filter_]}},
    ]
    move = {"target": {"step": "t", "param": f"bands/0/{param}"}, "sections": [{"section": "b", "value": value}]}
    wave = 0.3 * np.sin(2 * np.pi * 300 * np.arange(9 * RATE) / RATE)
    signal = np.stack([wave, wave]).astype(np.float32)
    heard = moved_chain(effects_, [move]).process(signal, 0)
    still_filters = [{**filter_, param: value}]
    still = moved_chain([effects_[0], {"id": "t", "kind": "tone", "params": {"bands": still_filters}}], []).process(
        signal, 0
    )
    np.testing.assert_allclose(heard[:, 5 * RATE : 6 * RATE], still[:, 5 * RATE : 6 * RATE], atol=2e-4)
    assert click_db(heard, 4 * RATE) < 10


def test_a_moved_decay_changes_the_slope_and_keeps_the_power() -> None:
    effect = {
        "id": "s",
        "kind": "reverb",
        "params": {"space": "plate", "decay_s": 1.0, "low_ratio": 1, "high_ratio": 1},
    }
    move = {"target": {"step": "s", "param": "decay_s"}, "sections": [{"section": "b", "value": 3.0}]}
    noise = pink_noise(14 * RATE, np.random.default_rng(3))
    chain = moved_chain([effect], [move])
    steady = chain.process(noise, 0)
    assert db(power(steady[:, 6 * RATE : 8 * RATE]) / power(noise[:, 6 * RATE : 8 * RATE])) == pytest.approx(0, abs=1)
    for stop_s, decay_s in ((2.0, 1.0), (5.0, 3.0), (10.0, 1.0)):
        stopped = noise.copy()
        stopped[:, int(stop_s * RATE) :] = 0
        tail = moved_chain([effect], [move]).process(stopped, 0)[:, int((stop_s + 0.2) * RATE) :]
        early, late = power(tail[:, : RATE // 4]), power(tail[:, RATE // 2 : RATE * 3 // 4])
        assert db(late / early) == pytest.approx(-30 / decay_s, rel=0.1)
