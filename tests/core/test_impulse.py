"""The impulse effect: convolution against direct sums, and what it makes of a response."""

import numpy as np
import pytest
import soundfile as sf
from scipy import signal

from highhall.effects import CELL_FRAMES
from highhall.effects.impulse import read_response
from highhall.interchange.audio_files import AudioFileError
from tests.core.signals import RATE, db, impulse, in_blocks, make_effect, pink_noise, power


def decaying(seconds: float, decay_s: float, sides: int = 2, seed: int = 0, rate: int = RATE) -> np.ndarray:
    """A direct sound of 1 and noise that decays, (sides, frames)."""
    time = np.arange(int(seconds * rate)) / rate
    response = 0.1 * np.random.default_rng(seed).standard_normal((sides, len(time))) * 10 ** (-3 * time / decay_s)
    response[:, 0] = 1.0
    return response.astype(np.float32)


def kept(response: np.ndarray, **params: object) -> np.ndarray:
    """The response of an effect to an impulse on the left, to the end of its response."""
    processor = make_effect("impulse", response=response, **params)
    return processor.process(impulse(response.shape[1] / RATE * 1.1 + 0.1, side=0), 0)


@pytest.mark.parametrize("frames", [100, 512, 513, 4096, 9000, 150_000])
def test_it_equals_the_direct_sum(frames: int) -> None:
    rng = np.random.default_rng(1)
    response = (rng.standard_normal((2, frames)) * np.exp(-np.arange(frames) / (frames / 3))).astype(np.float32)
    response[:, 0] = 20.0
    noise = rng.standard_normal((2, 120_000)).astype(np.float32)
    heard = make_effect("impulse", response=response, direct="keep").process(noise, 0)
    scale = make_effect("impulse", response=response, direct="keep").process(impulse(0.1), 0)[0, 0] / 20.0
    for side in (0, 1):
        expected = scale * signal.fftconvolve(noise[side].astype(np.float64), response[side])[: noise.shape[1]]
        assert db(np.mean((heard[side] - expected) ** 2) / np.mean(expected**2)) < -110


def test_true_stereo_crosses() -> None:
    response = np.zeros((4, 2000), np.float32)
    for path, place in enumerate((0, 100, 200, 300)):
        response[path, place] = 1.0
    heard = make_effect("impulse", response=response, direct="keep").process(impulse(0.2, side=1), 0)
    assert [int(np.argmax(side)) for side in heard] == [200, 300]  # right to left, right to right


@pytest.mark.parametrize("frames", [700, 40_000])
def test_blocks_of_whole_cells_change_no_bit_and_others_none_that_is_heard(frames: int) -> None:
    response = decaying(frames / RATE, 1.0)
    noise = np.random.default_rng(2).standard_normal((2, 70_000)).astype(np.float32)
    whole = make_effect("impulse", response=response).process(noise, 0)
    cells = [cells * CELL_FRAMES for cells in (1, 3, 2)]
    np.testing.assert_array_equal(in_blocks(make_effect("impulse", response=response).process, noise, cells), whole)
    parts = in_blocks(make_effect("impulse", response=response).process, noise, [1, 511, 512, 8192, 37, 20_000])
    np.testing.assert_allclose(parts, whole, atol=1e-6 * np.abs(whole).max())


def test_what_comes_out_of_a_part_of_a_cell_is_what_the_next_effect_takes() -> None:
    heard = make_effect("impulse", response=decaying(0.1, 0.5)).process(impulse(0.3), 0)
    assert heard.shape[1] % CELL_FRAMES
    assert heard.flags.c_contiguous


def test_it_starts_where_the_response_does_and_the_direct_sound_is_taken_out() -> None:
    response = np.pad(decaying(1.0, 0.6), ((0, 0), (700, 0)))
    response[:, 300] = 0.005  # a crackle below -40 dB
    heard = kept(response, direct="keep", pre_delay="20ms")
    assert not np.abs(heard[0, :960]).max() > 1e-6
    assert np.argmax(np.abs(heard[0])) == 960
    wet = kept(response, pre_delay="20ms")[0, 960:]
    assert np.abs(wet[:119]).max() < 1e-6  # 2.5 ms
    assert np.abs(wet[168:500]).max() > 0.01


@pytest.mark.parametrize("scale", [0.5, 2.0])
def test_decay_scale_multiplies_the_decay(scale: float) -> None:
    from highhall.measure import reverberation_time

    heard = kept(decaying(6.0, 1.2), decay_scale=scale)[0].astype(np.float64)
    assert reverberation_time(heard**2, RATE) == pytest.approx(1.2 * scale, rel=0.02)


def test_trim_keeps_a_length_and_reverse_turns_it_round() -> None:
    response = decaying(2.0, 1.0)
    short = kept(response, trim_s=0.5)[0]
    assert np.abs(short[int(0.499 * RATE)]) < np.abs(short[: int(0.48 * RATE)]).max()
    assert np.abs(short[int(0.5 * RATE) :]).max() < 1e-6
    turned = kept(response, trim_s=0.5, reverse=True)[0, : RATE // 2]
    assert turned == pytest.approx(short[: RATE // 2][::-1], abs=1e-5)


@pytest.mark.parametrize("sides", [1, 2, 4])
@pytest.mark.parametrize("params", [{}, {"direct": "keep"}, {"decay_scale": 0.3}, {"reverse": True, "trim_s": 0.7}])
def test_pink_noise_comes_back_with_the_power_it_has(sides: int, params: dict[str, object]) -> None:
    noise = pink_noise(8 * RATE, np.random.default_rng(3))
    response = decaying(3.0, 1.5, sides)
    if sides == 4:
        response[1:3, 0] = 0.0
    heard = make_effect("impulse", response=response, **params).process(noise, 0)
    assert db(power(heard[:, 3 * RATE :]) / power(noise[:, 3 * RATE :])) == pytest.approx(0, abs=1.0)


def test_responses_of_any_rate_are_read(tmp_path) -> None:
    sf.write(tmp_path / "a.wav", decaying(1.0, 0.5, rate=96000).T, 96000, subtype="FLOAT")
    response = read_response(tmp_path / "a.wav", RATE)
    assert response.shape == (2, RATE)
    sf.write(tmp_path / "long.wav", np.ones((21 * 8000, 1)) * 0.1, 8000)
    assert read_response(tmp_path / "long.wav", 8000).shape == (1, 160_000)


@pytest.mark.parametrize(
    ("samples", "text"),
    [(np.zeros((100, 3)), "3 channels"), (np.zeros((100, 1)), "is silent"), (np.full((9, 1), np.nan), "not numbers")],
)
def test_what_is_no_response_is_refused_with_one_sentence(tmp_path, samples: np.ndarray, text: str) -> None:
    sf.write(tmp_path / "a.wav", samples, RATE, subtype="FLOAT")
    with pytest.raises(AudioFileError, match=text):
        read_response(tmp_path / "a.wav", RATE)
    with pytest.raises(AudioFileError, match="is missing"):
        read_response(tmp_path / "b.wav", RATE)
