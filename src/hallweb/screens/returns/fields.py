"""The fields of an open return: what can be typed, its unit, and the same value in the other unit."""

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from hallweb.screens.returns.time_axis import TimeAxis
from highhall.effects.feedback_line import repeats_until
from highhall.plan import MAIN, Effect, Filter, Group, Plan, Return
from highhall.plan.kinds import FILTER_PARAMETERS, LEVEL, PAN, SHAPES, WIDTH, Parameter, Scale
from highhall.plan.model import ParameterValue
from highhall.timing import Milliseconds, NoteValue
from highhall.wording import Form, figure

LEVEL_PANEL, FILTERS_PANEL = "level", "filters"
_ROW_PX, _FIELD_PX, _GAP_PX = 1172, 86, 16

REPEATS_DB = -30.0
"""Repeats are counted down to here."""

_NAMED = re.compile(r"{(\w+)}")


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
    is_long: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldGroup:
    """Fields under one heading; `sided` is the effect with two sides.

    remove: the filter that a button takes away; switch: the path of its switch; is_on: whether it acts. is_linkable: whether its two times can be set as one, and is_linked: whether they are.
    """

    name: str
    fields: list[Field]
    remove: str = ""
    switch: str = ""
    is_on: bool = True
    sided: str = ""
    is_linkable: bool = False
    is_linked: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldContext:
    """What fields are drawn with: the time they are told against, what there is to choose, and what was refused.

    choices: by the form of a value, those that depend on the song. errors: by path, the typed text and what is wrong with
    it. linked: whether the two times of an echo are set as one; None if they are when they are equal.
    """

    plan: Plan
    axis: TimeAxis
    choices: Mapping[Form, Sequence[tuple[str, str]]] = field(default_factory=dict)
    errors: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    linked: bool | None = None


def field_groups(return_: Return, context: FieldContext) -> Iterator[FieldGroup]:
    """Yield the groups of an open return."""
    for effect in return_.chain:
        yield from _effect_groups(effect, context)
        paths = ((f"filter/{effect.id}/{index}", filter_) for index, filter_ in enumerate(effect.filters))
        yield from (filter_group(path, filter_, context.errors) for path, filter_ in paths)
    errors = context.errors
    faders = (("level_db", LEVEL, "level"), ("width", WIDTH, ""), ("pan", PAN, "pan"))
    level = [
        _field(f"return/{name}", parameter, getattr(return_, name), errors, drag=drag)
        for name, parameter, drag in faders
    ]
    outputs = ((MAIN, "Main"), *((group.id, group.name) for group in context.plan.groups))
    level.append(Field(path="return/output", label="Output", text=return_.output, choices=outputs))
    heading, error = errors.get("return/heading", (return_.heading or "", ""))
    level.append(
        Field(path="return/heading", label="Heading over it", text=heading, kept=return_.heading or "", error=error,
              accepts="a name for this return and those after it; empty for none", is_long=True)
    )  # fmt: skip
    yield FieldGroup(name="Level", fields=level)


def typed_fields(groups: Iterable[FieldGroup]) -> list[Field]:
    """Return the fields into which something is typed, of all groups."""
    return [each for group in groups for each in group.fields if not each.choices]


@dataclass(frozen=True, slots=True)
class Panel:
    """Groups of fields that are shown together in one row; `key` tells it from the other panels of a return."""

    key: str
    name: str
    groups: list[FieldGroup]


def panels(return_: Return, context: FieldContext) -> list[Panel]:
    """Return the fields of an open return as panels: effects by the row, then filters, then the fader."""
    *groups, level = field_groups(return_, context)
    rows: list[list[FieldGroup]] = []
    for group in (each for each in groups if not each.remove):
        if not rows or _width_px([*rows[-1], group]) > _ROW_PX:
            rows.append([])
        rows[-1].append(group)
    made = [Panel(f"effects-{index}", _joined(row), row) for index, row in enumerate(rows)]
    filters = [each for each in groups if each.remove]
    return [*made, Panel(FILTERS_PANEL, "Filters", filters), Panel(LEVEL_PANEL, level.name, [level])]


def _width_px(groups: Sequence[FieldGroup]) -> int:
    return sum(len(group.fields) * _FIELD_PX + _GAP_PX for group in groups) - _GAP_PX


def _joined(groups: Sequence[FieldGroup]) -> str:
    first, *others = [group.name for group in groups]
    return ", ".join([first, *(name[:1].lower() + name[1:] for name in others)])


