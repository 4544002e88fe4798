"""Evidence of findings, drawn as it is and, dashed, as it would be with what is proposed."""

from collections.abc import Callable, Mapping, Sequence

from hallweb.screens.findings.drawing import Drawing, scale
from highhall.findings import Evidence
from highhall.wording import figure, hertz_in_words

_METRES = (0.5, 1.0, 2.0, 3.0, 6.0, 12.0)
_HZ = (50.0, 200.0, 1000.0, 5000.0)
_LOW_HZ, _HIGH_HZ = 40.0, 16000.0
_RANGE_PX = 74.0


def drawn(evidence: Evidence, size: tuple[float, float], proposed: Evidence | None = None) -> Drawing:
    """Return the picture of a finding's evidence; with it, what its proposal makes of it."""
    drawing = Drawing(*size)
    _SHAPES[evidence.shape](drawing, evidence, proposed)
    return drawing


def _ticks(drawing: Drawing, ticks: Sequence[tuple[float, float, float]]) -> None:
    """Draw where bars would end with what is proposed: from, to and height of each."""
    for left, right, height in ticks:
        for look in ("ev-under", "ev-tick"):
            drawing.line(look, (left, height), (right, height))


def _say_then(drawing: Drawing, words: str, right: float) -> None:
    drawing.say(f"then {words}", right, drawing.top + 8, "end", "ev-then-text")


def _metres(drawing: Drawing, evidence: Evidence, then: Evidence | None) -> None:
    x = scale(0.5, 24.0, drawing.left, drawing.right - 6, is_log=True)
    middle = (drawing.top + drawing.floor) / 2
    drawing.line("ev-axis", (drawing.left, drawing.floor), (drawing.right, drawing.floor))
    for metre in _METRES:
        drawing.line("ev-axis", (x(metre), drawing.floor), (x(metre), drawing.floor - 5))
        drawing.say(f"{metre:g} m", x(metre), drawing.height - 8)
    for metres, _ in evidence.lines.get("others", ()):
        drawing.line("ev-ink", (x(metres), drawing.floor), (x(metres), drawing.floor - 12))
    here, median, limit = (evidence.figures[key] for key in ("here", "median", "limit"))
    drawing.line("ev-ink", (x(median), drawing.floor), (x(median), drawing.top))
    drawing.line("ev-limit", (x(limit), drawing.floor), (x(limit), drawing.top))
    drawing.paths.append(("ev-mark", f"M{x(here) - 5:.1f} {middle:.1f}a5 5 0 1 0 10 0a5 5 0 1 0-10 0"))
    is_far = x(here) > drawing.right - 48
    at, anchor = (x(here) - 9, "end") if is_far else (x(here) + 9, "start")
    drawing.say(f"{figure(here)} m", at, middle + 4, anchor, "ev-strong", always=True)
    drawing.say(f"{figure(median)} m", x(median) - 4, drawing.top + 8, "end")
    if then:
        after = then.figures["here"]
        drawing.paths.append(("ev-then", f"M{x(after) - 5:.1f} {middle:.1f}a5 5 0 1 0 10 0a5 5 0 1 0-10 0"))
        drawing.say(f"then {figure(after)} m", x(after), middle + 22, look="ev-then-text")
    drawing.say("limit", x(limit) + 4, drawing.top + 8, "start", "ev-limit-text")


