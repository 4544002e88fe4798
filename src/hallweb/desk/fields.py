"""The fields of an open return: what can be typed, its unit, and the same value in the other unit."""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from hallweb.desk.entry import entry_text, is_percent, unit_of
from hallweb.desk.templatetags.figures import figure
from highhall.plan import Band, Plan, Return, Step
from highhall.plan.kinds import BAND_PARAMETERS, KINDS, LEVEL, PAN, WIDTH, Parameter, ParameterType, Scale
from highhall.plan.model import ParameterValue
from highhall.timing import Milliseconds, NoteValue, Position

BAND_NAMES = {
    "low_cut": "Low cut", "high_cut": "High cut", "bell": "Bell", "low_shelf": "Low shelf",
    "high_shelf": "High shelf", "notch": "Notch",
}  # fmt: skip
_LABELS = {
    "pre_delay": "Pre-delay", "decay_s": "Decay", "low_ratio": "Low decay", "high_ratio": "High decay",
    "size": "Size", "diffusion": "Diffusion", "early_db": "Early", "mod_depth": "Wander", "mod_hz": "Rate",
    "low_hz": "Low below", "high_hz": "High above", "level_db": "Return", "width": "Width", "pan": "Pan",
    "left_db": "Left level", "right_db": "Right level", "wow_hz": "Wow rate", "left_cents": "Left detune",
    "right_cents": "Right detune", "hz": "Frequency", "gain_db": "Gain", "q": "Q", "slope_db_oct": "Slope",
}  # fmt: skip
_UNIT_IN_NAME = re.compile(r"_(ms|db|hz|s|cents)$")
_GROUPS = (
    ("Kind", ("space",)),
    ("Time", ("pre_delay", "decay_s", "low_ratio", "high_ratio")),
    ("Space", ("size", "diffusion", "early_db", "mod_depth")),
)
_BAND_FIELDS = {
    "low_cut": ("hz", "slope_db_oct"), "high_cut": ("hz", "slope_db_oct"), "bell": ("hz", "gain_db", "q"),
    "low_shelf": ("hz", "gain_db", "q"), "high_shelf": ("hz", "gain_db", "q"), "notch": ("hz", "q"),
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One field: `path` names the value for the server, `text` is what it shows and `kept` what holds.

    `hint` is the other unit, `step` what an arrow key changes.
    """

    path: str
    label: str
    text: str
    kept: str = ""
    unit: str = ""
    hint: str = ""
    step: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    error: str = ""
    accepts: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldGroup:
    """Fields under one heading; `remove` names the band that a button takes away."""

    name: str
    fields: list[Field]
    remove: str = ""


def field_groups(plan: Plan, return_: Return, errors: dict[str, tuple[str, str]]) -> Iterator[FieldGroup]:
    """Yield the groups of an open return; `errors` maps a path to the typed text and what is wrong with it."""
    for step in return_.chain:
        if step.kind == "reverb":
            for name, parameters in _GROUPS:
                yield FieldGroup(name=name, fields=[_step_field(plan, step, p, errors) for p in parameters])
        elif step.kind != "tone":
            shown = [p.name for p in KINDS[step.kind].parameters if p.type is not ParameterType.PATH]
            fields = [_step_field(plan, step, name, errors) for name in shown]
            yield FieldGroup(name=step.kind.capitalize(), fields=fields)
        for index, band in enumerate(step.bands):
            fields = [_band_field(step, index, band, name, errors) for name in _BAND_FIELDS[band.shape]]
            yield FieldGroup(name=BAND_NAMES[band.shape], fields=fields, remove=f"{step.id}/{index}")
    level = [
        _field("return/level_db", LEVEL, return_.level_db, errors, step="0.5"),
        _field("return/width", WIDTH, return_.width, errors, step="5"),
        _field("return/pan", PAN, return_.pan, errors, step="5"),
    ]
    outputs = (("main", "Main"), *((group.id, group.name) for group in plan.groups))
    level.append(Field(path="return/output", label="To", text=return_.output, choices=outputs))
    yield FieldGroup(name="Level", fields=level)


def _step_field(plan: Plan, step: Step, name: str, errors: dict[str, tuple[str, str]]) -> Field:
    parameter = KINDS[step.kind].parameter(name)
    path, label = f"step/{step.id}/{name}", label_of(parameter)
    if parameter.type is ParameterType.CHOICE:
        return Field(
            path=path, label=label, text=str(step.value(name)), choices=tuple((c, c) for c in parameter.choices)
        )
    if parameter.type is ParameterType.FLAG:
        return Field(
            path=path, label=label, text="on" if step.value(name) else "off", choices=(("on", "yes"), ("off", "no"))
        )
    value = step.time(name) if parameter.type is ParameterType.TIME else step.value(name)
    hint = _hint(plan, step, name, value)
    return _field(path, parameter, value, errors, hint=hint, step=_arrow(parameter, value))


def label_of(parameter: Parameter) -> str:
    """Return what a parameter is called beside its field."""
    return _LABELS.get(parameter.name) or _UNIT_IN_NAME.sub("", parameter.name).replace("_", " ").capitalize()


def _arrow(parameter: Parameter, value: ParameterValue) -> str:
    """Return what an arrow key adds, in the unit that is shown: a share of the value, rounded, on a logarithmic scale."""
    if parameter.scale is Scale.LOGARITHMIC and isinstance(value, (int, float)):
        return f"{(parameter.step - 1) * value:.1g}"
    return f"{parameter.step * (100 if is_percent(parameter) else 1):g}"


def _hint(plan: Plan, step: Step, name: str, value: ParameterValue) -> str:
    if isinstance(value, (NoteValue, Milliseconds)):
        seconds = plan.song.time.seconds_of(value, Position(1))
        return f"{seconds * 1000:.1f} ms" if isinstance(value, NoteValue) else _beats(plan, seconds)
    if name == "decay_s":
        return _beats(plan, step.number(name))
    if name == "low_ratio":
        return f"below {step.number('low_hz'):.0f} Hz"
    if name == "high_ratio":
        return f"above {step.number('high_hz') / 1000:g} kHz"
    if name == "early_db":
        return "against the tail"
    return ""


def beat_seconds(plan: Plan) -> float:
    """Return how long the tempo's own beat lasts at the song's start."""
    return 60 / plan.song.tempos[0].bpm


def _beats(plan: Plan, seconds: float) -> str:
    return f"{figure(seconds / beat_seconds(plan), 2)} beats"


def _band_field(step: Step, index: int, band: Band, name: str, errors: dict[str, tuple[str, str]]) -> Field:
    parameter = next(p for p in BAND_PARAMETERS if p.name == name)
    path = f"band/{step.id}/{index}/{name}"
    if name == "slope_db_oct":
        choices = tuple((str(s), f"{s} dB/oct") for s in (6, 12, 18, 24))
        return Field(path=path, label=_LABELS[name], text=str(band.slope_db_oct), choices=choices)
    value = getattr(band, name)
    return _field(path, parameter, value, errors, step=_arrow(parameter, value))


def _field(
    path: str,
    parameter: Parameter,
    value: ParameterValue,
    errors: dict[str, tuple[str, str]],
    *,
    hint: str = "",
    step: str,
) -> Field:
    typed, error = errors.get(path, ("", ""))
    ratio = parameter.name.endswith("_ratio") or parameter.name == "size"
    return Field(
        path=path,
        label=label_of(parameter),
        text=typed if error else entry_text(parameter, value),
        kept=entry_text(parameter, value),
        unit="\N{MULTIPLICATION SIGN}" if ratio else unit_of(parameter),
        hint=hint,
        step=step,
        error=error,
        accepts=parameter.allowed,
    )
