"""A walk over the table of kinds: whoever adds a parameter and forgets a place is told so here.

Fields on screens are walked in `tests/web/test_field_walk.py`.
"""

from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import jsonschema
import numpy as np
import pytest

from highhall.curves import EffectCurves
from highhall.effects import processor_of
from highhall.plan import PlanRefusedError, document_of, parse_plan, plan_from_document, write_plan
from highhall.plan.differences import differences, take_over
from highhall.plan.edits import effect_of_kind
from highhall.plan.format import plan_schema
from highhall.plan.kinds import (
    FILTER_PARAMETERS,
    KINDS,
    LEVEL,
    MUTE,
    ON,
    PAN,
    SEND_POINT,
    START,
    WIDTH,
    Kind,
    Parameter,
    Scale,
)
from highhall.plan.references import movable_parameters
from highhall.render import Engine, Stems
from highhall.render.segments import LaneSegments
from highhall.wording import PLAIN, EntryError, Form, HasWords
from tests.core.plans import make_document
from tests.core.signals import make_song

DOCS = Path(__file__).parents[2] / "docs"
VALIDATOR = jsonschema.Draft202012Validator(plan_schema())
RESPONSE = np.eye(1, 4800, dtype=np.float32) + 0.05 * np.random.default_rng(3).standard_normal((1, 4800)).astype(
    np.float32
)
RESPONSES = {"ir/room.wav": RESPONSE, "ir/other.wav": RESPONSE[:, ::-1].copy()}
FRAMES = 96000


class Row(NamedTuple):
    """A row of the table, and the kind that it belongs to; none for filters of tone and group."""

    kind: Kind
    parameter: Parameter

    @property
    def is_filter(self) -> bool:
        """Whether it is a value of a filter."""
        return self.parameter in FILTER_PARAMETERS.values()


def rows() -> Iterator[Row]:
    for kind in KINDS.values():
        yield from (Row(kind, parameter) for parameter in kind.parameters)
    yield from (Row(KINDS["tone"], parameter) for parameter in FILTER_PARAMETERS.values())


ROWS = list(rows())
every_row = pytest.mark.parametrize("row", ROWS, ids=[f"{row.kind.name}-{row.parameter.name}" for row in ROWS])

ALIVE: dict[str, dict[str, Any]] = {
    "reverb": {"space": "hall", "decay_s": 1.0, "low_ratio": 1.6, "high_ratio": 0.4, "shift_semitones": 7, "shift_feed": 0.4, "mod_depth": 0.6},
    "impulse": {"ir": "ir/room.wav"},
    "echo": {"left": "60ms", "right": "90ms", "feedback": 0.6, "cross": 0.3, "low_cut_hz": 200, "high_cut_hz": 5000, "wow_depth_ms": 2, "drive": 0.4, "offset_ms": 5},
    "duck": {"key": "drum"},
    "width": {"width": 1.5, "bass_mono_hz": 200},
    "tone": {"bands": [{"shape": "bell", "hz": 1000, "gain_db": 6}]},
}  # fmt: skip
"""Settings with which every value of a kind is heard."""


FITTING = {"trim_s": (0.05, 0.08), "hold_ms": (50.0, 300.0)}
"""Values that the short sound of these tests can tell apart."""


def two_values(parameter: Parameter) -> tuple[Any, Any]:
    """Return two values that a plan may write."""
    if parameter.name in FITTING:
        return FITTING[parameter.name]
    match parameter.form:
        case Form.CHOICE:
            return parameter.choices[0], parameter.choices[1]
        case Form.FLAG:
            return True, False
        case Form.TIME:
            return "50ms", "1/16"
        case Form.RATE:
            return 2.0, "1/8"
        case Form.PATH:
            return "ir/room.wav", "ir/other.wav"
        case Form.ID:
            return "drum", "voice"
        case Form.LIST:
            return [{"shape": "low_cut", "hz": 300}], [{"shape": "high_cut", "hz": 3000}]
        case Form.WHOLE_NUMBER:
            return parameter.choices[-2:] if parameter.choices else (int(parameter.low), int(parameter.high))
    low, high = parameter.low, parameter.high
    if parameter.scale is Scale.LOGARITHMIC:
        return low * (high / low) ** 0.45, low * (high / low) ** 0.55
    return low + 0.4 * (high - low), low + 0.6 * (high - low)


