"""The spaces against what the plan format promises of them."""

import numpy as np
import pytest
from bench.acoustics import asked_t30, echo_density, ringing_of, spread_of
from scipy import signal

from highhall.curves import EffectCurves
from highhall.effects import CELL_FRAMES
from highhall.effects.reverb import Reverb
from highhall.effects.reverb.dc_blocker import block_dc, dc_blocker
from highhall.effects.reverb.decay import DECAY_PARAMETERS, DecayCurve
from highhall.effects.reverb.design import settings_of, structure_for
from highhall.measure import decay_by_band
from highhall.plan.edits import effect_of_kind
from highhall.timing import Position
from tests.core.signals import RATE, db, impulse, in_blocks, make_song, pink_noise, power

SPACES = ("room", "chamber", "plate", "hall", "cathedral")


def make_reverb(*, bpm: float = 120.0, rate: int = RATE, **params: object) -> Reverb:
    return Reverb(EffectCurves(effect_of_kind("reverb", "space", params), make_song(bpm=bpm, sample_rate=rate)))


def responses(seconds: float, **params: object) -> np.ndarray:
    """Eight impulse responses: both inputs, both sides, two places of the wandering."""
    return np.concatenate(
        [make_reverb(**params).process(impulse(seconds, side=side), start) for start in (0, 77_777) for side in (0, 1)]
    )


