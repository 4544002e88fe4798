"""What the spaces sound like, in figures: decay, density, evenness, ringing, sides, level, wandering; worst of several settings.

Every figure is the mean over sixteen responses: both inputs, both sides, four places of the wandering.
"""

import sys
from collections.abc import Iterable, Iterator

import numpy as np
from bench.common import RATE, SONG, Figure
from numpy.typing import NDArray
from scipy import signal

from highhall.curves import EffectCurves
from highhall.effects import processor_of
from highhall.effects.reverb.decay import DecayCurve
from highhall.effects.reverb.design import structure_for
from highhall.measure import decay_by_band, reverberation_time
from highhall.measure.decay import OCTAVES_HZ
from highhall.plan.edits import effect_of_kind

SPACES = ("room", "chamber", "plate", "hall", "cathedral")
STARTS = (0, 77_777, 1_234_567, 3_333_333)
Responses = NDArray[np.float32]


def heard(sound: Responses, start: int = 0, **params: object) -> Responses:
    effect = effect_of_kind("reverb", "space", params)
    return processor_of(EffectCurves(effect, SONG)).process(sound, start)


def responses(seconds: float, **params: object) -> Responses:
    """Return (places, inputs, sides, frames)."""
    frames = int(seconds * RATE)
    made = np.zeros((len(STARTS), 2, 2, frames), np.float32)
    for place, start in enumerate(STARTS):
        for side in range(2):
            hit = np.zeros((2, frames), np.float32)
            hit[side, 0] = 1
            made[place, side] = heard(hit, start, **params)
    return made


def asked_t30(decay: DecayCurve, lengths: NDArray[np.int64], centre_hz: float) -> float:
    """Return the T30 of an octave of noise whose every part decays in its own time."""
    parts_hz = np.linspace(centre_hz / 2**0.5, centre_hz * 2**0.5, 41)
    seconds = decay.seconds_at(parts_hz, lengths, RATE)
    time = np.arange(0, 2 * seconds.max(), 0.002)
    return reverberation_time(np.mean(10 ** (-6 * time[:, None] / seconds), axis=1), 500)


def decay_error(space: str, decay_s: float, size: float) -> NDArray[np.float64]:
    """Return how far T30 is from what is asked in each octave, as a share."""
    params = {"space": space, "decay_s": decay_s, "size": size}
    effect = effect_of_kind("reverb", "space", params)
    lengths = structure_for(effect, decay_s, RATE).lengths
    made = responses(decay_s * 1.3 + 0.4, early_db=-60, **params).reshape(16, -1)
    asked = [asked_t30(DecayCurve.of(effect), lengths, hz) for hz in OCTAVES_HZ]
    read = [reading.t30_s or np.nan for reading in decay_by_band(made, RATE)]
    return np.array(read) / np.array(asked) - 1


def echo_density(heard: Responses) -> NDArray[np.float64]:
    """Return the mean echo density of responses, (responses, frames), 1 being noise's [Abel and Huang, AES 121, 2006: 20 ms Hann window]."""
    window = signal.windows.hann(int(0.020 * RATE))
    window /= window.sum()
    densities = []
    for response in heard.astype(np.float64):
        spread = np.sqrt(np.maximum(signal.oaconvolve(response**2, window, "same"), 0))
        densities.append(signal.oaconvolve((np.abs(response) > spread).astype(float), window, "same") / 0.3173)
    mean: NDArray[np.float64] = np.mean(densities, axis=0)
    return mean


def time_to_density(space: str) -> float:
    """Return when the echo density reaches 0.9, in ms."""
    density = echo_density(responses(0.4, space=space, decay_s=2.0).reshape(16, -1))
    return float(np.argmax(density >= 0.9)) / RATE * 1000


