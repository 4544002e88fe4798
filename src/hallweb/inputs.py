"""What a request says: the one place where its values are read and checked."""

from collections.abc import Callable, Container, Iterable
from typing import Protocol, TypeVar

from django.core.exceptions import BadRequest
from django.core.files.uploadedfile import UploadedFile
from django.http import Http404, HttpRequest, QueryDict

LONGEST, LONGEST_RIDE = 4000, 400_000
"""Characters of one value, and of a ride of some minutes, the longest that a screen sends."""

_T = TypeVar("_T")


class HasId(Protocol):
    """A part of a plan that is found by its id."""

    @property
    def id(self) -> str:
        """Its id."""
        ...


_Item = TypeVar("_Item", bound=HasId)


class Inputs:
    """The values of a form or of an address, by name. What no screen of ours sends is answered with 400 or 404."""

    def __init__(self, values: QueryDict) -> None:
        self._values = values

    def text(self, name: str, default: str = "") -> str:
        """Return a text; the default if the request does not say it."""
        return _checked(name, self._values.get(name, default))

    def long_text(self, name: str) -> str:
        """Return a text that may be as long as a ride."""
        return _checked(name, self._values.get(name, ""), LONGEST_RIDE)

    def texts(self, name: str) -> list[str]:
        """Return all texts of a name."""
        return [_checked(name, each) for each in self._values.getlist(name)]

    def says(self, name: str) -> bool:
        """Whether the request has a value under a name, be it empty."""
        return name in self._values

    def has(self, name: str) -> bool:
        """Whether the request has a value under a name that is not empty."""
        return bool(self._values.get(name))

    def read(self, name: str, reader: Callable[[str], _T], default: str = "") -> _T:
        """Return what a reader makes of a text; the reader's error says what would be right."""
        return reader(self.text(name, default))

    def choice(self, name: str, allowed: Container[str], default: str = "") -> str:
        """Return a word that is one of those allowed, or answer 404."""
        word = self.text(name, default)
        if word not in allowed:
            raise Http404
        return word

    def whole(self, name: str, default: int) -> int:
        """Return a whole number of at most nine digits; the default if it is none."""
        word = self.text(name)
        return int(word) if word.isdecimal() and len(word) < 10 else default

    def large(self, name: str) -> int:
        """Return a whole number of at most 17 digits, such as a size in bytes; 0 if it is none."""
        word = self.text(name)
        return int(word) if word.isascii() and word.isdecimal() and len(word) < 18 else 0

    def item(self, name: str, items: Iterable[_Item]) -> _Item:
        """Return the part of a plan that is named by its id, or answer 404."""
        return item_or_404(items, self.text(name))

    def item_or_none(self, name: str, items: Iterable[_Item]) -> _Item | None:
        """Return the part of a plan that is named by its id, if there is one."""
        return item_or_none(items, self.text(name))


def inputs(request: HttpRequest) -> Inputs:
    """Return what a request says: in its form if it posts one, else in its address."""
    return Inputs(request.POST if request.method == "POST" else request.GET)


def uploaded(request: HttpRequest, name: str) -> UploadedFile | None:
    """Return the file that a form brings under a name, if it does."""
    return request.FILES.get(name)


def item_or_none(items: Iterable[_Item], key: str) -> _Item | None:
    """Return the part of a plan with an id, if there is one."""
    return next((each for each in items if each.id == key), None)


def item_or_404(items: Iterable[_Item], key: str) -> _Item:
    """Return the part of a plan with an id, or answer 404."""
    found = item_or_none(items, key)
    if found is None:
        raise Http404
    return found


def _checked(name: str, text: str, longest: int = LONGEST) -> str:
    if len(text) > longest:
        raise BadRequest(f"{name} is longer than {longest} characters")
    if "\0" in text or (not text.isascii() and any("\ud800" <= each <= "\udfff" for each in text)):
        raise BadRequest(f"{name} has a character that no text has")
    return text