def document(row: Row, value: Any) -> dict[str, Any]:
    """Return a song with one return, whose last effect has that value."""
    made = make_document(bars=2)
    made["song"]["sections"] = [{"id": "a", "start": "1|1", "end": "2|1"}]
    params = dict(ALIVE.get(row.kind.name, {}))
    if row.is_filter:
        filter_ = {"shape": "bell", "hz": 1000.0, "gain_db": 6.0}
        if row.parameter.name == "slope_db_oct":
            filter_ = {"shape": "low_cut", "hz": 1000.0}
        params["bands"] = [{**filter_, row.parameter.name: value}]
    else:
        params[row.parameter.name] = value
    made["returns"] = [
        {"id": "hall", "chain": [{"kind": "offset"}, {"id": "it", "kind": row.kind.name, "params": params}]}
    ]
    made["sends"] = [{"from": source, "to": "hall"} for source in ("voice", "drum")]
    made["moves"] = []
    return made


def stored(row: Row, plan_document: dict[str, Any]) -> Any:
    params = plan_document["returns"][0]["chain"][1]["params"]
    return params["bands"][0][row.parameter.name] if row.is_filter else params[row.parameter.name]


def keys(plan_document: dict[str, Any]) -> str:
    plan = plan_from_document(plan_document)
    hashes = {name: name for name in ("voice.wav", "harp.wav", "drum.wav", *RESPONSES)}
    return LaneSegments(plan, "hall", hashes, RESPONSES).key(0)


def sound(plan_document: dict[str, Any]) -> np.ndarray:
    plan = plan_from_document(plan_document)
    rng = np.random.default_rng(0)
    burst = np.exp(-(np.arange(FRAMES) % 24000) / 4000).astype(np.float32)
    sources = {track.stem: (0.3 * rng.standard_normal((2, FRAMES)) * burst).astype(np.float32) for track in plan.tracks}
    return Engine(plan, Stems(sources, RESPONSES), lanes={"hall"}).advance(FRAMES).returns["hall"]


@every_row
def test_it_is_read_and_written(row: Row) -> None:
    for value in two_values(row.parameter):
        plan = plan_from_document(document(row, value))
        again = parse_plan(write_plan(plan))
        assert again == plan
        assert np.all(stored(row, document_of(again)) == stored(row, document_of(plan)))
        if row.parameter.form is not Form.LIST:
            assert stored(row, document_of(plan)) == value


@every_row
def test_it_is_in_the_schema_and_what_it_refuses_both_refuse(row: Row) -> None:
    for value in two_values(row.parameter):
        VALIDATOR.validate(document(row, value))
    for nonsense in ({"x": 1}, "no such thing, ever"):
        if nonsense == "no such thing, ever" and row.parameter.form in (Form.PATH, Form.ID):
            continue
        with pytest.raises(PlanRefusedError, match=rf"{row.parameter.name}: expected"):
            plan_from_document(document(row, nonsense))
        with pytest.raises(jsonschema.ValidationError):
            VALIDATOR.validate(document(row, nonsense))


@every_row
def test_it_is_in_the_docs_with_all_that_people_need(row: Row) -> None:
    parameter = row.parameter
    heading = "## A filter of `tone`" if row.is_filter else f"## {row.kind.name}\n"
    section = (DOCS / "kinds.md").read_text().partition(heading)[2].partition("\n## ")[0]
    assert f"| `{parameter.name}` | {parameter.label} | {parameter.meaning} | {parameter.allowed} |" in section
    assert parameter.label
    assert parameter.meaning
    assert parameter.advice
    assert parameter.is_required or parameter.default is not None or parameter.default_by or parameter.may_be_null


TYPED = [row for row in ROWS if row.parameter.form is not Form.LIST]  # filters are typed one by one


@pytest.mark.parametrize("row", TYPED, ids=[f"{row.kind.name}-{row.parameter.name}" for row in TYPED])
def test_it_can_be_typed_as_it_is_shown(row: Row) -> None:
    parameter = row.parameter
    chain = plan_from_document(document(row, two_values(parameter)[0])).return_("hall").chain
    value = getattr(chain[1].filters[0], parameter.name) if row.is_filter else chain[1].value(parameter.name)
    shown = parameter.figure(value)
    assert parameter.figure(parameter.read(shown)) == shown
    assert parameter.words(value)
    if parameter.form is Form.NUMBER:
        with pytest.raises(EntryError, match="Type a number from"):
            parameter.read("far too much")
    if parameter.unit is not PLAIN and parameter.form is Form.NUMBER:
        assert parameter.words(value) != shown, "a figure has a unit"