def _levels(drawing: Drawing, evidence: Evidence, then: Evidence | None) -> None:
    (points,) = evidence.lines.values()
    values = [value for _, value in points]
    limit, here = evidence.figures["limit"], evidence.figures["here"]
    low, high = min([*values, limit]) - 3, max([*values, limit]) + 3
    x = scale(0, max(len(points), 1), drawing.left, drawing.right)
    y = scale(low, high, drawing.floor, drawing.top)
    wide = (drawing.right - drawing.left) / max(len(points), 1)
    for number, (_, value) in enumerate(points):
        look = "ev-over" if value >= limit else "ev-dry"
        drawing.box(look, x(number), y(value), x(number) + max(wide - 1, 0.6), drawing.floor)
    if then:
        (after,) = then.lines.values()
        _ticks(drawing, [(x(n), x(n) + max(wide - 1, 0.6), y(value)) for n, (_, value) in enumerate(after)])
        _say_then(drawing, f"{figure(then.figures['here'])} dB", drawing.right - 60)
    drawing.line("ev-limit", (drawing.left, y(limit)), (drawing.right, y(limit)))
    drawing.say(f"{figure(limit)} dB", drawing.left - 4, y(limit) + 4, "end", "ev-limit-text")
    for number, name in enumerate(evidence.names):
        drawing.say(name, x(number) + wide / 2, drawing.height - 8)
    drawing.say(f"{figure(here)} dB", drawing.right - 2, drawing.top + 8, "end", "ev-strong", always=True)


def _bands(drawing: Drawing) -> Callable[[float], float]:
    x = scale(_LOW_HZ, _HIGH_HZ, drawing.left, drawing.right, is_log=True)
    for hz in _HZ:
        drawing.line("ev-axis", (x(hz), drawing.floor), (x(hz), drawing.floor + 4))
        drawing.say(hertz_in_words(hz), x(hz), drawing.height - 8)
    return x


def _spectrum(drawing: Drawing, evidence: Evidence, then: Evidence | None) -> None:
    x = _bands(drawing)
    curves = {name: [(hz, db) for hz, db in line if _LOW_HZ <= hz <= _HIGH_HZ] for name, line in evidence.lines.items()}
    high = max(db for line in curves.values() for _, db in line) + 3
    y = scale(high - 42, high, drawing.floor, drawing.top)
    low_hz, high_hz = max(evidence.figures["low"], _LOW_HZ), evidence.figures["high"]
    drawing.box("ev-band", x(low_hz), drawing.top, x(high_hz), drawing.floor)
    drawing.area("ev-wet", [(x(hz), y(db)) for hz, db in curves["wet"]], drawing.floor)
    drawing.line("ev-dashed", *[(x(hz), y(db)) for hz, db in curves["dry"]])
    unit = "%" if evidence.figures["limit"] > 10 else "dB"
    if then:
        after = [(x(hz), y(db)) for hz, db in then.lines["wet"] if _LOW_HZ <= hz <= _HIGH_HZ]
        drawing.line("ev-then", *after)
        _say_then(drawing, f"{figure(then.figures['here'])} {unit}", drawing.right - 60)
    drawing.say(
        f"{figure(evidence.figures['here'])} {unit}",
        drawing.right - 2,
        drawing.top + 8,
        "end",
        "ev-strong",
        always=True,
    )
    drawing.say("in the return, shaded; dry, dashed", drawing.left, drawing.top - 8, "start")


def _thirds(drawing: Drawing, evidence: Evidence, then: Evidence | None) -> None:
    x = _bands(drawing)
    lost, limit = evidence.lines["lost"], evidence.figures["limit"]
    low = min([limit, *(db for _, db in lost)]) - 1
    y = scale(low, 3.0, drawing.floor, drawing.top)
    half = (x(1260) - x(1000)) / 2 - 0.5
    for hz, db in lost:
        look = "ev-over" if db <= limit else "ev-wet"
        drawing.box(look, x(hz) - half, min(y(0), y(db)), x(hz) + half, max(y(0), y(db)))
    if then:
        _ticks(drawing, [(x(hz) - half, x(hz) + half, y(db)) for hz, db in then.lines["lost"]])
        drawing.say(
            f"then {figure(then.figures['here'])} dB at most",
            drawing.right - 2,
            drawing.top - 6,
            "end",
            "ev-then-text",
        )
    drawing.line("ev-ink", (drawing.left, y(0)), (drawing.right, y(0)))
    drawing.line("ev-limit", (drawing.left, y(limit)), (drawing.right, y(limit)))
    drawing.say("0", drawing.left - 4, y(0) + 4, "end")
    drawing.say(f"{figure(limit, 0)} dB", drawing.left - 4, y(limit) + 4, "end", "ev-limit-text")
    here = f"{figure(evidence.figures['here'])} dB at {hertz_in_words(evidence.figures['hz'])}"
    drawing.say(
        here, drawing.right - 2, drawing.floor - (2 if drawing.is_large else -2), "end", "ev-strong", always=True
    )


