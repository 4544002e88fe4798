"""Writes docs/plots/*.svg: what each kind of effect does, drawn from its sound."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from bench.common import RATE, SONG

from highhall.capture import ROOMS
from highhall.curves import EffectCurves
from highhall.effects import processor_of
from highhall.measure import decay_by_band
from highhall.plan.edits import effect_of_kind

FOLDER = Path(__file__).parent.parent / "docs" / "plots"
WIDTH, HEIGHT, LEFT, BOTTOM, TOP, RIGHT = 560, 220, 56, 40, 26, 24
DASHES = ("", "6 3", "2 3", "9 3 2 3", "1 4")


@dataclass
class Chart:
    """Lines over one pair of axes; `is_log` for frequencies."""

    title: str
    x_label: str
    y_label: str
    x_range: tuple[float, float]
    y_range: tuple[float, float]
    is_log: bool = False
    lines: list[tuple[str, np.ndarray, np.ndarray]] = field(default_factory=list)

    def add(self, name: str, x: np.ndarray, y: np.ndarray) -> None:
        self.lines.append((name, np.asarray(x, float), np.asarray(y, float)))

    def _x(self, x: np.ndarray) -> np.ndarray:
        low, high = self.x_range
        part = np.log(x / low) / np.log(high / low) if self.is_log else (x - low) / (high - low)
        return LEFT + part * (WIDTH - LEFT - RIGHT)

    def _y(self, y: np.ndarray) -> np.ndarray:
        low, high = self.y_range
        return HEIGHT - BOTTOM - (np.clip(y, low, high) - low) / (high - low) * (HEIGHT - BOTTOM - TOP)

    def _x_ticks(self) -> Sequence[float]:
        if self.is_log:
            return [
                t
                for t in (20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000)
                if self.x_range[0] <= t <= self.x_range[1]
            ]
        return list(np.linspace(*self.x_range, 6))

    def svg(self) -> str:
        parts = [
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" width="{WIDTH}" height="{HEIGHT}" '
            f'font-family="sans-serif" font-size="11" role="img" aria-label="{self.title}">',
            f'<rect width="{WIDTH}" height="{HEIGHT}" fill="#fbf7ec"/>',
            f'<text x="{LEFT}" y="16" font-weight="bold" fill="#12262b">{self.title}</text>',
        ]
        for tick in self._x_ticks():
            x = float(self._x(np.array(tick)))
            parts.append(
                f'<path d="M{x:.1f} {TOP}V{HEIGHT - BOTTOM}" stroke="#d9d2bf"/><text x="{x:.1f}" y="{HEIGHT - 24}" text-anchor="middle" fill="#4c5a5c">{tick:g}</text>'
            )
        for tick in np.linspace(*self.y_range, 5):
            y = float(self._y(np.array(tick)))
            parts.append(
                f'<path d="M{LEFT} {y:.1f}H{WIDTH - RIGHT}" stroke="#d9d2bf"/><text x="{LEFT - 6}" y="{y + 4:.1f}" text-anchor="end" fill="#4c5a5c">{tick:g}</text>'
            )
        parts.append(
            f'<text x="{(LEFT + WIDTH) / 2:.0f}" y="{HEIGHT - 8}" text-anchor="middle" fill="#12262b">{self.x_label}</text>'
        )
        parts.append(
            f'<text transform="translate(12 {HEIGHT / 2 - 8:.0f}) rotate(-90)" text-anchor="middle" fill="#12262b">{self.y_label}</text>'
        )
        place = LEFT + 8.0 * len(self.title)
        for index, (name, x, y) in enumerate(self.lines):
            points = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(self._x(x), self._y(y), strict=True))
            dash = f' stroke-dasharray="{DASHES[index % 5]}"' if index else ""
            parts.append(
                f'<polyline points="{points}" fill="none" stroke="{"#12262b" if index % 2 == 0 else "#a8103f"}" stroke-width="1.4"{dash}/>'
            )
            if name:
                parts.append(
                    f'<path d="M{place:.0f} 12h18" stroke="{"#12262b" if index % 2 == 0 else "#a8103f"}" stroke-width="1.4"{dash}/><text x="{place + 22:.0f}" y="16" fill="#12262b">{name}</text>'
                )
                place += 34 + 6.2 * len(name)
        return "\n".join([*parts, "</svg>"]) + "\n"


def heard(kind: str, signal: np.ndarray, response: np.ndarray | None = None, **params: object) -> np.ndarray:
    effect = effect_of_kind(kind, "s", {"ir": "ir", **params} if kind == "impulse" else params)
    return processor_of(EffectCurves(effect, SONG), {"ir": response} if response is not None else {}).process(signal, 0)


def hit(seconds: float, side: int | None = None) -> np.ndarray:
    signal = np.zeros((2, int(seconds * RATE)), np.float32)
    signal[slice(None) if side is None else side, 0] = 1
    return signal


def curve_db(response: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    hz = np.geomspace(20, 20000, 300)
    spectrum = np.abs(np.fft.rfft(response.astype(float), 1 << 17))
    return hz, 20 * np.log10(np.interp(hz, np.fft.rfftfreq(1 << 17, 1 / RATE), spectrum) + 1e-9)


def decays(responses: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    readings = [r for r in decay_by_band(responses, RATE) if r.t30_s]
    return np.array([r.centre_hz for r in readings]), np.array([r.t30_s for r in readings])


def envelope_db(response: np.ndarray, step_s: float = 0.005) -> tuple[np.ndarray, np.ndarray]:
    step = int(step_s * RATE)
    whole = response[: len(response) // step * step].reshape(-1, step).astype(float)
    return np.arange(len(whole)) * step_s, 10 * np.log10(np.mean(whole**2, axis=1) + 1e-12)


def reverb() -> Chart:
    chart = Chart("reverb, decay 2 s", "octave, Hz", "T30, s", (100, 10000), (0, 4), is_log=True)
    for space in ("room", "chamber", "plate", "hall", "cathedral"):
        chart.add(
            space,
            *decays(np.concatenate([heard("reverb", hit(3.5, side), space=space, decay_s=2.0) for side in (0, 1)])),
        )
    return chart


def onset() -> Chart:
    chart = Chart("reverb, onset", "ms after the hit", "dB", (0, 200), (-60, -20))
    for space in ("room", "plate", "cathedral"):
        seconds, level = envelope_db(heard("reverb", hit(0.3), space=space, decay_s=2.0)[0], 0.004)
        chart.add(space, seconds[:50] * 1000, level[:50])
    return chart


def impulse() -> Chart:
    chart = Chart("impulse, a captured timber hall", "s", "dB", (0, 1.5), (-80, 0))
    response = ROOMS["timber-hall"].response(RATE).astype(np.float32)
    for name, params in (
        ("as it is", {}),
        ("decay x 0.5", {"decay_scale": 0.5}),
        ("reversed", {"reverse": True, "trim_s": 1.0}),
    ):
        seconds, level = envelope_db(heard("impulse", hit(1.6), response, **params)[0], 0.01)
        chart.add(name, seconds[:150], level[:150] - level.max())
    return chart


def echo() -> Chart:
    chart = Chart("echo", "beats", "dB", (0, 8), (-40, 0))
    line = heard("echo", hit(4), left="1/8.", right="1/4", feedback=0.5)
    for side, name in enumerate(("left 1/8.", "right 1/4")):
        places = np.flatnonzero(np.abs(line[side]) > 0.01)
        x = np.repeat(places / RATE * 2, 3)
        y = np.ravel([[-40, 20 * np.log10(abs(line[side, p])), -40] for p in places])
        chart.add(name, x, y)
    return chart


def doubler() -> Chart:
    time = np.arange(10 * RATE) / RATE
    tone = np.tile(0.5 * np.sin(2 * np.pi * 1000 * time), (2, 1)).astype(np.float32)
    chart = Chart("doubler, a tone of 1 kHz", "Hz", "dB", (985, 1015), (-80, 0))
    out = heard("doubler", tone)
    for side, name in enumerate(("left -7 cents", "right +7 cents")):
        spectrum = 20 * np.log10(np.abs(np.fft.rfft(out[side, RATE:] * np.hanning(9 * RATE))) + 1e-9)
        chart.add(
            name, np.fft.rfftfreq(9 * RATE, 1 / RATE)[985 * 9 : 1015 * 9], spectrum[985 * 9 : 1015 * 9] - spectrum.max()
        )
    return chart


def flanger() -> Chart:
    chart = Chart("flanger standing still", "Hz", "dB", (20, 20000), (-40, 20), is_log=True)
    for name, feedback in (("feedback 0", 0.0), ("0.7", 0.7)):
        chart.add(name, *curve_db(heard("flanger", hit(0.5), depth=0, feedback=feedback)[0]))
    return chart


def chorus() -> Chart:
    chart = Chart("chorus, two voices of the left side", "s", "ms", (0, 3), (8, 28))
    clicks = np.zeros((2, 3 * RATE), np.float32)
    places = np.arange(0, 3 * RATE - 4800, 2400)
    clicks[:, places] = 1
    for voices, (low, high) in ((1, (8, 15)), (2, (20, 27))):
        line = np.abs(heard("chorus", clicks, voices=voices)[0])
        late = [np.argmax(line[p + low * 48 : p + high * 48]) / 48 + low for p in places]
        chart.add(f"voice {voices}", places / RATE, np.array(late))
    return chart


def autopan() -> Chart:
    chart = Chart("autopan, 1/4 at 120", "s", "gain", (0, 1), (0, 1.6))
    out = heard("autopan", np.ones((2, RATE), np.float32), depth=1.0)
    for side, name in enumerate(("left", "right")):
        chart.add(name, np.arange(0, RATE, 200) / RATE, out[side, ::200])
    return chart


def width() -> Chart:
    chart = Chart("width 1.3, bass mono below 150 Hz", "Hz", "side, dB", (20, 20000), (-40, 8), is_log=True)
    out = heard("width", hit(0.5, 0), width=1.3, bass_mono_hz=150)
    chart.add("", *curve_db(out[0] - out[1]))
    return chart


def offset() -> Chart:
    chart = Chart("offset 12 ms, summed to mono", "Hz", "dB", (20, 20000), (-40, 0), is_log=True)
    chart.add("", *curve_db(heard("offset", hit(0.5)).mean(axis=0)))
    return chart


def drive() -> Chart:
    chart = Chart("drive, a tone of 3 kHz at full scale", "kHz", "dB", (0, 24), (-120, 0))
    tone = np.tile(np.sin(2 * np.pi * 3001 * np.arange(RATE) / RATE), (2, 1)).astype(np.float32)
    for name, amount in (("amount 1", 1.0), ("0.3", 0.3)):
        spectrum = 20 * np.log10(
            np.abs(np.fft.rfft(heard("drive", tone, amount=amount, tone_hz=20000)[0] * np.blackman(RATE))) + 1e-9
        )
        most = spectrum[: 24000 // 40 * 40].reshape(-1, 40).max(axis=1)
        chart.add(name, np.arange(len(most)) * 0.04, most - spectrum.max())
    return chart


def crush() -> Chart:
    chart = Chart("crush, 4 bit, 6 kHz", "ms", "", (0, 4), (-1, 1))
    tone = np.tile(0.9 * np.sin(2 * np.pi * 500 * np.arange(2000) / RATE), (2, 1)).astype(np.float32)
    chart.add("in", np.arange(192) / 48, tone[0, :192])
    chart.add("out", np.arange(192) / 48, heard("crush", tone, bits=4, rate_hz=6000)[0, :192])
    return chart


def tone() -> Chart:
    chart = Chart("tone", "Hz", "dB", (20, 20000), (-36, 12), is_log=True)
    for band in (
        {"shape": "low_cut", "hz": 200, "slope_db_oct": 24}, {"shape": "bell", "hz": 1000, "gain_db": 6},
        {"shape": "high_shelf", "hz": 4000, "gain_db": -9}, {"shape": "notch", "hz": 500, "q": 4},
    ):  # fmt: skip
        chart.add(band["shape"].replace("_", " "), *curve_db(heard("tone", hit(1.0), bands=[band])[0]))
    return chart


def duck() -> Chart:
    chart = Chart("duck, 12 dB", "s", "dB", (0, 1), (-16, 4))
    ducker = processor_of(EffectCurves(effect_of_kind("duck", "s", {"key": "voice"}), SONG))
    key = np.zeros((2, RATE), np.float32)
    key[:, RATE // 5 : RATE // 2] = 0.5
    ducker.hear(key)
    chart.add(
        "", np.arange(0, RATE, 100) / RATE, 20 * np.log10(ducker.process(np.ones((2, RATE), np.float32), 0)[0, ::100])
    )
    return chart


def leveler() -> Chart:
    chart = Chart("leveler, threshold -24 dB", "in, dB", "out, dB", (-50, 0), (-60, 0))
    levels = np.arange(-50, 1, 5.0)
    for ratio in (2, 4, 20):
        out = [
            heard("leveler", np.full((2, RATE), 10 ** (level / 20), np.float32), ratio=ratio)[0, -1] for level in levels
        ]
        chart.add(f"{ratio}:1", levels, 20 * np.log10(out))
    return chart


CHARTS: tuple[Callable[[], Chart], ...] = (
    reverb, onset, impulse, echo, offset, doubler, chorus, flanger, autopan, width, drive, crush, tone, duck, leveler,
)  # fmt: skip


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    for chart in CHARTS:
        (FOLDER / f"{chart.__name__}.svg").write_text(chart().svg())


if __name__ == "__main__":
    main()