@every_row
def test_it_is_hashed(row: Row) -> None:
    one, other = (keys(document(row, value)) for value in two_values(row.parameter))
    assert one != other


@every_row
def test_it_is_compared_and_taken_over(row: Row) -> None:
    plan, other = (plan_from_document(document(row, value)) for value in two_values(row.parameter))
    (found,) = differences(plan, other)
    assert found.what == ("Filters" if row.is_filter else row.parameter.label)
    assert found.words[0] != found.words[1]
    assert take_over(plan, other, found.key) == other


@every_row
def test_it_moves_if_it_says_so_and_only_then(row: Row) -> None:
    one, other = two_values(row.parameter)
    still = document(row, one)
    param = f"bands/0/{row.parameter.name}" if row.is_filter else row.parameter.name
    target = {"return": "hall", "step": "it", "param": param}
    moved = {**still, "moves": [{"target": target, "sections": [{"section": "a", "value": other}]}]}
    assert (param in movable_parameters(plan_from_document(still).return_("hall").chain[1])) is row.parameter.is_movable
    if not row.parameter.is_movable:
        if isinstance(other, list):
            return
        with pytest.raises(PlanRefusedError, match=r"cannot be moved|expected a note value"):
            plan_from_document(moved)
        return
    assert keys(moved) != keys(still)
    assert np.abs(sound(moved) - sound(still)).max() > 1e-4, "the effect does not hear its move"


@every_row
def test_it_is_heard(row: Row) -> None:
    one, other = (sound(document(row, value)) for value in two_values(row.parameter))
    assert np.abs(one - other).max() > 1e-4, "the effect does not read it"


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda kind: kind.name)
def test_every_kind_has_an_effect_a_label_and_where_to_start(kind: Kind) -> None:
    effect = effect_of_kind(kind.name, kind.name, ALIVE.get(kind.name, {}))
    assert processor_of(EffectCurves(effect, make_song()), RESPONSES).memory_s >= 0
    assert kind.label
    assert kind.meaning
    assert bool(kind.starts) is not bool(kind.source or kind.response), (
        "it starts from a setting, or from what it refers to"
    )
    names = {parameter.name for parameter in kind.parameters}
    assert {p.mirror for p in kind.parameters if p.mirror} <= names
    for start in kind.starts:
        assert set(start.params) <= names
        assert start.when.endswith(".")


FADERS = [
    ("returns", "hall", parameter) for parameter in (LEVEL, PAN, WIDTH, MUTE)
] + [("tracks", "voice", parameter) for parameter in (LEVEL, PAN, MUTE, START)] + [
    ("sends", None, parameter) for parameter in (LEVEL, PAN, ON, SEND_POINT)
] + [("groups", "band", parameter) for parameter in (LEVEL, MUTE)]  # fmt: skip


@pytest.mark.parametrize(("part", "key", "parameter"), FADERS, ids=[f"{p}-{x.name}" for p, _, x in FADERS])
def test_values_of_faders_are_read_written_and_compared(part: str, key: str | None, parameter: Parameter) -> None:
    plans = []
    for value in two_values(parameter):
        made = make_document(bars=2)
        made["song"]["sections"], made["moves"] = [], []
        item = next(each for each in made[part] if key is None or each["id"] == key)
        item[parameter.name] = value
        plan = plan_from_document(made)
        written = document_of(plan)[part]
        assert value in [each[parameter.name] for each in written]
        VALIDATOR.validate(document_of(plan))
        plans.append(plan)
    found = [each for each in differences(*plans) if each.parameter is parameter]
    assert [each.what for each in found] == [parameter.label]


def test_filters_say_what_they_are() -> None:
    plan = plan_from_document(document(Row(KINDS["tone"], FILTER_PARAMETERS["hz"]), 1000.0))
    filter_: HasWords = plan.return_("hall").chain[1].filters[0]
    assert filter_.words == "bell 1 kHz 6.0 dB"
