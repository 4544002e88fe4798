"""Two versions beside each other: what differs, in words and figures."""

from dataclasses import dataclass

from hallweb.desk.entry import entry_text, unit_of
from hallweb.desk.fields import BAND_NAMES, label_of
from hallweb.desk.templatetags.figures import figure
from highhall.plan import Band, Plan
from highhall.plan.differences import Difference, Value, differences
from highhall.plan.kinds import Parameter, ParameterType

_WORDS = {
    "level_db": "Level", "tap": "Tap", "start_s": "Start", "output": "Goes to", "group": "Group", "chain": "Chain",
    "send": "Send", "return": "Return", "track": "Track", "tone": "Tone", "name": "Name", "stem": "Stem",
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class DifferenceRow:
    """One difference as it stands on the screen; `by` is how far two figures of one unit lie apart."""

    key: str
    place: str
    what: str
    section: str
    before: str
    after: str
    by: str

    @property
    def sentence(self) -> str:
        """What taking it over does, for the history and for screen readers."""
        return f"{self.what} of {self.place}{f' in {self.section}' if self.section else ''}"


def difference_rows(plan: Plan, other: Plan) -> list[DifferenceRow]:
    """Return in what another plan differs from a plan, as rows."""
    return [_row(difference) for difference in differences(plan, other)]


def _row(difference: Difference) -> DifferenceRow:
    parameter = difference.parameter
    return DifferenceRow(
        key=difference.key,
        place=difference.place,
        what=_what(difference.what, parameter),
        section=difference.section,
        before=_text(parameter, difference.before),
        after=_text(parameter, difference.after),
        by=_distance(parameter, difference.before, difference.after),
    )


def _what(what: str, parameter: Parameter | None) -> str:
    if what in _WORDS:
        return _WORDS[what]
    if parameter is not None and what == parameter.name:
        return label_of(parameter)
    layer, of, name = what.partition(" of ")
    return f"{layer.capitalize()}{of}{_WORDS.get(name, name.replace('_', ' ')).lower()}"


def _text(parameter: Parameter | None, value: Value) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, tuple):
        return ", ".join(_band_text(band) for band in value) or "no filter"
    if parameter is None or isinstance(value, str):
        return str(value)
    if value is None and parameter.unit != "dB":
        return "off"
    return f"{entry_text(parameter, value)} {unit_of(parameter)}".strip()


def _band_text(band: Band) -> str:
    hz = f"{band.hz / 1000:g} kHz" if band.hz >= 1000 else f"{band.hz:g} Hz"
    gain = f" {figure(band.gain_db)} dB" if band.gain_db else ""
    return f"{BAND_NAMES[band.shape].lower()} {hz}{gain}{'' if band.on else ' (off)'}"


def _distance(parameter: Parameter | None, before: Value, after: Value) -> str:
    numbers = [v for v in (before, after) if isinstance(v, (int, float)) and not isinstance(v, bool)]
    if parameter is None or parameter.type is ParameterType.FLAG or len(numbers) < 2 or parameter.unit != "dB":
        return ""
    by = numbers[1] - numbers[0]
    return f"{'+' if by > 0 else ''}{figure(by)} dB"
