"""Objects of a plan's JSON, described by the dataclasses that they are read into.

Every field of such a dataclass is annotated with a codec or a row of the table of kinds, and perhaps with `Member`:

    level_db: Annotated[float | None, LEVEL] = LEVEL.default
    source: Annotated[str, REFERENCE, Member(key="from")]

A field without a default is required in JSON, too. So what a plan is stands in its dataclasses alone: reading, writing,
the schema and comparisons follow from them.
"""

from collections.abc import Mapping
from dataclasses import MISSING, dataclass, fields
from functools import cache
from typing import Any, Generic, TypeVar, get_type_hints

from highhall.plan.filter import Filter
from highhall.plan.json.codecs import (
    FLAG,
    PATH,
    REFERENCE,
    Codec,
    Described,
    ListOf,
    Nullable,
    Schema,
    choice,
    number,
    rated,
    timed,
    whole_number,
)
from highhall.plan.json.reader import Node
from highhall.plan.kinds import MAXIMUM_FILTERS, Parameter
from highhall.wording import Form

R = TypeVar("R")


@dataclass(frozen=True, slots=True, kw_only=True)
class Member:
    """What a field is beside its codec.

    key: its name in JSON, if that is another. label: what people call it, if it has no row in the table.
    same_as: the field whose value it has where it is not written.
    """

    key: str = ""
    label: str = ""
    same_as: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One field of a dataclass that stands in a plan's JSON."""

    name: str
    key: str
    label: str
    codec: Codec[Any]
    default: Any
    same_as: str
    parameter: Parameter | None

    @property
    def is_required(self) -> bool:
        """Whether it has to be written."""
        return self.default is MISSING and not self.same_as

    @property
    def may_be_null(self) -> bool:
        """Whether null is one of its values; else what is None is not written."""
        return isinstance(self.codec, Nullable) or (self.parameter is not None and self.parameter.may_be_null)


_known: dict[type[Any], tuple[Field, ...]] = {}


def fields_of(cls: type[Any]) -> tuple[Field, ...]:
    """Return the fields of a dataclass that stand in a plan's JSON, in its order."""
    if cls not in _known:
        hints = get_type_hints(cls, include_extras=True)
        _known[cls] = tuple(_field(each.name, each.default, hints[each.name].__metadata__) for each in fields(cls))
    return _known[cls]


def _field(name: str, default: Any, notes: tuple[Any, ...]) -> Field:  # noqa: ANN401 - a field's default
    member = next((note for note in notes if isinstance(note, Member)), Member())
    parameter = next((note for note in notes if isinstance(note, Parameter)), None)
    return Field(
        name=name,
        key=member.key or name,
        label=parameter.label if parameter else member.label or name.replace("_", " ").capitalize(),
        codec=codec_of(parameter) if parameter else notes[0],
        default=default,
        same_as=member.same_as,
        parameter=parameter,
    )


class Record(Generic[R]):
    """The codec of a dataclass.

    Parameters
    ----------
    codecs: by field, for a dataclass whose fields are not annotated with theirs.
    header: codecs of members that stand before the fields and hold one value each, by key.
    """

    def __init__(
        self,
        cls: type[R],
        *,
        codecs: Mapping[str, Codec[Any]] | None = None,
        header: Mapping[str, tuple[Codec[Any], Any]] | None = None,
    ) -> None:
        self._cls = cls
        self._header = header or {}
        self._fields = fields_of(cls) if codecs is None else tuple(_field(k, MISSING, (v,)) for k, v in codecs.items())
        required = [field.key for field in self._fields if field.is_required]
        self._required = [*self._header, *required]
        self._optional = [field.key for field in self._fields if not field.is_required]

    def read(self, node: Node) -> R:
        """Return the object; unknown keys and missing ones are noted in the node."""
        found = node.fields(self._required, self._optional)
        for key, (codec, _) in self._header.items():
            if key in found:
                codec.read(found[key])
        values: dict[str, Any] = {}
        for field in self._fields:
            if field.key in found:
                values[field.name] = field.codec.read(found[field.key])
            elif field.same_as:
                values[field.name] = values[field.same_as]
            elif field.is_required:
                values[field.name] = field.codec.read(node.apart())
        return self._cls(**values)

    def write(self, value: R) -> Any:  # noqa: ANN401 - JSON is any value
        """Return the object as JSON; what has no value and need not be written is left out."""
        written = {key: constant for key, (_, constant) in self._header.items()}
        for field in self._fields:
            each = getattr(value, field.name)
            if each is not None or field.may_be_null or field.is_required:
                written[field.key] = field.codec.write(each)
        return written

    @property
    def schema(self) -> Schema:
        """The JSON Schema of the object."""
        properties = {key: codec.schema for key, (codec, _) in self._header.items()}
        return object_schema({**properties, **{f.key: f.codec.schema for f in self._fields}}, self._required)


def object_schema(properties: Schema, required: list[str]) -> Schema:
    """Return the schema of an object that has these members and no others."""
    return {"type": "object", "additionalProperties": False, "required": required, "properties": properties}


@cache
def codec_of(parameter: Parameter) -> Codec[Any]:
    """Return the codec of a row of the table."""
    codec = _codec_of(parameter)
    more: dict[str, Any] = {"description": f"{parameter.meaning}; {parameter.allowed}"}
    if parameter.advice:
        more["$comment"] = parameter.advice
    if parameter.default is not None:
        more["default"] = codec.write(parameter.default)
    return Described(Nullable(codec) if parameter.may_be_null else codec, more)


def _codec_of(parameter: Parameter) -> Codec[Any]:
    low, high, allowed = parameter.low, parameter.high, parameter.allowed
    match parameter.form:
        case Form.CHOICE:
            return choice(*map(str, parameter.choices))
        case Form.FLAG:
            return FLAG
        case Form.TIME:
            return timed(low, high, allowed)
        case Form.RATE:
            return rated(low, high, allowed)
        case Form.PATH:
            return PATH
        case Form.ID:
            return REFERENCE
        case Form.LIST:
            return ListOf(Record(Filter), high=MAXIMUM_FILTERS)
        case Form.WHOLE_NUMBER:
            choices = [int(each) for each in parameter.choices] or range(int(low), int(high) + 1)
            return whole_number(choices, allowed)
        case Form.NUMBER:
            return number(low, high, allowed)
