"""What is wrong with a plan, and where."""

from dataclasses import dataclass

from highhall.errors import CoreError


@dataclass(frozen=True, slots=True)
class Problem:
    """One fault: the path of the offending value, and a text that says what is allowed.

    Halves of characters, which no page and no file can hold, are written as escapes.
    """

    path: str
    text: str

    def __post_init__(self) -> None:
        for name in ("path", "text"):
            object.__setattr__(self, name, getattr(self, name).encode("utf-8", "backslashreplace").decode())

    def __str__(self) -> str:
        return f"{self.path}: {self.text}" if self.path else self.text


class PlanRefusedError(CoreError):
    """A document is not a valid plan; `problems` names every fault that was found."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("\n".join(map(str, problems)))
        self.problems = tuple(problems)