def spread_of(late: Responses) -> float:
    """Return the mean spread of late spectra about their third-octave envelopes, 200 Hz to 8 kHz, in dB; 5.57 in a diffuse field [Schroeder 1954].

    late: (responses, frames), of which the first 32768 count.
    """
    spreads = []
    for response in late[:, :32768].astype(np.float64):
        powers = np.abs(np.fft.rfft(response * np.hanning(len(response)))) ** 2
        hz = np.fft.rfftfreq(len(response), 1 / RATE)
        inside = (hz > 200) & (hz < 8000)
        thirds = 3 * np.log2(hz[inside] / 200)
        sums = np.concatenate([[0], np.cumsum(powers[inside])])
        first, last = np.searchsorted(thirds, thirds - 0.5), np.searchsorted(thirds, thirds + 0.5)
        spreads.append(np.std(10 * np.log10(powers[inside] * (last - first) / (sums[last] - sums[first]))))
    return float(np.mean(spreads))


def late_spread(space: str, decay_s: float, size: float) -> float:
    """Return the spread of what comes a fifth of the decay after the last early reflection, in dB."""
    params = {"space": space, "decay_s": decay_s, "size": size}
    structure = structure_for(effect_of_kind("reverb", "space", params), decay_s, RATE)
    begin = int(0.2 * decay_s * RATE) + int(structure.reflections.delays.max())
    return spread_of(responses(begin / RATE + 0.7, **params).reshape(16, -1)[:, begin:])


def ringing_of(heard: Responses) -> float:
    """Return how far a single tone stands out of the averaged late spectrum of responses, (responses, frames), 500 Hz to 8 kHz, in dB."""
    powers = []
    for response in heard:
        for start in range(int(0.3 * RATE), int(2.0 * RATE), 16384):
            stretch = response[start : start + 16384].astype(np.float64)
            powers.append(np.abs(np.fft.rfft(stretch * np.hanning(len(stretch)))) ** 2 / np.sum(stretch**2))
    level = 10 * np.log10(np.mean(powers, axis=0))
    low, high = int(500 * 16384 / RATE), int(8000 * 16384 / RATE)
    return float((level - signal.medfilt(level, 129))[low:high].max())


def ringing(space: str, decay_s: float) -> float:
    """Return how far a single tone stands out of a space's late spectrum, in dB."""
    return ringing_of(responses(2.4, space=space, decay_s=decay_s).reshape(16, -1))


def correlations(space: str, decay_s: float, size: float) -> tuple[float, float]:
    """Return the correlation of the tail's sides from 0.1 s on: over all frequencies, and in the worst octave."""
    pairs = responses(decay_s + 0.2, space=space, decay_s=decay_s, size=size).reshape(8, 2, -1).astype(np.float64)

    def of(sound: NDArray[np.float64]) -> float:
        late = sound[:, :, int(0.1 * RATE) :]
        return abs(float(np.mean([np.corrcoef(pair)[0, 1] for pair in late])))

    bands = (signal.butter(4, (hz / 2**0.5, hz * 2**0.5), "bandpass", fs=RATE, output="sos") for hz in OCTAVES_HZ)
    return of(pairs), max(of(signal.sosfilt(band, pairs, axis=-1)) for band in bands)


def level_error(space: str, decay_s: float, size: float, early_db: float) -> float:
    """Return the level of steady pink noise behind the space against before it, in dB."""
    rng, settled = np.random.default_rng(7), int((1.2 * decay_s + 0.2) * RATE)
    spectrum = rng.standard_normal((2, 1 << 20)) + 1j * rng.standard_normal((2, 1 << 20))
    hz = np.fft.rfftfreq(2 * (1 << 20) - 1, 1 / RATE)
    spectrum *= np.where((hz >= 20) & (hz <= 20000), 1 / np.sqrt(np.maximum(hz, 1)), 0)
    noise = np.fft.irfft(spectrum, axis=1).astype(np.float32)
    noise /= noise.std()
    out = heard(noise, space=space, decay_s=decay_s, size=size, early_db=early_db)
    return 10 * np.log10(np.mean(out[:, settled:] ** 2.0) / np.mean(noise[:, settled:] ** 2.0))


