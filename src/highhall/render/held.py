"""How much memory something keeps in arrays."""

import gc
from fractions import Fraction
from types import BuiltinFunctionType, FunctionType, ModuleType, NoneType
from typing import Any

import numpy as np

_NOT_KEPT = (type, ModuleType, FunctionType, BuiltinFunctionType, str, bytes, int, float, complex, Fraction, NoneType)
_OURS = ("highhall", "builtins", "collections")


def held_bytes(root: object, apart: tuple[type, ...] = ()) -> int:
    """Return the bytes of all arrays that can be reached from an object through our own objects and Python's containers.

    apart: types whose objects belong to others as well, and do not count. An array that is reached twice counts once.
    """
    seen: set[int] = set()
    held: dict[int, int] = {}
    goes_on: dict[type, bool] = {}  # decided once a type: there are thousands of objects, of few types
    waiting: list[Any] = [root]
    while waiting:
        found = waiting.pop()
        kind = type(found)
        if kind not in goes_on:
            goes_on[kind] = not issubclass(kind, (*_NOT_KEPT, *apart)) and (
                issubclass(kind, np.ndarray) or kind.__module__.partition(".")[0] in _OURS
            )
        if not goes_on[kind] or id(found) in seen:
            continue
        seen.add(id(found))
        if isinstance(found, np.ndarray):
            while isinstance(found.base, np.ndarray):  # a view keeps all of what it looks into
                found = found.base
            held[id(found)] = found.nbytes
        else:
            waiting += gc.get_referents(found)
    return sum(held.values())
