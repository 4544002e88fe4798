"""The fields of an open return: what can be typed, its unit, and the same value in the other unit."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from hallweb.desk.entry import entry_text, is_percent, unit_of
from hallweb.desk.templatetags.figures import figure
from hallweb.desk.time_axis import TimeAxis
from highhall.effects.feedback_line import repeats_until
from highhall.plan import MAIN, Band, Plan, Return, Step
from highhall.plan.kinds import BAND_PARAMETERS, KINDS, LEVEL, PAN, WIDTH, Parameter, ParameterType, Scale
from highhall.plan.model import ParameterValue
from highhall.timing import Milliseconds, NoteValue

BAND_NAMES = {
    "low_cut": "Low cut", "high_cut": "High cut", "bell": "Bell", "low_shelf": "Low shelf",
    "high_shelf": "High shelf", "notch": "Notch",
}  # fmt: skip
NEW_BANDS = {
    "low_cut": 200.0, "high_cut": 8000.0, "bell": 1000.0, "low_shelf": 250.0, "high_shelf": 4000.0, "notch": 1000.0,
}  # fmt: skip
"""Where a band stands when it is added."""

REPEATS_DB = -30.0
"""Repeats are counted down to here."""

_FIRST: Mapping[str, ParameterValue] = {"decay_s": 1.5, "left": NoteValue(1, 8), "right": NoteValue(1, 8)}
"""What required values are reset to."""

_LABELS = {
    "pre_delay": "Pre-delay", "decay_s": "Decay", "low_ratio": "Low decay", "high_ratio": "High decay",
    "size": "Size", "diffusion": "Diffusion", "early_db": "Early", "mod_depth": "Wander", "mod_hz": "Rate",
    "low_hz": "Low below", "high_hz": "High above", "level_db": "Return", "width": "Width", "pan": "Pan",
    "left_db": "Left level", "right_db": "Right level", "wow_hz": "Wow rate", "left_cents": "Left detune",
    "right_cents": "Right detune", "ir": "Response", "key": "Key", "repeats": "Repeats", "hz": "Frequency", "gain_db": "Gain", "q": "Q", "slope_db_oct": "Slope",
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

    `hint` is the other unit, `step` what an arrow key changes, `initial` what it is reset to. `drag`: the `level` or `pan`
    that is heard as it is dragged.
    """

    path: str
    label: str
    text: str
    kept: str = ""
    unit: str = ""
    hint: str = ""
    step: str = ""
    choices: Sequence[tuple[str, str]] = ()
    initial: str = ""
    error: str = ""
    accepts: str = ""
    drag: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldGroup:
    """Fields under one heading; `remove` names the band that a button takes away, `sided` the step with two sides."""

    name: str
    fields: list[Field]
    remove: str = ""
    sided: str = ""
    is_linked: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldContext:
    """What fields are drawn with: the time they are told against, what there is to choose, and what was refused.

    choices: by parameter, those that depend on the song. errors: by path, the typed text and what is wrong with it.
    linked: whether the two times of an echo are set as one; None if they are when they are equal.
    """

    plan: Plan
    axis: TimeAxis
    choices: Mapping[str, Sequence[tuple[str, str]]] = field(default_factory=dict)
    errors: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    linked: bool | None = None


def field_groups(return_: Return, context: FieldContext) -> Iterator[FieldGroup]:
    """Yield the groups of an open return."""
    for step in return_.chain:
        if step.kind == "reverb":
            for name, parameters in _GROUPS:
                yield FieldGroup(name=name, fields=[_step_field(step, p, context) for p in parameters])
        elif step.kind != "tone":
            yield _step_group(step, context)
        paths = ((f"band/{step.id}/{index}", band) for index, band in enumerate(step.bands))
        yield from (band_group(path, band, context.errors) for path, band in paths)
    errors = context.errors
    level = [
        _field("return/level_db", LEVEL, return_.level_db, errors, step="0.5", drag="level"),
        _field("return/width", WIDTH, return_.width, errors, step="5"),
        _field("return/pan", PAN, return_.pan, errors, step="5", drag="pan"),
    ]
    outputs = ((MAIN, "Main"), *((group.id, group.name) for group in context.plan.groups))
    level.append(Field(path="return/output", label="To", text=return_.output, choices=outputs))
    yield FieldGroup(name="Level", fields=level)


def _step_group(step: Step, context: FieldContext) -> FieldGroup:
    fields = [_step_field(step, p.name, context) for p in KINDS[step.kind].parameters]
    if step.kind == "echo":
        place = next(i for i, each in enumerate(fields) if each.path.endswith("/feedback")) + 1
        count = str(repeats_until(step.number("feedback"), REPEATS_DB))
        fields.insert(place, _repeats_field(step, count, context))
    sided = step.id if any(p.name == "left_ms" or p.name == "left" for p in KINDS[step.kind].parameters) else ""
    is_linked = step.kind == "echo" and (
        step.time("left") == step.time("right") if context.linked is None else context.linked
    )
    return FieldGroup(name=step.kind.capitalize(), fields=fields, sided=sided, is_linked=is_linked)