def _grid(drawing: Drawing, evidence: Evidence, then: Evidence | None) -> None:
    here, note = evidence.figures["here"], evidence.figures["note"]
    around = max(abs(here - note) * (3.0 if drawing.is_large else 2.0), 12.0)
    x = scale(note - around, note + around, drawing.left, drawing.right)
    drawing.line("ev-axis", (drawing.left, drawing.floor), (drawing.right, drawing.floor))
    for at, _ in evidence.lines["notes"]:
        if note - around < at < note + around:
            drawing.line("ev-ink", (x(at), drawing.floor), (x(at), drawing.top))
    middle = (drawing.top + drawing.floor) / 2
    drawing.line("ev-over", (x(here), drawing.floor), (x(here), middle))
    drawing.paths.append(("ev-mark", f"M{x(here) - 4:.1f} {middle:.1f}a4 4 0 1 0 8 0a4 4 0 1 0-8 0"))
    if then:
        at = x(then.figures["here"])
        drawing.paths.append(("ev-then", f"M{at - 4:.1f} {middle:.1f}a4 4 0 1 0 8 0a4 4 0 1 0-8 0"))
    drawing.line("ev-ink", (x(here), drawing.floor - 6), (x(note), drawing.floor - 6))
    drawing.say(evidence.names[0], x(note), drawing.top - 6)
    drawing.say(f"{figure(note)} ms", x(note), drawing.height - 8)
    drawing.say(f"{figure(here)} ms", x(here), drawing.height - 8)
    is_early = here < note
    at, anchor = (x(note) + 9, "start") if is_early else (x(note) - 9, "end")
    off = f"{figure(abs(here - note))} ms"
    off = f"{off} {'early' if is_early else 'late'}" if drawing.is_large else off
    drawing.say(off, at, middle + 4, anchor, "ev-strong", always=True)


def _tail(drawing: Drawing, evidence: Evidence, then: Evidence | None) -> None:
    dry, tail, marks = evidence.lines["dry"], evidence.lines["tail"], evidence.figures
    ranges = evidence.lines["ranges"] if drawing.is_large else ()
    right = drawing.right - (_RANGE_PX * len(ranges) + 24 if ranges else 0)
    x = scale(dry[0][0], dry[-1][0], drawing.left, right)
    y = scale(-42.0, 6.0, drawing.floor, drawing.top)
    for number, (from_hz, level) in enumerate(ranges):
        left = right + 24 + number * _RANGE_PX
        look = "ev-over" if level >= marks["limit"] else "ev-wet"
        drawing.box(look, left, y(level), left + _RANGE_PX - 12, drawing.floor)
        drawing.say(figure(level, 0), left + _RANGE_PX / 2 - 6, y(level) - 4, look="ev-strong")
        if then:
            _ticks(drawing, [(left, left + _RANGE_PX - 12, y(dict(then.lines["ranges"]).get(from_hz, level)))])
        drawing.say(
            f"from {hertz_in_words(from_hz)}" if from_hz else "lows", left + _RANGE_PX / 2 - 6, drawing.height - 8
        )
    drawing.area("ev-dry", [(x(s), y(db)) for s, db in dry], drawing.floor)
    drawing.area("ev-wet", [(x(s), y(db)) for s, db in tail], drawing.floor)
    drawing.line("ev-axis", (drawing.left, y(0)), (drawing.right, y(0)))
    drawing.line("ev-limit", (drawing.left, y(marks["limit"])), (drawing.right, y(marks["limit"])))
    drawing.line("ev-ink", (x(marks["next"]), drawing.floor), (x(marks["next"]), drawing.top))
    drawing.line("ev-axis", (x(marks["end"]), drawing.floor), (x(marks["end"]), drawing.top))
    if then:
        drawing.line("ev-then", *[(x(s), y(db)) for s, db in then.lines["tail"] if s >= marks["end"]])
        after = then.figures["here"]
        drawing.say(f"then {figure(after)}", x(marks["next"]) + 6, y(after) - 4, "start", "ev-then-text")
    drawing.say("0 dB", drawing.left - 4, y(0) + 4, "end")
    drawing.say(f"{figure(marks['limit'], 0)} dB", drawing.left - 4, y(marks["limit"]) + 4, "end", "ev-limit-text")
    drawing.say("next phrase", x(marks["next"]) + 4, drawing.top + 2, "start")
    drawing.say(
        f"gap {figure(1000 * (marks['next'] - marks['end']), 0)} ms",
        x((marks["next"] + marks["end"]) / 2),
        drawing.height - 8,
    )
    drawing.say(f"{figure(marks['here'])}", x(marks["next"]) - 4, y(marks["here"]) - 4, "end", "ev-strong", always=True)


