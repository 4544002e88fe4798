"""How single values stand in a plan's JSON: each codec reads a value, writes it, and describes it as JSON Schema.

A codec reads from a `Node`, which notes what is wrong; what it returns then is harmless and is thrown away with the plan.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any, Generic, Protocol, TypeVar

from highhall.plan.json.reader import Node
from highhall.timing import Milliseconds, NoteValue, Position, TimeValue, parse_time_value

Schema = dict[str, Any]
T = TypeVar("T")
_Co = TypeVar("_Co", covariant=True)

FIRST = Position(1)
NO_TIME: TimeValue = Milliseconds(0.0)
_ID_PATTERN = re.compile(r"[a-z0-9-]{1,64}")
_NOTE_PATTERN = r"[1-9][0-9]?/(1|2|4|8|16|32|64|128)[.T]?"

DEFINITIONS: Schema = {
    "id": {"type": "string", "pattern": "^[a-z0-9-]{1,64}$"},
    "position": {"type": "string", "pattern": r"^[0-9]{1,6}\|[0-9]{1,3}(\.[0-9]{1,12}|\+[0-9]{1,6}/[1-9][0-9]{0,5})?$"},
    "note": {"type": "string", "pattern": f"^{_NOTE_PATTERN}$"},
    "time": {"type": "string", "pattern": f"^({_NOTE_PATTERN}|([0-9]+(\\.[0-9]*)?|\\.[0-9]+) ?ms)$"},
    "path": {"type": "string", "minLength": 1, "maxLength": 1024, "not": {"pattern": r"^/|(^|/)\.\.(/|$)|\\"}},
    "value": {"type": ["number", "boolean", "string", "null"]},
}  # fmt: skip
"""What schemas of codecs refer to."""


class Codec(Protocol[_Co]):
    """One kind of value in a plan's JSON."""

    def read(self, node: Node) -> _Co:
        """Return the value; a fault is noted in the node."""

    def write(self, value: Any) -> Any:  # noqa: ANN401 - JSON is any value
        """Return the value as JSON."""

    @property
    def schema(self) -> Schema:
        """The JSON Schema of the value."""


def as_it_is(value: Any) -> Any:  # noqa: ANN401 - JSON is any value
    """Return a value that JSON writes as it is."""
    return value


@dataclass(frozen=True, slots=True)
class Plain(Generic[T]):
    """A value that a function reads and another writes."""

    reads: Callable[[Node], T]
    schema: Schema
    writes: Callable[[Any], Any] = as_it_is

    def read(self, node: Node) -> T:
        """See `Codec`."""
        return self.reads(node)

    def write(self, value: Any) -> Any:  # noqa: ANN401 - JSON is any value
        """See `Codec`."""
        return self.writes(value)


@dataclass(frozen=True, slots=True)
class Nullable(Generic[T]):
    """A value or null."""

    codec: Codec[T]

    def read(self, node: Node) -> T | None:
        """See `Codec`."""
        return None if node.value is None else self.codec.read(node)

    def write(self, value: T | None) -> Any:  # noqa: ANN401 - JSON is any value
        """See `Codec`."""
        return None if value is None else self.codec.write(value)

    @property
    def schema(self) -> Schema:
        """See `Codec`."""
        inner = self.codec.schema
        if isinstance(inner.get("type"), str):
            return {**inner, "type": [inner["type"], "null"]}
        return {"anyOf": [inner, {"type": "null"}]}


_FARTHEST = 1e9  # what a value may be is said by its parameter
MOST_ITEMS = 20_000
"""How many values a list has at most, if it does not say another limit: more than any song needs, less than hurts."""


@dataclass(frozen=True, slots=True)
class ListOf(Generic[T]):
    """A list of `low` to `high` values."""

    codec: Codec[T]
    low: int = 0
    high: int | None = MOST_ITEMS

    def read(self, node: Node) -> tuple[T, ...]:
        """See `Codec`."""
        return tuple(map(self.codec.read, node.items(self.low, self.high)))

    def write(self, value: Sequence[T]) -> Any:  # noqa: ANN401 - JSON is any value
        """See `Codec`."""
        return [self.codec.write(each) for each in value]

    @property
    def schema(self) -> Schema:
        """See `Codec`."""
        limits = {"minItems": self.low} if self.low else {}
        if self.high is not None:
            limits["maxItems"] = self.high
        return {"type": "array", "items": self.codec.schema, **limits}


@dataclass(frozen=True, slots=True)
class Described(Generic[T]):
    """A value with more to its schema."""

    codec: Codec[T]
    more: Mapping[str, Any]

    def read(self, node: Node) -> T:
        """See `Codec`."""
        return self.codec.read(node)

    def write(self, value: Any) -> Any:  # noqa: ANN401 - JSON is any value
        """See `Codec`."""
        return self.codec.write(value)

    @property
    def schema(self) -> Schema:
        """See `Codec`."""
        return {**self.more, **self.codec.schema}


