"""The rules for moves, read off the rendered sound: a return of two delays of nothing gives its feed times the curve."""

import numpy as np
import pytest

from highhall.plan import plan_from_document
from highhall.render import Engine, Stems
from tests.core.plans import make_document
from tests.core.signals import RATE

SECONDS = 12
SEND = {"send": ["voice", "wire"], "param": "level_db"}


def heard(move: dict, *, level_db: float | None = -12.0, bpm: float = 120.0) -> np.ndarray:
    """Return the gain of a send at every sample, (frames,): sections a are bars 1 and 2, b bars 3 and 4, in 4/4."""
    document = make_document(bars=6, bpm=bpm)
    document.update(groups=[], tracks=[{"id": "voice", "stem": "voice.wav"}])
    document["returns"] = [{"id": "wire", "chain": [{"kind": "offset", "params": {"left_ms": 0, "right_ms": 0}}]}]
    document["sends"] = [{"from": "voice", "to": "wire", "level_db": level_db}]
    document["moves"] = [{"target": SEND, **move}]
    plan = plan_from_document(document)
    stems = Stems({"voice.wav": np.full((1, SECONDS * RATE), 0.5, np.float32)})
    block = Engine(plan, stems).advance(SECONDS * RATE)
    gains: np.ndarray = block.returns["wire"][0] / block.dry[0]
    return gains


def db_at(gains: np.ndarray, seconds: float) -> float:
    return 20 * np.log10(max(float(gains[round(seconds * RATE)]), 1e-9))


MS = 0.001


def test_levels_hold_in_their_sections_to_a_fifth_of_a_decibel_and_2_ms() -> None:
    gains = heard({"sections": [{"section": "a", "value": -6.0}, {"section": "b", "value": -20.0}]})
    for seconds, level in (
        (0.0, -6),
        (2.0, -6),
        (3.99, -6),
        (4.0, -20),
        (6.0, -20),
        (7.99, -20),
        (8.0, -12),
        (11.9, -12),
    ):
        assert db_at(gains, seconds) == pytest.approx(level, abs=0.2), seconds
    middle = np.flatnonzero(gains < np.sqrt(10 ** (-6 / 20) * 10 ** (-20 / 20)))[0] / RATE
    assert 4.0 - 5 * MS < middle <= 4.0  # within the 5 ms before the boundary, on which the jump is complete
    assert gains[round(4.0 * RATE)] == pytest.approx(10 ** (-20 / 20), rel=1e-4)


def test_a_jump_makes_no_step_that_could_click() -> None:
    gains = heard({"sections": [{"section": "b", "value": 0.0}]})
    assert np.abs(np.diff(gains)).max() < 0.02  # a raised cosine over 240 samples, of a step of 0.75


@pytest.mark.parametrize(("side", "start"), [("before", 3.0), ("after", 4.0)])
def test_a_ramp_is_straight_in_decibels(side: str, start: float) -> None:
    gains = heard({"sections": [{"section": "b", "value": -4.0, "ramp": "1/2", "ramp_side": side}]})
    for part in (0.0, 0.25, 0.5, 0.75, 1.0):  # a half note at 120 lasts a second
        assert db_at(gains, start + part) == pytest.approx(-12 + 8 * part, abs=0.2)


@pytest.mark.parametrize("bend", [-0.8, 0.4, 0.9])
def test_a_bent_ramp_has_come_half_its_bend_more_than_half_its_way_half_way_through(bend: float) -> None:
    gains = heard({"sections": [{"section": "b", "value": 12.0, "ramp": "1/2", "ramp_bend": bend}]})
    assert [db_at(gains, at) for at in (2.99, 4.0)] == pytest.approx([-12, 12], abs=0.2)
    assert db_at(gains, 3.5 - 2.5 * MS) == pytest.approx(-12 + 24 * (1 + bend) / 2, abs=0.1)
    root = (1 - bend) / (1 + bend)  # r = root^2, and at a quarter r^(1/4) = sqrt(root)
    assert db_at(gains, 3.25 - 2.5 * MS) == pytest.approx(-12 + 24 * (1 - root**0.5) / (1 - root**2), abs=0.1)
    rising = np.diff(gains[round(3.01 * RATE) : round(3.98 * RATE)])
    assert rising.min() > 0


def test_a_bent_ramp_from_silence_starts_at_minus_60_and_ends_there_too() -> None:
    bent = {"ramp": "1/2", "ramp_bend": 0.5}
    rising = heard({"sections": [{"section": "b", "value": 0.0, **bent}]}, level_db=None)
    assert rising[: round(2.9 * RATE)].max() == 0
    assert db_at(rising, 3.5 - 2.5 * MS) == pytest.approx(-15, abs=0.2)
    falling = heard({"sections": [{"section": "b", "value": None, **bent}]}, level_db=0.0)
    assert db_at(falling, 3.5 - 2.5 * MS) == pytest.approx(-45, abs=0.2)
    assert falling[round(4.0 * RATE)] == 0
    faint = heard({"sections": [{"section": "b", "value": -60.0, **bent}]}, level_db=None)  # straight in amplitude
    assert faint[round(3.5 * RATE) - 120] == pytest.approx(0.0005, rel=0.02)