def _effect_groups(effect: Effect, context: FieldContext) -> Iterator[FieldGroup]:
    """Yield the fields of an effect under the headings that the table gives them; filters have groups of their own."""
    headings: dict[str, list[Field]] = {}
    for parameter in effect.table.parameters:
        if parameter is effect.table.filters:
            continue
        fields = headings.setdefault(parameter.heading or effect.table.label, [])
        fields.append(_effect_field(effect, parameter, context))
        if parameter is repeating(effect):
            fields.append(_repeats_field(effect, context))
    sided = [parameter for parameter in effect.table.parameters if parameter.mirror]
    times = [effect.time(parameter.name) for parameter in sided if parameter.form is Form.TIME]
    is_linked = len(set(times)) == 1 if context.linked is None else context.linked
    for name, fields in headings.items():
        yield FieldGroup(
            name=name,
            fields=fields,
            sided=effect.id if sided else "",
            is_linkable=bool(times),
            is_linked=bool(times) and is_linked,
        )


def repeating(effect: Effect) -> Parameter | None:
    """Return the parameter that makes an echo repeat, which can be told as a number of repeats too."""
    return effect.table.by_name.get("feedback") if effect.kind == "echo" else None


def _repeats_field(effect: Effect, context: FieldContext) -> Field:
    count = str(repeats_until(effect.number("feedback"), REPEATS_DB))
    path = f"effect/{effect.id}/repeats"
    typed, error = context.errors.get(path, ("", ""))
    return Field(
        path=path, label="Repeats", text=typed if error else count, kept=count, hint=f"over {figure(REPEATS_DB, 0)} dB",
        step="1", error=error, accepts="a whole number from 1 to 171", initial="1",
    )  # fmt: skip


def filter_group(path: str, filter_: Filter, errors: Mapping[str, tuple[str, str]]) -> FieldGroup:
    """Return the fields of one filter, whose values' paths begin with `path`."""
    shape = SHAPES[filter_.shape]
    starts_at = {"hz": shape.starts_at_hz}
    fields = [
        _field(
            f"{path}/{name}",
            FILTER_PARAMETERS[name],
            getattr(filter_, name),
            errors,
            initial=starts_at.get(name, FILTER_PARAMETERS[name].default),
        )
        for name in ("hz", *shape.values)
    ]
    return FieldGroup(
        name=shape.label,
        fields=fields,
        remove=path.removeprefix("filter/"),
        switch=f"{path}/on",
        is_on=filter_.on,
    )


def group_level(group: Group, errors: Mapping[str, tuple[str, str]]) -> FieldGroup:
    """Return the fader of a group of tracks and returns."""
    return FieldGroup(name="Level", fields=[_field("group/level_db", LEVEL, group.level_db, errors)])


def _effect_field(effect: Effect, parameter: Parameter, context: FieldContext) -> Field:
    path = f"effect/{effect.id}/{parameter.name}"
    value = effect.value(parameter.name)
    initial = parameter.starts_at if parameter.is_required else effect.default(parameter.name)
    hint = _hint(context.axis, effect, parameter, value)
    choices = context.choices.get(parameter.form, ())
    return _field(path, parameter, value, context.errors, hint=hint, initial=initial, choices=choices)


def _arrow(parameter: Parameter, value: ParameterValue) -> str:
    """Return what an arrow key adds, in the unit that is shown: a share of the value, rounded, on a logarithmic scale."""
    if parameter.scale is Scale.LOGARITHMIC and isinstance(value, (int, float)):
        return f"{(parameter.step - 1) * value:.1g}"
    return f"{parameter.step * parameter.unit.factor:g}"


def _hint(axis: TimeAxis, effect: Effect, parameter: Parameter, value: ParameterValue) -> str:
    if isinstance(value, (NoteValue, Milliseconds)):
        seconds = axis.song.time.seconds_of(value, axis.at)
        return f"{seconds * 1000:.1f} ms" if isinstance(value, NoteValue) else axis.beats_of(seconds)

    def told(match: re.Match[str]) -> str:
        return axis.beats_of(effect.number(parameter.name)) if match[1] == "beats" else effect.words(match[1])

    return _NAMED.sub(told, parameter.hint)


def _field(
    path: str,
    parameter: Parameter,
    value: ParameterValue,
    errors: Mapping[str, tuple[str, str]],
    *,
    hint: str = "",
    initial: ParameterValue = None,
    drag: str = "",
    choices: Sequence[tuple[str, str]] = (),
) -> Field:
    typed, error = errors.get(path, ("", ""))
    kept = parameter.figure(value)
    if parameter.is_chosen:
        listed = choices or _choices(parameter) or [(kept, parameter.words(value))]
        return Field(path=path, label=parameter.label, text=kept, choices=listed, hint=hint, error=error)
    return Field(
        path=path,
        label=parameter.label,
        text=typed if error else kept,
        kept=kept,
        unit=parameter.symbol,
        hint=hint,
        step=_arrow(parameter, value),
        initial=parameter.figure(parameter.default if initial is None else initial),
        error=error,
        accepts=parameter.accepted,
        drag=drag,
    )


def _choices(parameter: Parameter) -> Sequence[tuple[str, str]]:
    """Return the choices that a parameter has in every song, as (text, words)."""
    if parameter.form is Form.FLAG:
        return (("on", "yes"), ("off", "no"))
    return [(parameter.figure(each), parameter.words(each)) for each in parameter.choices]
