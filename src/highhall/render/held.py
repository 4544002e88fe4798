"""How much memory something keeps in arrays."""

import gc
from types import BuiltinFunctionType, FunctionType, ModuleType
from typing import Any

import numpy as np

_NOT_KEPT = (type, ModuleType, FunctionType, BuiltinFunctionType)


def held_bytes(root: object, apart: tuple[type, ...] = ()) -> int:
    """Return the bytes of all arrays that can be reached from an object through our own objects and Python's containers.

    apart: types whose objects belong to others as well, and do not count. An array that is reached twice counts once.
    """
    seen: set[int] = set()
    held: dict[int, int] = {}
    waiting: list[Any] = [root]
    while waiting:
        found = waiting.pop()
        if id(found) in seen or isinstance(found, (*_NOT_KEPT, *apart)):
            continue
        seen.add(id(found))
        if isinstance(found, np.ndarray):
            while isinstance(found.base, np.ndarray):  # a view keeps all of what it looks into
                found = found.base
            held[id(found)] = found.nbytes
        elif type(found).__module__.partition(".")[0] in ("highhall", "builtins", "collections"):
            waiting += gc.get_referents(found)
    return sum(held.values())
