"""A JSON value that knows its path, so that every refusal can name the place.

A refused value is noted and replaced by a harmless one, so that one reading finds all faults.
"""

import json
import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, TypeVar

from highhall.errors import CoreError
from highhall.plan.problems import PlanRefusedError, Problem

_Result = TypeVar("_Result")
LONGEST_DOCUMENT = 32 << 20
_LONGEST_TOLD = 60
_NOT_IN_TEXTS = re.compile("[\x00-\x1f\ud800-\udfff]")


def load_json(text: str) -> Any:  # noqa: ANN401 - JSON is any value
    """Parse JSON, refusing what the plan format refuses.

    Raises
    ------
    PlanRefusedError
        If the text is not JSON, longer than 32 MiB, repeats a key, or holds NaN, Infinity or an endless number.
    """
    if len(text) > LONGEST_DOCUMENT:
        raise PlanRefusedError([Problem("", f"longer than {LONGEST_DOCUMENT >> 20} MiB, which no plan is")])

    def unique(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        result = dict(pairs)
        if len(result) < len(pairs):
            (twice, _), *_ = Counter(key for key, _ in pairs).most_common(1)
            raise PlanRefusedError([Problem("", f'the key "{_told(twice)}" stands twice in one object; keep one')])
        return result

    def refuse_constant(name: str) -> None:
        raise PlanRefusedError([Problem("", f"{name} is not a number that a plan may hold")])

    try:
        return json.loads(text, object_pairs_hook=unique, parse_constant=refuse_constant)
    except json.JSONDecodeError as error:
        fault = f"not JSON: {error.msg} at line {error.lineno}, column {error.colno}"
        raise PlanRefusedError([Problem("", fault)]) from None
    except ValueError as error:
        raise PlanRefusedError([Problem("", f"not JSON: {error}")]) from None
    except RecursionError:
        raise PlanRefusedError([Problem("", "not a plan: nested too deeply")]) from None


def _told(text: str) -> str:
    """Return a text as short as an error can hold it."""
    return text if len(text) <= _LONGEST_TOLD else text[: _LONGEST_TOLD - 3] + "..."


class Node:
    """One value of the document. `problems` is shared by all nodes of a reading."""

    def __init__(self, value: Any, path: str, problems: list[Problem]) -> None:  # noqa: ANN401
        self.value = value
        self.path = path
        self._problems = problems

    def apart(self) -> "Node":
        """Return a node of nothing, whose faults do not count: from it something harmless is read."""
        return Node(None, self.path, [])

    def member(self, key: str, value: Any) -> "Node":  # noqa: ANN401
        """Return a value that stands for a member which is not written."""
        return Node(value, f"{self.path}.{_told(key)}".lstrip("."), self._problems)

    def refuse(self, text: str) -> None:
        """Note that this value cannot be used."""
        self._problems.append(Problem(self.path, text))

    def _shown(self) -> str:
        if isinstance(self.value, list | dict) and len(self.value) > _LONGEST_TOLD:
            return "a list" if isinstance(self.value, list) else "an object"
        return _told(json.dumps(self.value, ensure_ascii=False))

    def _expect(self, wanted: str) -> None:
        self.refuse(f"expected {wanted}, got {self._shown()}")

    def fields(self, required: Iterable[str], optional: Iterable[str]) -> Mapping[str, "Node"]:
        """Return the members of an object; unknown and missing keys are refused."""
        required, optional = list(required), list(optional)
        if not isinstance(self.value, dict):
            self._expect("an object")
            return {}
        allowed = required + optional
        for key in self.value:
            if key not in allowed:
                self.member(key, None).refuse(f"unknown key; allowed are {', '.join(allowed)}")
        for key in required:
            if key not in self.value:
                self.refuse(f'"{key}" is missing')
        return {key: self.member(key, value) for key, value in self.value.items() if key in allowed}

    def items(self, low: int = 0, high: int | None = None) -> list["Node"]:
        """Return the elements of a list of `low` to `high` elements."""
        limit = f"{low} or more" if high is None else f"{low} to {high}"
        if not isinstance(self.value, list):
            self._expect("a list")
            return []
        if len(self.value) < low or (high is not None and len(self.value) > high):
            self.refuse(f"expected {limit} elements, got {len(self.value)}")
            return []
        return [Node(value, f"{self.path}[{i}]", self._problems) for i, value in enumerate(self.value)]

    def number(self, low: float, high: float, allowed: str | None = None) -> float:
        """Return a number from `low` to `high`."""
        is_number = isinstance(self.value, (int, float)) and not isinstance(self.value, bool)
        if not is_number or not low <= self.value <= high:  # which NaN is not either
            self._expect(allowed or f"a number from {low:g} to {high:g}")
            return low
        return float(self.value)

    def whole_number(self, choices: Sequence[int], allowed: str) -> int:
        """Return one of some whole numbers."""
        is_number = isinstance(self.value, (int, float)) and not isinstance(self.value, bool)
        is_whole = is_number and (isinstance(self.value, int) or self.value.is_integer())
        if not is_whole or int(self.value) not in choices:
            self._expect(allowed)
            return choices[0]
        return int(self.value)

    def flag(self) -> bool:
        """Return true or false."""
        if not isinstance(self.value, bool):
            self._expect("true or false")
            return False
        return self.value

    def text(self, low: int = 1, high: int = 120) -> str:
        """Return a text of `low` to `high` characters, without control characters."""
        if not isinstance(self.value, str):
            self._expect("a text")
            return ""
        if not low <= len(self.value) <= high or _NOT_IN_TEXTS.search(self.value):
            self._expect(f"a text of {low} to {high} characters on one line")
        return self.value

    def choice(self, choices: Iterable[str], allowed: str | None = None) -> str:
        """Return one of some words."""
        choices = list(choices)
        if self.value not in choices:
            self._expect(allowed or "one of " + ", ".join(choices))
            return choices[0]
        return str(self.value)

    def parsed(self, parse: Callable[[str], _Result], fallback: _Result) -> _Result:
        """Return what `parse` makes of a text; its CoreError becomes a refusal."""
        if not isinstance(self.value, str):
            self._expect("a text")
            return fallback
        try:
            return parse(self.value)
        except CoreError as error:
            self.refuse(str(error))
            return fallback
