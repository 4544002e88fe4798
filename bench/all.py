"""Writes docs/benchmarks.md: the engine's figures beside a library's and beside what the processor can do. Takes six minutes.

Everything runs in one go on one machine, in rounds; the page says which machine, with which versions.
"""

import math
import platform
import re
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from importlib.metadata import version
from pathlib import Path

from bench import acoustics, edit, effects, roofline, song, whole
from bench.common import Figure
from bench.plots import FOLDER

PAGE = Path(__file__).parent.parent / "docs" / "benchmarks.md"
LIBRARIES = ("numpy", "numba", "llvmlite", "scipy", "soxr", "soundfile", "pedalboard")
INK, RED, FAINT = "#12262b", "#a8103f", "#9aa5a3"
_WIDTH, _ROW, _LEFT = 720, 22, 250


def machine() -> str:
    """Return what the figures come from, in a sentence."""
    facts = dict(
        re.findall(r"^(model name|cpu MHz|cache size)\s*: (.+)$", Path("/proc/cpuinfo").read_text(), re.MULTILINE)
    )
    cores = len(re.findall(r"^processor", Path("/proc/cpuinfo").read_text(), re.MULTILINE))
    stolen = _stolen()
    libraries = ", ".join(f"{name} {version(name)}" for name in LIBRARIES)
    return (
        f"{cores} cores of an {facts.get('model name', platform.machine())} at {float(facts.get('cpu MHz', 0)) / 1000:.1f} GHz, a virtual machine"
        f" that lost {stolen:.1f} % of its time to others since it started; {platform.system()} {platform.release()}, Python {platform.python_version()}, {libraries}."
    )  # fmt: skip


def _stolen() -> float:
    words = Path("/proc/stat").read_text().splitlines()[0].split()[1:9]
    times = [int(word) for word in words]
    return 100 * times[7] / sum(times)


def table(figures: Iterable[Figure]) -> Iterator[str]:
    """Yield the lines of a table."""
    yield "| | median | rounds | asked | beside |"
    yield "|---|---|---|---|---|"
    for figure in figures:
        low, high = figure.spread
        rounds = f"{_number(low)} to {_number(high)}, {len(figure.values)}" if len(figure.values) > 1 else "1"
        asked = "" if figure.bar is None else f"{figure.bar:g}{'' if figure.is_reached else ': **not reached**'}"
        yield f"| {figure.name} | {_number(figure.median)} {figure.unit} | {rounds} | {asked} | {figure.beside} |"


def _number(value: float) -> str:
    return f"{value:,.0f}" if abs(value) >= 100 else f"{value:.3g}"


def bars(figures: Sequence[Figure]) -> str:
    """Return a picture of multiples of the library's speed; a stroke marks what is asked, a grey line the spread of rounds."""
    height = _ROW * len(figures) + 50
    longest = math.log10(max(figure.spread[1] for figure in figures)) + 0.55

    def x(value: float) -> float:
        return _LEFT + (math.log10(max(value, 0.3)) + 0.55) / (longest + 0.55) * (_WIDTH - _LEFT - 20)

    parts = [f'<line x1="{x(mark):.1f}" y1="8" x2="{x(mark):.1f}" y2="{height - 34}" stroke="{FAINT}" stroke-width="0.6"/><text x="{x(mark):.1f}" y="{height - 18}" text-anchor="middle" fill="{INK}">{mark:g}</text>' for mark in (0.3, 1, 3, 10, 30)]  # fmt: skip
    for row, figure in enumerate(figures):
        y, (low, high) = 18 + _ROW * row, figure.spread
        parts.append(f'<text x="{_LEFT - 8}" y="{y + 4}" text-anchor="end" fill="{INK}">{figure.name}</text>')
        parts.append(f'<line x1="{x(1):.1f}" y1="{y}" x2="{x(figure.median):.1f}" y2="{y}" stroke="{INK if figure.is_reached else RED}" stroke-width="7"/>')  # fmt: skip
        parts.append(
            f'<line x1="{x(low):.1f}" y1="{y}" x2="{x(high):.1f}" y2="{y}" stroke="{FAINT}" stroke-width="2"/>'
        )
        if figure.bar is not None:
            parts.append(f'<path d="M{x(figure.bar):.1f} {y - 8}v16" stroke="{RED}" stroke-width="2"/>')
    parts.append(f'<text x="{(_LEFT + _WIDTH) / 2}" y="{height - 3}" text-anchor="middle" fill="{INK}">times the library\'s speed, median and spread of rounds; red strokes: what is asked</text>')  # fmt: skip
    return _picture(height, parts)