def _repeats_field(step: Step, count: str, context: FieldContext) -> Field:
    path = f"step/{step.id}/repeats"
    typed, error = context.errors.get(path, ("", ""))
    return Field(
        path=path, label="Repeats", text=typed if error else count, kept=count, hint=f"over {figure(REPEATS_DB, 0)} dB",
        step="1", error=error, accepts="a whole number from 1 to 171", initial="1",
    )  # fmt: skip


def band_group(path: str, band: Band, errors: Mapping[str, tuple[str, str]]) -> FieldGroup:
    """Return the fields of one filter band, whose values' paths begin with `path`."""
    fields = [_band_field(path, band, name, errors) for name in _BAND_FIELDS[band.shape]]
    return FieldGroup(name=BAND_NAMES[band.shape], fields=fields, remove=path.removeprefix("band/"))


def _step_field(step: Step, name: str, context: FieldContext) -> Field:
    parameter = KINDS[step.kind].parameter(name)
    path, label = f"step/{step.id}/{name}", label_of(parameter)
    if parameter.type in {ParameterType.CHOICE, ParameterType.PATH}:
        own = [(str(step.value(name)), str(step.value(name)))]
        choices = (
            context.choices.get(name, own)
            if parameter.type is ParameterType.PATH
            else [(c, c) for c in parameter.choices]
        )
        return Field(path=path, label=label, text=str(step.value(name)), choices=choices)
    if parameter.type is ParameterType.FLAG:
        return Field(
            path=path, label=label, text="on" if step.value(name) else "off", choices=(("on", "yes"), ("off", "no"))
        )
    value = step.time(name) if parameter.type is ParameterType.TIME else step.value(name)
    hint = _hint(context.axis, step, name, value)
    initial = entry_text(parameter, _initial(step, parameter))
    return _field(path, parameter, value, context.errors, hint=hint, step=_arrow(parameter, value), initial=initial)


def _initial(step: Step, parameter: Parameter) -> ParameterValue:
    """Return what a value is before anybody sets it."""
    if parameter.name in _FIRST:
        return _FIRST[parameter.name]
    bare = replace(step, params={name: v for name, v in step.params.items() if name != parameter.name})
    return bare.time(parameter.name) if parameter.type is ParameterType.TIME else bare.value(parameter.name)


def label_of(parameter: Parameter) -> str:
    """Return what a parameter is called beside its field."""
    return _LABELS.get(parameter.name) or _UNIT_IN_NAME.sub("", parameter.name).replace("_", " ").capitalize()


def _arrow(parameter: Parameter, value: ParameterValue) -> str:
    """Return what an arrow key adds, in the unit that is shown: a share of the value, rounded, on a logarithmic scale."""
    if parameter.scale is Scale.LOGARITHMIC and isinstance(value, (int, float)):
        return f"{(parameter.step - 1) * value:.1g}"
    return f"{parameter.step * (100 if is_percent(parameter) else 1):g}"


def _hint(axis: TimeAxis, step: Step, name: str, value: ParameterValue) -> str:
    if isinstance(value, (NoteValue, Milliseconds)):
        seconds = axis.song.time.seconds_of(value, axis.at)
        return f"{seconds * 1000:.1f} ms" if isinstance(value, NoteValue) else axis.beats_of(seconds)
    if name == "decay_s":
        return axis.beats_of(step.number(name))
    if name == "low_ratio":
        return f"below {step.number('low_hz'):.0f} Hz"
    if name == "high_ratio":
        return f"above {step.number('high_hz') / 1000:g} kHz"
    if name == "early_db":
        return "against the tail"
    return ""


def _band_field(path: str, band: Band, name: str, errors: Mapping[str, tuple[str, str]]) -> Field:
    parameter = next(p for p in BAND_PARAMETERS if p.name == name)
    path = f"{path}/{name}"
    if name == "slope_db_oct":
        choices = tuple((str(s), f"{s} dB/oct") for s in (6, 12, 18, 24))
        return Field(path=path, label=_LABELS[name], text=str(band.slope_db_oct), choices=choices)
    value = getattr(band, name)
    first = NEW_BANDS[band.shape] if name == "hz" else parameter.default
    initial = entry_text(parameter, first)
    return _field(path, parameter, value, errors, step=_arrow(parameter, value), initial=initial)


def _field(
    path: str,
    parameter: Parameter,
    value: ParameterValue,
    errors: Mapping[str, tuple[str, str]],
    *,
    hint: str = "",
    step: str,
    initial: str | None = None,
    drag: str = "",
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
        initial=entry_text(parameter, parameter.default) if initial is None else initial,
        error=error,
        accepts=parameter.allowed,
        drag=drag,
    )