def test_a_ramp_from_silence_starts_at_minus_60() -> None:
    gains = heard({"sections": [{"section": "b", "value": 0.0, "ramp": "1/2"}]}, level_db=None)
    assert gains[: round(2.9 * RATE)].max() == 0
    for part in (0.25, 0.5, 0.75):
        assert db_at(gains, 3.0 + part) == pytest.approx(-60 + 60 * part, abs=0.2)


def test_a_throw_is_fully_open_at_its_time_and_closes_by_its_ramp() -> None:
    gains = heard({"throws": [{"at": "2|1", "length": "1/4", "value": 3.0, "ramp_in": "10ms", "ramp_out": "1/4"}]})
    assert db_at(gains, 2.0) == pytest.approx(3.0, abs=0.2)
    assert db_at(gains, 2.0 - 10 * MS - 6 * MS) == pytest.approx(-12.0, abs=0.2)
    assert db_at(gains, 2.5 - 6 * MS) == pytest.approx(3.0, abs=0.2)
    assert db_at(gains, 2.75) == pytest.approx(-4.5, abs=0.2)  # half way down a quarter of half a second
    assert db_at(gains, 3.0) == pytest.approx(-12.0, abs=0.2)


def test_points_lie_over_sections_and_throws_over_both() -> None:
    move = {
        "sections": [{"section": "a", "value": -20.0}, {"section": "b", "value": -8.0}],
        "points": [{"at": "2|1", "value": -30.0}, {"at": "4|1", "value": -10.0}],
        "throws": [{"at": "3|1", "length": "1/2", "value": 0.0}],
    }
    gains = heard(move)
    expected = {
        1.9: -20,
        2.0: -30,
        3.0: -25,
        3.99: -20.05,
        4.0: 0,
        4.99: 0,
        5.0: -15,
        5.99: -10.05,
        6.0: -8,
        6.1: -8,
        7.9: -8,
        8.0: -12,
    }
    for seconds, level in expected.items():
        assert db_at(gains, seconds) == pytest.approx(level, abs=0.2), seconds


def test_ramps_and_throws_by_note_follow_the_tempo() -> None:
    throw = {"throws": [{"at": "2|1", "length": "1/2", "value": 0.0}]}
    for bpm, start, end in ((120, 2.0, 3.0), (96, 2.5, 3.75)):
        gains = heard(throw, bpm=bpm)
        is_open = np.flatnonzero(gains > 0.99)
        assert is_open[0] / RATE == pytest.approx(start, abs=2 * MS)
        assert is_open[-1] / RATE == pytest.approx(end - 5 * MS, abs=2 * MS)  # the jump back begins 5 ms before


def test_a_moved_decay_changes_the_slope_of_what_rings() -> None:
    document = make_document(bars=6)
    document.update(groups=[], tracks=[{"id": "voice", "stem": "voice.wav"}])
    document["returns"] = [
        {
            "id": "hall",
            "chain": [
                {"kind": "reverb", "params": {"space": "plate", "decay_s": 0.5, "low_ratio": 1, "high_ratio": 1}}
            ],
        }
    ]
    document["sends"] = [{"from": "voice", "to": "hall"}]
    target = {"return": "hall", "step": "reverb", "param": "decay_s"}
    document["moves"] = [{"target": target, "sections": [{"section": "b", "value": 2.0}]}]
    bursts = np.zeros((1, SECONDS * RATE), np.float32)
    noise = np.random.default_rng(3).standard_normal(RATE // 4).astype(np.float32)
    for seconds in (1, 5):
        bursts[0, seconds * RATE : seconds * RATE + len(noise)] = 0.2 * noise
    wet = Engine(plan_from_document(document), Stems({"voice.wav": bursts})).advance(8 * RATE).returns["hall"]

    def fall_db(seconds: float) -> float:
        """How far the level falls in the half second after a burst's end and a tenth."""
        first = round((seconds + 0.35) * RATE)
        levels = [10 * np.log10(np.mean(wet[:, n : n + RATE // 10] ** 2)) for n in (first, first + RATE // 2)]
        return float(levels[0] - levels[1])

    assert fall_db(1) == pytest.approx(60, abs=8)  # 0.5 s: 60 dB in half a second
    assert fall_db(5) == pytest.approx(15, abs=3)  # 2 s