def ref(name: str) -> Schema:
    """Return a reference to one of the definitions."""
    return {"$ref": f"#/$defs/{name}"}


def number(low: float, high: float, allowed: str | None = None) -> Codec[float]:
    """Return the codec of a number from `low` to `high`; `allowed` says so in words."""
    schema = {"type": "number", "minimum": low, "maximum": high}
    return Plain(lambda node: node.number(low, high, allowed), schema)


def whole_number(choices: Sequence[int], allowed: str) -> Codec[int]:
    """Return the codec of one of some whole numbers."""
    if isinstance(choices, range):
        limits = {"minimum": choices[0]} if choices[-1] > 10_000 else {"minimum": choices[0], "maximum": choices[-1]}
        return Plain(lambda node: node.whole_number(choices, allowed), {"type": "integer", **limits})
    return Plain(lambda node: node.whole_number(choices, allowed), {"enum": list(choices)})


def choice(*choices: str) -> Codec[str]:
    """Return the codec of one of some words."""
    return Plain(lambda node: node.choice(choices), {"enum": list(choices)})


def exactly(value: str | int, shown: str) -> Codec[Any]:
    """Return the codec of one value and no other."""
    if isinstance(value, str):
        return Plain(lambda node: node.choice([value], shown), {"const": value})
    return Plain(lambda node: node.whole_number([value], shown), {"const": value})


def _read_id(node: Node) -> str:
    if not isinstance(node.value, str) or not _ID_PATTERN.fullmatch(node.value):
        node.refuse(f"expected an id of 1 to 64 lower-case letters, digits and hyphens, got {node.value!r}")
        return ""
    return node.value


def _read_path(node: Node) -> str:
    text = node.text(1, 1024)
    path = PurePosixPath(text)
    if path.is_absolute() or ".." in path.parts or "\\" in text or re.match(r"[A-Za-z]:", text):
        node.refuse(f'expected a path inside the plan\'s folder, with "/" and without "..", got "{text}"')
    return text


def _read_moved(node: Node) -> float | bool | str | TimeValue | None:
    value = node.value
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, (int, float)):
        return node.number(-_FARTHEST, _FARTHEST)
    if isinstance(value, str):
        return node.parsed(parse_time_value, NO_TIME)
    node.refuse("expected a number, a time value, true, false or null")
    return None


def moved_document(value: Any) -> Any:  # noqa: ANN401 - JSON is any value
    """Return a moved value as JSON."""
    return str(value) if isinstance(value, (NoteValue, Milliseconds)) else value


def timed(low_ms: float, high_ms: float, allowed: str) -> Codec[TimeValue]:
    """Return the codec of a time value; milliseconds lie within limits, note values depend on the tempo."""

    def read(node: Node) -> TimeValue:
        value: TimeValue = node.parsed(parse_time_value, NO_TIME)
        if isinstance(value, Milliseconds) and not low_ms <= value.ms <= high_ms:
            node.refuse(f"expected {allowed}, got {value}")
        return value

    return Plain(read, ref("time"), str)


def rated(low: float, high: float, allowed: str) -> Codec[float | NoteValue]:
    """Return the codec of a speed in Hz or a note value."""

    def read(node: Node) -> float | NoteValue:
        return NOTE.read(node) if isinstance(node.value, str) else node.number(low, high, allowed)

    inner = {"type": "number", "minimum": low, "maximum": high}
    return Plain(read, {"anyOf": [inner, ref("note")]}, moved_document)


TEXT: Codec[str] = Plain(lambda node: node.text(), {"type": "string", "minLength": 1, "maxLength": 120})
FLAG: Codec[bool] = Plain(lambda node: node.flag(), {"type": "boolean"})
ID: Codec[str] = Plain(_read_id, ref("id"))
REFERENCE: Codec[str] = Plain(lambda node: node.text(1, 64), ref("id"))
"""The id of something else in the plan."""
WORD: Codec[str] = Plain(lambda node: node.text(1, 64), {"type": "string", "minLength": 1, "maxLength": 64})
PATH: Codec[str] = Plain(_read_path, ref("path"))
POSITION: Codec[Position] = Plain(lambda node: node.parsed(Position.parse, FIRST), ref("position"), str)
NOTE: Codec[NoteValue] = Plain(lambda node: node.parsed(NoteValue.parse, NoteValue(1, 4)), ref("note"), str)
TIME: Codec[TimeValue] = Plain(lambda node: node.parsed(parse_time_value, NO_TIME), ref("time"), str)
MOVED: Codec[float | bool | str | TimeValue | None] = Plain(_read_moved, ref("value"), moved_document)
"""A moved value as it stands; `references` checks it against what is moved."""
