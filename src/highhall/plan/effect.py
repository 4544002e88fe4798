"""One effect of a return's chain."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from highhall.plan.filter import Filter
from highhall.plan.kinds import KINDS, Kind
from highhall.timing import Milliseconds, NoteValue, TimeValue

ParameterValue = float | str | bool | None | TimeValue | tuple[Filter, ...]
Params = Mapping[str, ParameterValue]


@dataclass(frozen=True, slots=True, kw_only=True)
class Effect:
    """One effect of a chain. `params` holds what was given; `value` fills in the defaults."""

    id: str
    kind: str
    on: bool = True
    params: Params = field(default_factory=lambda: MappingProxyType({}))

    @property
    def table(self) -> Kind:
        """What the table of kinds says of it."""
        return KINDS[self.kind]

    def value(self, name: str) -> ParameterValue:
        """Return a parameter's value or its default; KeyError for a name the kind does not have."""
        if name in self.params:
            return self.params[name]
        return self.default(name)

    def default(self, name: str) -> ParameterValue:
        """Return what a parameter is where nothing is given; KeyError for a name the kind does not have."""
        parameter = self.table.parameter(name)
        if parameter.default_by is not None:
            chooser, defaults = parameter.default_by
            return defaults[str(self.value(chooser))]
        value: ParameterValue = parameter.default
        return value

    @property
    def values(self) -> Params:
        """All that can be said of it, defaults too, by name."""
        return {parameter.name: self.value(parameter.name) for parameter in self.table.parameters}

    def number(self, name: str) -> float:
        """Return a numeric parameter as a float."""
        value = self.value(name)
        if not isinstance(value, (int, float)):
            raise TypeError(f"{self.kind} parameter {name} is not a number: {value!r}")
        return float(value)

    def time(self, name: str) -> TimeValue:
        """Return a time parameter."""
        value = self.value(name)
        if not isinstance(value, (NoteValue, Milliseconds)):
            raise TypeError(f"{self.kind} parameter {name} is not a time value: {value!r}")
        return value

    def words(self, name: str) -> str:
        """Return a parameter in words, with its unit."""
        return self.table.parameter(name).words(self.value(name))

    @property
    def summary(self) -> str:
        """What it does, in one line."""
        words = {name: self.words(name) for name in self.table.by_name}
        sides = [words[parameter.name] for parameter in self.table.parameters if parameter.mirror][:2]
        words["sides"] = ", ".join(dict.fromkeys(sides))
        return self.table.summary.format_map(words) or self.table.label.lower()

    @property
    def style(self) -> str:
        """How a return of it is told apart in pictures."""
        if self.table.style_by is None:
            return self.table.style
        chooser, styles = self.table.style_by
        return styles[str(self.value(chooser))]

    @property
    def is_linear(self) -> bool:
        """Whether what it makes of a sum is the sum of what it makes of the parts; an echo that is driven is not."""
        return self.table.is_linear and not (self.table.has("drive") and bool(self.value("drive")))

    @property
    def filters(self) -> tuple[Filter, ...]:
        """The filters of a tone effect; none for other kinds."""
        parameter = self.table.filters
        filters = self.params.get(parameter.name, ()) if parameter else ()
        return filters if isinstance(filters, tuple) else ()

    @property
    def source(self) -> str | None:
        """The id of the track or group that it listens to, if its kind does."""
        parameter = self.table.source
        return str(self.value(parameter.name)) if parameter else None

    @property
    def response(self) -> str | None:
        """The path of its impulse response, if its kind has one."""
        parameter = self.table.response
        return str(self.value(parameter.name)) if parameter else None
