"""Random valid plans and random damage to them."""

import copy
from typing import Any

from hypothesis import strategies as st

from highhall.plan.kinds import CUT_SLOPES_DB_OCT, KINDS, Parameter
from highhall.wording import Form
from tests.core.plans import make_document

levels = st.one_of(st.none(), st.floats(-60, 6))
notes = st.sampled_from(["1/64", "1/32T", "1/32", "1/16.", "1/16", "1/8T"])
milliseconds = st.floats(0, 400).map(lambda ms: f"{ms:.3f}ms")
filters = st.fixed_dictionaries(
    {
        "shape": st.sampled_from(["low_cut", "high_cut", "bell", "low_shelf", "high_shelf", "notch"]),
        "hz": st.floats(20, 18000),
    },
    optional={
        "gain_db": st.floats(-24, 24),
        "q": st.floats(0.1, 20),
        "slope_db_oct": st.sampled_from(CUT_SLOPES_DB_OCT),
        "on": st.booleans(),
    },
)


def values(parameter: Parameter) -> st.SearchStrategy[Any]:
    match parameter.form:
        case Form.CHOICE:
            return st.sampled_from(parameter.choices)
        case Form.FLAG:
            return st.booleans()
        case Form.TIME:
            return st.one_of(notes, st.floats(max(parameter.low, 1), parameter.high).map(lambda ms: f"{ms:.3f}ms"))
        case Form.RATE:
            return st.one_of(st.floats(parameter.low, parameter.high), st.just("1/4"))
        case Form.LIST:
            return st.lists(filters, max_size=8)
        case Form.PATH:
            return st.just("ir/room.wav")
        case Form.ID:
            return st.just("voice")
        case Form.WHOLE_NUMBER:
            return st.integers(int(parameter.low), int(parameter.high))
        case Form.NUMBER:
            number = st.floats(parameter.low, parameter.high)
            return st.one_of(st.none(), number) if parameter.may_be_null else number


def effects(kinds: tuple[str, ...] = tuple(KINDS)) -> st.SearchStrategy[dict[str, Any]]:
    def of(kind: str) -> st.SearchStrategy[dict[str, Any]]:
        table = {p.name: values(p) for p in KINDS[kind].parameters if p.name != "mix"}
        required = {p.name for p in KINDS[kind].parameters if p.is_required}
        params = st.fixed_dictionaries(
            {name: table[name] for name in required}, optional={n: s for n, s in table.items() if n not in required}
        )
        return st.fixed_dictionaries({"kind": st.just(kind), "params": params}, optional={"on": st.booleans()})

    return st.sampled_from(kinds).flatmap(of)


def reverbs() -> st.SearchStrategy[dict[str, Any]]:
    """Steps of reverb for the laws of songs: two spaces, short tails that are not shifted; `test_chain_laws` has all."""
    table = {p.name: values(p) for p in KINDS["reverb"].parameters if not p.name.startswith("shift")}
    table["space"] = st.sampled_from(["plate", "hall"])
    table["decay_s"] = st.floats(0.1, 2)
    required = {"space", "decay_s"}
    optional = {name: strategy for name, strategy in table.items() if name not in required}
    params = st.fixed_dictionaries({name: table[name] for name in required}, optional=optional)
    return st.fixed_dictionaries({"kind": st.just("reverb"), "params": params})


@st.composite
def documents(draw: st.DrawFn) -> dict[str, Any]:
    """Valid documents over the same tracks: any chains, sends, levels and section moves."""
    document = make_document()
    for return_ in document["returns"]:
        return_["chain"] = draw(st.lists(effects(), max_size=5))
        return_["level_db"] = draw(levels)
        return_["pan"] = draw(st.floats(-1, 1))
        return_["mute"] = draw(st.booleans())
    for send in document["sends"]:
        send["level_db"] = draw(levels)
        send["on"] = draw(st.booleans())
    document["moves"][0]["sections"][0]["value"] = draw(levels)
    document["groups"][0]["tone"]["bands"] = draw(st.lists(filters, max_size=8))
    return document


json_values = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(-(10**6), 10**6), st.floats(), st.text(max_size=8)),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=6), inner, max_size=3)),
    max_leaves=6,
)


def _places(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    children = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    return [path, *(place for key, child in children for place in _places(child, (*path, key)))]


@st.composite
def damaged(draw: st.DrawFn, document: dict[str, Any]) -> Any:
    """The document with one value anywhere replaced by any JSON value, or taken away."""
    document = copy.deepcopy(document)
    path = draw(st.sampled_from(_places(document)[1:]))
    parent = document
    for key in path[:-1]:
        parent = parent[key]
    if draw(st.booleans()):
        parent[path[-1]] = draw(json_values)
    else:
        del parent[path[-1]]
    return document