@pytest.mark.parametrize("space", SPACES)
def test_a_pre_delay_of_a_sixteenth_at_120_is_125_ms_and_nothing_sounds_before(space: str) -> None:
    heard = make_reverb(space=space, decay_s=1.0, pre_delay="1/16").process(impulse(0.5), 0)
    without = make_reverb(space=space, decay_s=1.0).process(impulse(0.375), 6000)
    assert not heard[:, :6000].any()
    np.testing.assert_allclose(heard[:, 6000:], without, atol=1e-7)  # 6000 samples are 125.00 ms
    assert np.abs(without[:, :960]).max() > 0  # and it speaks within 20 ms after it


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize("decay_s", [0.5, 1.5, 6.0])
def test_with_equal_ratios_every_band_decays_in_decay_s(space: str, decay_s: float) -> None:
    ir = responses(decay_s * 1.1 + 0.4, space=space, decay_s=decay_s, low_ratio=1, high_ratio=1)
    readings = {r.centre_hz: r.t30_s for r in decay_by_band(ir, RATE)}
    for hz in (500.0, 1000.0, 2000.0):
        assert readings[hz] == pytest.approx(decay_s, rel=0.05), hz


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize(
    ("decay_s", "size"),
    [
        (0.4, 0.5),
        (0.4, 1.0),
        (0.4, 2.0),
        (0.6, 1.0),
        (1.0, 0.5),
        (1.0, 1.0),
        (1.0, 2.0),
        (2.5, 0.5),
        (2.5, 1.0),
        (2.5, 2.0),
        (12.0, 1.0),
    ],
)
def test_every_band_of_the_tail_decays_as_asked(space: str, decay_s: float, size: float) -> None:
    """T30 against the curve within 3 %; 9 % at 0.4 s, where a band has few modes and lines few rounds."""
    params = {"space": space, "decay_s": decay_s, "size": size}
    ir = responses(decay_s * 1.3 + 0.4, early_db=-60, **params)
    effect = effect_of_kind("reverb", "s", params)
    decay = DecayCurve.of(effect)
    lengths = structure_for(effect, decay_s, RATE).lengths
    tolerance = 0.09 if decay_s < 0.6 else 0.03
    for reading in decay_by_band(ir, RATE):
        assert reading.t30_s == pytest.approx(asked_t30(decay, lengths, reading.centre_hz), rel=tolerance), reading
        if reading.centre_hz == 1000:
            assert reading.t30_s == pytest.approx(decay_s, rel=tolerance)


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize("decay_s", [0.1, 0.4, 1.5, 5.0, 12.0])
@pytest.mark.parametrize("feed", ["uncorrelated", "centred", "left"])
def test_steady_pink_noise_comes_back_with_the_power_it_has(space: str, decay_s: float, feed: str) -> None:
    noise = pink_noise(int(RATE * (6 + 1.5 * decay_s)), np.random.default_rng(7))
    if feed == "centred":
        noise[1] = noise[0]
    if feed == "left":
        noise[1] = 0
    heard = make_reverb(space=space, decay_s=decay_s).process(noise, 0)
    settled = int(1.2 * decay_s * RATE)
    asked = pytest.approx(0, abs=0.6 if decay_s >= 0.4 else 1.2)
    assert db(power(heard[:, settled:]) / power(noise[:, settled:])) == asked


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize("size", [0.5, 1.0, 2.0])
@pytest.mark.parametrize("early_db", [-30.0, 0.0, 6.0])
@pytest.mark.parametrize("fed", [(1, 1), (1, 0), (0, 1)])
def test_size_and_early_level_keep_the_power(space: str, size: float, early_db: float, fed: tuple[int, int]) -> None:
    noise = pink_noise(RATE * 8, np.random.default_rng(8)) * np.array(fed, np.float32)[:, None]
    heard = make_reverb(space=space, decay_s=1.5, size=size, early_db=early_db).process(noise, 0)
    assert db(power(heard[:, RATE * 2 :]) / power(noise[:, RATE * 2 :])) == pytest.approx(0, abs=0.5)


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize("size", [0.5, 1.0, 2.0])
def test_the_tails_sides_are_uncorrelated_and_safe_in_mono(space: str, size: float) -> None:
    """Mean over responses: at most 0.07 broadband from 0.1 s on; the sum of the sides loses nothing to speak of."""
    pairs = responses(3.0, space=space, decay_s=3.0, size=size).reshape(4, 2, -1)[:, :, RATE // 10 :].astype(np.float64)
    correlations = [np.corrcoef(pair)[0, 1] for pair in pairs]
    assert abs(np.mean(correlations)) < 0.07
    mono = pairs.mean(axis=1)
    assert db(np.mean(mono**2) / np.mean(pairs**2)) == pytest.approx(-3.0, abs=1.0)


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize("side", [0, 1])
def test_the_tail_of_a_short_decay_lies_in_the_middle_whichever_side_is_fed(space: str, side: int) -> None:
    """Mean over two sizes and places: sides uncorrelated within 0.1 and equally loud within 1.5 dB from 0.1 s on; 0.39 before lines had directions."""
    pairs = [
        make_reverb(space=space, decay_s=0.7, size=size, early_db=-60).process(impulse(0.9, side=side), start)[:, RATE // 10 :]
        for size in (0.5, 2.0)
        for start in (0, 77_777)
    ]  # fmt: skip
    assert abs(np.mean([np.corrcoef(pair)[0, 1] for pair in pairs])) < 0.1
    assert abs(np.mean([db(np.mean(pair[0] ** 2) / np.mean(pair[1] ** 2)) for pair in pairs])) < 1.5


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize("size", [0.5, 1.0, 2.0])
@pytest.mark.parametrize("decay_s", [1.5, 4.0])
def test_the_late_spectrum_is_as_even_as_a_rooms(space: str, size: float, decay_s: float) -> None:
    """Spread about the third-octave envelope, 200 Hz to 8 kHz; a diffuse field has 5.57 dB [Schroeder 1954]."""
    heard = responses(0.2 * decay_s + 0.7, space=space, decay_s=decay_s, size=size)
    assert spread_of(heard[:, int(0.2 * decay_s * RATE) :]) < 6.0


def test_one_sided_mono_gives_both_sides_the_same() -> None:
    heard = make_reverb(space="plate", decay_s=1.0, stereo=False).process(impulse(1.0, side=0), 0)
    np.testing.assert_array_equal(heard[0], heard[1])


@pytest.mark.parametrize("space", SPACES)
def test_the_late_part_is_dense_within_its_bar(space: str) -> None:
    """Normalised echo density, Abel and Huang (AES 121, 2006): 0.9 within 10 to 50 ms, and no less after it."""
    bar_s = {"plate": 0.015, "hall": 0.030, "cathedral": 0.050}.get(space, 0.010)
    mean = echo_density(responses(0.5, space=space, decay_s=2.0))
    assert mean[: int(bar_s * RATE)].max() >= 0.9
    for start_s in np.arange(bar_s, 0.2, 0.02):
        assert mean[int(start_s * RATE) : int((start_s + 0.02) * RATE)].mean() > 0.9


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize("decay_s", [1.8, 3.0])
def test_no_single_tone_rings_out_of_the_tail(space: str, decay_s: float) -> None:
    """Peak over local median of the averaged late spectrum, 500 Hz to 8 kHz: below 6 dB."""
    assert ringing_of(responses(2.4, space=space, decay_s=decay_s)) < 6


@pytest.mark.parametrize("counts", [[480], [16, 448, 16], [100, 7, 373]])
def test_the_high_pass_before_the_loop_is_the_recursion_it_replaces(counts: list[int]) -> None:
    """First-order low cut at 10 Hz, by the bilinear transform, of what is taken in at a gain that goes on a line."""
    source = np.random.default_rng(6).standard_normal((2, 480)).astype(np.float32)
    blocker, state, steps = dc_blocker(RATE), np.zeros(2, np.float32), np.arange(16, dtype=np.float32)
    parts, at = [], 0
    for count in counts:
        out = np.zeros(1024, np.float32)
        block_dc(source, at, out, 512, 0.5 + 0.001 * at, 0.001, steps, blocker, state, count)
        parts.append(out.reshape(2, 512)[:, :count])
        at += count
    asked = signal.lfilter(*signal.butter(1, 10, "highpass", fs=RATE), source * (0.5 + 0.001 * np.arange(480)))
    np.testing.assert_allclose(np.concatenate(parts, axis=1), asked, atol=1e-6)


def test_nothing_but_silence_comes_from_silence_and_dc_does_not_stay() -> None:
    assert not make_reverb(space="hall", decay_s=2.0).process(np.zeros((2, 8192), np.float32), 0).any()
    steady = np.full((2, RATE * 4), 0.5, np.float32)
    heard = make_reverb(space="hall", decay_s=1.0).process(steady, 0)
    assert np.abs(heard[:, -RATE:].mean()) < 1e-3


@pytest.mark.parametrize("space", SPACES)
def test_blocks_of_whole_cells_change_no_bit_and_others_none_that_is_heard(space: str) -> None:
    noise = np.random.default_rng(4).standard_normal((2, 10 * CELL_FRAMES)).astype(np.float32)
    params = {"space": space, "decay_s": 2.0, "mod_depth": 1.0, "mod_hz": 5.0, "pre_delay": "20ms"}
    start = 7 * CELL_FRAMES
    whole = make_reverb(**params).process(noise, start)
    cells = [CELL_FRAMES * count for count in (1, 3, 2)]
    np.testing.assert_array_equal(in_blocks(make_reverb(**params).process, noise, cells, start), whole)
    sizes = [1, 2, 3, 63, 64, 65, 511, 512, 513, 777, 4096, 20_000]
    parts = in_blocks(make_reverb(**params).process, noise, sizes, start)
    np.testing.assert_allclose(parts, whole, atol=3e-6 * np.abs(whole).max())


def test_the_smallest_and_the_largest_space_are_stable() -> None:
    for size, rate in ((0.3, 44100), (3.0, 96000)):
        reverb = make_reverb(space="plate", decay_s=30.0, size=size, rate=rate, mod_depth=1.0, mod_hz=5.0)
        noise = 0.1 * np.random.default_rng(5).standard_normal((2, rate * 2)).astype(np.float32)
        first = reverb.process(noise, 0)
        ringing = reverb.process(np.zeros((2, rate * 4), np.float32), rate * 2)
        assert np.isfinite(first).all()
        assert power(ringing[:, -rate:]) < power(ringing[:, :rate])


@pytest.mark.parametrize("space", SPACES)
@pytest.mark.parametrize("decay_s", [0.1, 0.5, 30.0])
@pytest.mark.parametrize(("low_ratio", "high_ratio"), [(3.0, 0.05), (0.2, 1.5), (0.2, 0.05), (3.0, 1.5)])
@pytest.mark.parametrize(("low_hz", "high_hz"), [(1000, 1000), (40, 16000)])
def test_no_line_ever_grows_whatever_the_decays(
    space: str, decay_s: float, low_ratio: float, high_ratio: float, low_hz: float, high_hz: float
) -> None:
    reverb = effect_of_kind("reverb", "space", {"space": space, "decay_s": decay_s, "size": 3.0, "diffusion": 1.0})
    structure = structure_for(reverb, decay_s, RATE)
    values = (decay_s, low_ratio, low_hz, high_ratio, high_hz)
    decay = DecayCurve(**{name: np.array([[value]]) for name, value in zip(DECAY_PARAMETERS, values, strict=True)})
    settings = settings_of(structure, decay, np.array([0.5]), RATE)
    z = np.exp(-2j * np.pi * np.geomspace(1, 23_999, 500) / RATE)[:, None]
    s = settings.shelves.reshape(6, 16).astype(np.float64)
    gains = np.abs((s[0] + s[1] * z) / (1 + s[2] * z) * (s[3] + s[4] * z) / (1 + s[5] * z))
    assert np.isfinite(gains).all()
    assert gains.max() < 1
    assert 0 < settings.input_gains[0] < np.inf


def test_a_pre_delay_follows_a_slowing_tempo() -> None:
    from highhall.plan import Tempo

    tempos = (Tempo(at=Position(1), bpm=120.0), Tempo(at=Position(9), bpm=60.0, ramp=True))
    song = make_song(tempos=tempos)
    effect = effect_of_kind("reverb", "s", {"space": "plate", "decay_s": 0.1, "pre_delay": "1/16", "diffusion": 0})
    for bar in (1, 5, 12):
        at = song.time.seconds_at(Position(bar))
        start = round(at * RATE)
        signal_in = np.zeros((2, RATE), np.float32)
        signal_in[:, 0] = 1.0
        heard = Reverb(EffectCurves(effect, song)).process(signal_in, start)
        place = song.time.tempos.whole_notes_at(start / RATE) + 1 / 16
        expected = song.time.tempos.seconds_at(place) * RATE - start
        onset = int(np.flatnonzero(np.abs(heard[0]) > 0.05 * np.abs(heard[0]).max())[0])
        assert onset == pytest.approx(expected, abs=3), bar


@pytest.mark.parametrize("semitones", [-24.0, 7.0, 12.0, 24.0])
def test_a_shifted_tail_moves_on_by_its_interval_again_and_again(semitones: float) -> None:
    """What was fed at f is heard at f x r, f x r^2 ... too."""
    hz, ratio = (2000.0 if semitones < 0 else 300.0), 2 ** (semitones / 12)
    burst = np.zeros((2, 5 * RATE), np.float32)
    time = np.arange(RATE // 2) / RATE
    burst[:, : RATE // 2] = 0.3 * np.sin(2 * np.pi * hz * time) * np.hanning(RATE // 2)
    params = {"space": "hall", "decay_s": 6.0, "low_ratio": 1, "high_ratio": 1, "mod_depth": 0}
    heard = make_reverb(shift_semitones=semitones, shift_feed=0.6, **params).process(burst, 0)
    plain = make_reverb(**params).process(burst, 0)

    def level(signal_: np.ndarray, start_s: float, at_hz: float) -> float:
        part = signal_[0, int(start_s * RATE) :][: 2 * RATE].astype(np.float64)
        powers = np.abs(np.fft.rfft(part * np.hanning(len(part)))) ** 2
        near = slice(int(2 * at_hz * 0.96), int(2 * at_hz * 1.04) + 1)
        return db(np.sum(powers[near]))

    for times in (1, 2) if abs(semitones) < 24 else (1,):
        place = hz * ratio**times
        assert level(heard, 1.0, place) > level(plain, 1.0, place) + 20


@pytest.mark.parametrize("semitones", [-24.0, -0.2, 0.2, 12.0, 24.0])
def test_a_shifted_tail_never_runs_away(semitones: float) -> None:
    params = {"space": "plate", "decay_s": 30.0, "low_ratio": 3, "high_ratio": 1.5, "shift_semitones": semitones}
    reverb = make_reverb(shift_feed=0.9, **params)
    noise = 0.1 * np.random.default_rng(9).standard_normal((2, 4 * RATE)).astype(np.float32)
    first = reverb.process(noise, 0)
    rings = [power(reverb.process(np.zeros((2, 5 * RATE), np.float32), (4 + 5 * n) * RATE)) for n in range(6)]
    assert power(first) < 10 * power(noise)
    assert rings[-1] < rings[0]
    assert np.isfinite(rings).all()