def wandering(space: str, hz: float) -> tuple[float, float]:
    """Return how far a held tone strays in pitch, in cents, and the level of all that is over 10 Hz beside it, in dB."""
    time = np.arange(16 * RATE) / RATE
    tone = np.stack([np.sin(2 * np.pi * hz * time)] * 2).astype(np.float32)
    out = heard(tone, space=space, decay_s=2.0, mod_depth=0.3)[:, 4 * RATE :].astype(np.float64)
    window = signal.windows.blackmanharris(out.shape[1])
    powers = np.abs(np.fft.rfft(out * window, axis=1)) ** 2
    beside = np.abs(np.fft.rfftfreq(out.shape[1], 1 / RATE) - hz) > 10
    sidebands = 10 * np.log10((powers * beside).sum() / powers.sum())
    turning = np.angle(signal.hilbert(out[:, : 8 * RATE], axis=1) * np.exp(-2j * np.pi * hz * time[: 8 * RATE]))
    phase = np.unwrap(turning, axis=1)[:, :: RATE // 10]
    level = np.abs(signal.hilbert(out[:, : 8 * RATE], axis=1))[:, :: RATE // 10]
    loud = level[:, 1:-1] > 0.3 * level.mean()
    strays = np.abs(phase[:, 2:] - phase[:, :-2])[loud] / (2 * np.pi * 0.2)
    return float(1200 * np.log2(1 + np.percentile(strays, 95) / hz)), float(sidebands)


T30_PERCENT, SPREAD_DB, RINGING_DB, SIDES, SIDES_BY_OCTAVE, LEVEL_DB = 2.0, 5.7, 6.0, 0.05, 0.15, 0.3
"""What is asked at most."""
T30_DECAYS_S, SPREAD_DECAYS_S, RINGING_DECAYS_S, SIDES_DECAYS_S, LEVEL_DECAYS_S = (0.6, 1.0, 2.5, 6.0, 12.0), (1.5, 4.0), (1.8, 3.0), (0.7, 1.5, 3.0), (0.4, 1.5, 4.0)  # fmt: skip
EARLY_DB = (-30.0, 0.0, 6.0)
DENSE_MS = {"room": 10, "chamber": 10, "plate": 15, "hall": 30, "cathedral": 50}
SIZES = (0.5, 1.0, 2.0)


def figures(space: str) -> Iterator[Figure]:
    """Yield the worst value of every figure of a space."""

    def worst(name: str, values: Iterable[float], bar: float, unit: str) -> Figure:
        return Figure(name=f"{space}, {name}", values=(max(values),), unit=unit, bar=bar, is_less_better=True)

    errors = {(t, size): decay_error(space, t, size) for t in T30_DECAYS_S for size in SIZES}
    if "-v" in sys.argv:
        for key, error in errors.items():
            print("      ", *key, *(f"{100 * e:5.1f}" for e in error))
    yield worst("T30 of any octave", (100 * np.abs(error).max() for error in errors.values()), T30_PERCENT, "%")
    yield worst("echo density 0.9 after", [time_to_density(space)], DENSE_MS[space], "ms")
    yield worst(
        "late spread", (late_spread(space, t, size) for t in SPREAD_DECAYS_S for size in SIZES), SPREAD_DB, "dB"
    )
    yield worst("ringing", (ringing(space, t) for t in RINGING_DECAYS_S), RINGING_DB, "dB")
    sides = [correlations(space, t, size) for t in SIDES_DECAYS_S for size in SIZES]
    yield worst("correlation of the tail's sides", (whole for whole, _ in sides), SIDES, "")
    yield worst("the same in the worst octave", (octave for _, octave in sides), SIDES_BY_OCTAVE, "")
    settings = [(t, size, early) for t in LEVEL_DECAYS_S for size in SIZES for early in EARLY_DB]
    yield worst("level law", (abs(level_error(space, *setting)) for setting in settings), LEVEL_DB, "dB")
    strays = [wandering(space, hz) for hz in (220.0, 1000.0, 4000.0)]
    yield worst("pitch of a held tone strays", (cents for cents, _ in strays), 3, "cents")
    yield worst("its sidebands", (level for _, level in strays), -40, "dB")


def main() -> None:
    for space in [name for name in sys.argv[1:] if name in SPACES] or SPACES:
        for figure in figures(space):
            print(figure, flush=True)


if __name__ == "__main__":
    main()