def roofs(found: Sequence[roofline.Roof], points: Sequence[roofline.Point]) -> str:
    """Return a roofline: operations a second over operations a byte, both logarithmic."""
    height, left, right, top, bottom = 380, 60, 20, 20, 330
    low_x, high_x, low_y, high_y = 0.1, 10.0, 0.5, 300.0

    def x(value: float) -> float:
        return left + math.log(value / low_x) / math.log(high_x / low_x) * (_WIDTH - left - right)

    def y(value: float) -> float:
        return bottom - math.log(value / low_y) / math.log(high_y / low_y) * (bottom - top)

    peak = next(roof.giga for roof in found if roof.name == "multiply-adds")
    parts = [
        f'<text x="{x(mark):.1f}" y="{bottom + 18}" text-anchor="middle" fill="{INK}">{mark:g}</text>'
        for mark in (0.1, 0.3, 1, 3, 10)
    ]
    parts += [
        f'<text x="{left - 8}" y="{y(mark) + 4:.1f}" text-anchor="end" fill="{INK}">{mark:g}</text>'
        for mark in (1, 3, 10, 30, 100, 300)
    ]
    parts.append(f'<path d="M{x(low_x)} {y(peak):.1f}H{x(high_x)}" stroke="{INK}" stroke-width="1.6"/><text x="{x(high_x) - 4}" y="{y(peak) - 6:.1f}" text-anchor="end" fill="{INK}">multiply-adds: {peak:.0f}</text>')  # fmt: skip
    for roof in found:
        if roof.name != "multiply-adds":
            ends = [(intensity, roof.giga * intensity) for intensity in (low_x, min(peak / roof.giga, high_x))]
            line = " ".join(f"{x(a):.1f},{y(max(b, low_y)):.1f}" for a, b in ends)
            parts.append(f'<polyline points="{line}" fill="none" stroke="{FAINT}" stroke-width="1.4"/>')
            parts.append(f'<text x="{x(low_x) + 6:.1f}" y="{y(max(ends[0][1], low_y)) - 8:.1f}" fill="{INK}">{roof.name}: {roof.giga:.0f} GB a second</text>')  # fmt: skip
    for row, point in enumerate(points):
        parts.append(f'<circle cx="{x(point.intensity):.1f}" cy="{y(point.giga):.1f}" r="4.5" fill="{RED}"/><text x="{x(point.intensity) + 9:.1f}" y="{y(point.giga) + 4 - 14 * (row % 2):.1f}" fill="{INK}">{point.name}</text>')  # fmt: skip
    parts.append(f'<text x="{(left + _WIDTH) / 2}" y="{height - 8}" text-anchor="middle" fill="{INK}">operations a byte that the inner loops move; upwards: 10^9 operations a second</text>')  # fmt: skip
    return _picture(height, parts)


def _picture(height: int, parts: Iterable[str]) -> str:
    head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_WIDTH} {height}" width="{_WIDTH}" height="{height}" font-family="sans-serif" font-size="12">'
    return "\n".join([head, f'<rect width="{_WIDTH}" height="{height}" fill="#f6f4ee"/>', *parts, "</svg>"]) + "\n"


def kernels(found: Sequence[roofline.Roof], points: Sequence[roofline.Point]) -> Iterator[str]:
    """Yield the lines of the kernels' table."""
    rates = {roof.name: roof.giga for roof in found}
    yield "| | operations a frame | bytes a frame | 10^9 operations a second | of its roof | x real time |"
    yield "|---|---|---|---|---|---|"
    for point in points:
        roof = min(rates["multiply-adds"], rates["first cache"] * point.intensity)
        waits = f"; a frame waits {point.waits} cycles for the one before" if point.waits else ""
        yield f"| {point.name} | {point.operations:.0f} | {point.bytes:.0f} | {point.giga:.1f} | {100 * point.giga / roof:.0f} %{waits} | {point.speed:.0f} |"


def main() -> None:
    compared = list(effects.figures())
    songs = [
        *whole.figures(4, 16, 5, speed=120),
        *whole.figures(16, 16, 1),
        *whole.figures(60, 40, 1, mib=700),
        *song.figures(),
    ]
    edits, found = list(edit.figures()), roofline.measured()
    sound = [figure for space in acoustics.SPACES for figure in acoustics.figures(space)]
    FOLDER.mkdir(exist_ok=True)
    (FOLDER / "effects-speed.svg").write_text(bars([figure for figure in compared if figure.unit == "x library"]))
    (FOLDER / "roofline.svg").write_text(roofs(*found))
    methods = (Path(__file__).parent / "page.md").read_text()
    parts = {
        "date": datetime.now(UTC).strftime("%Y-%m-%d"), "machine": machine(), "effects": "\n".join(table(compared)), "songs": "\n".join(table(songs)),
        "edits": "\n".join(table(edits)), "kernels": "\n".join(kernels(*found)), "sound": "\n".join(table(sound)),
    }  # fmt: skip
    PAGE.write_text(methods.format(**parts))


if __name__ == "__main__":
    main()