def _slope(drawing: Drawing, evidence: Evidence, then: Evidence | None) -> None:
    line, limit, here = evidence.lines["tail"], evidence.figures["limit"], evidence.figures["here"]
    low = line[-1][1]
    x = scale(0.0, 1.25 * max(limit, here), drawing.left, drawing.right)
    y = scale(low, max(line[0][1], 0.0), drawing.floor, drawing.top)
    drawing.area("ev-wet", [(x(s), y(db)) for s, db in line], drawing.floor)
    drawing.line("ev-axis", (drawing.left, drawing.floor), (drawing.right, drawing.floor))
    drawing.line("ev-limit", (x(limit), drawing.floor), (x(limit), drawing.top))
    drawing.say(f"limit {figure(limit, 2)} s", x(limit), drawing.height - 8, "middle", "ev-limit-text")
    for name in ("bar", "gap", "repeat"):
        if name in evidence.figures and evidence.figures[name] != limit:
            drawing.line(
                "ev-axis", (x(evidence.figures[name]), drawing.floor), (x(evidence.figures[name]), drawing.floor - 14)
            )
            drawing.say(name, x(evidence.figures[name]), drawing.floor - 18)
    if then and "tail" in then.lines:
        drawing.line("ev-then", *[(x(s), y(db)) for s, db in then.lines["tail"]])
        _say_then(drawing, f"{figure(then.figures['here'], 2)} s", drawing.right - 60)
    drawing.say(f"{figure(low, 0)} dB", drawing.left - 4, drawing.floor, "end")
    drawing.say(f"{figure(here, 2)} s", drawing.right - 2, drawing.top + 8, "end", "ev-strong", always=True)


def _flow(drawing: Drawing, evidence: Evidence, _: Evidence | None) -> None:
    names = list(evidence.names) or ["?"]
    gap = 26.0 if drawing.is_large else 12.0
    wide = min((drawing.right - drawing.left - gap * (len(names) - 1)) / len(names), 200.0)
    letters = int(wide / (6.6 if drawing.is_large else 6.2))
    middle = (drawing.top + drawing.floor) / 2
    half = 20.0 if drawing.is_large else 12.0
    for number, name in enumerate(names):
        left = drawing.left + number * (wide + gap)
        drawing.box("ev-box", left, middle - half, left + wide, middle + half)
        short = name if len(name) <= letters else f"{name[: max(letters - 1, 1)]}…"
        drawing.say(short, left + wide / 2, middle + 4, always=True)
        if number:
            drawing.line("ev-ink", (left - gap, middle), (left - 2, middle))
            drawing.line("ev-ink", (left - 7, middle - 4), (left - 2, middle), (left - 7, middle + 4))


_SHAPES: Mapping[str, Callable[[Drawing, Evidence, Evidence | None], None]] = {
    "metres": _metres,
    "levels": _levels,
    "spectrum": _spectrum,
    "thirds": _thirds,
    "grid": _grid,
    "tail": _tail,
    "slope": _slope,
    "flow": _flow,
}
