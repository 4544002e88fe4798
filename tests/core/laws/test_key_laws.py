"""The law of keys: equal keys mean equal sound, whatever was edited.

A random song is edited at random: its time, meters and sections, any value of groups, tracks, sends, returns and effects,
moves of anything, the files, the order. Wherever a segment then sounds otherwise by more than -100 dB, its key is another.
`HH_KEY_CASES=5000 pytest tests/core/laws/test_key_laws.py` tries that many other cases.
"""

import copy
import os
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, reject, settings
from hypothesis import strategies as st

from highhall.errors import CoreError
from highhall.plan import PlanRefusedError, plan_from_document
from highhall.plan.kinds import KINDS, RETURN_MOVABLE, SEND_MOVABLE, Kind, Parameter
from highhall.plan.references import movable_parameters
from highhall.render import DRY, Engine, Stems
from highhall.render import segments as segments_module
from highhall.render.segments import LaneSegments, lanes_of, segment_frames
from highhall.wording import Form
from tests.core.laws.strategies import filters, values
from tests.core.plans import make_document

SEGMENTS = 3
FRAMES = SEGMENTS * 96000
BELOW_100_DB = 1e-5
CASES = int(os.environ.get("HH_KEY_CASES", "0"))
NOTES = ("1/16", "1/8T", "1/8", "1/8.", "1/4")
PLACES = ("1|1", "1|3", "2|1", "2|2.5", "3|1", "3|2")


@dataclass(frozen=True)
class Case:
    """A song: its plan's document, and which of the sounds each file holds."""

    document: dict[str, Any]
    files: dict[str, int]


def _noise(seed: int, frames: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    gate = np.sin(2 * np.pi * np.arange(frames) / (20000 + 3000 * seed)) > 0.3
    return (0.1 * rng.standard_normal((1, frames)) * gate).astype(np.float32)


SOUNDS = [_noise(seed, FRAMES) for seed in range(3)]
_DECAY = np.exp(-np.arange(9600) / 2000)
RESPONSES = [
    (_DECAY * np.random.default_rng(10 + seed).standard_normal((1, 9600))).astype(np.float32) for seed in range(2)
]


def value(parameter: Parameter) -> st.SearchStrategy[Any]:
    """A value of the table, of such a kind that a song of six seconds tells it from others."""
    match parameter.form:
        case Form.TIME:
            return st.sampled_from([*NOTES[:3], "7.3ms", "60ms", "211.7ms"])
        case Form.RATE:
            return st.one_of(st.floats(0.3, 8), st.sampled_from(NOTES))
        case Form.LIST:
            return st.lists(filters, min_size=1, max_size=3)
    if parameter.name == "decay_s":
        return st.floats(0.1, 2)
    if parameter.name == "shift_semitones":
        return st.sampled_from([0, 7, 12])
    return values(parameter)


@st.composite
def effects(draw: st.DrawFn) -> dict[str, Any]:
    kind = KINDS[draw(st.sampled_from(sorted(KINDS)))]
    params = {p.name: draw(value(p)) for p in kind.parameters if p.is_required or draw(st.booleans())}
    params.pop("mix", None)
    return {"kind": kind.name, "on": draw(st.sampled_from([True, True, True, False])), "params": params}


def targets(document: dict[str, Any]) -> list[dict[str, Any]]:
    """All that can move in a song."""
    try:
        plan = plan_from_document({**document, "moves": []})
    except PlanRefusedError:
        reject()
    found: list[dict[str, Any]] = []
    for send in plan.sends:
        found += [{"send": [send.source, send.target], "param": name} for name in SEND_MOVABLE]
    for return_ in plan.returns:
        found += [{"return": return_.id, "param": name} for name in RETURN_MOVABLE]
        for effect in return_.chain:
            names = ["on", *movable_parameters(effect)]
            found += [{"return": return_.id, "step": effect.id, "param": name} for name in names]
    return found


def parameter_of(document: dict[str, Any], target: dict[str, Any]) -> Parameter:
    if "step" not in target:
        return {**SEND_MOVABLE, **RETURN_MOVABLE}[target["param"]]
    if target["param"] == "on":
        return SEND_MOVABLE["on"]
    plan = plan_from_document({**document, "moves": []})
    return movable_parameters(plan.return_(target["return"]).effect(target["step"]))[target["param"]]


@st.composite
def moves(draw: st.DrawFn, document: dict[str, Any]) -> dict[str, Any]:
    target = draw(st.sampled_from(targets(document)))
    one = value(parameter_of(document, target))
    move: dict[str, Any] = {"target": target}
    sections = draw(st.lists(st.sampled_from("ab"), unique=True, max_size=2))
    ramps = st.fixed_dictionaries({}, optional={"ramp": st.sampled_from(NOTES), "ramp_side": st.just("after")})
    move["sections"] = [{"section": name, "value": draw(one), **draw(ramps)} for name in sections]
    places = sorted(draw(st.lists(st.sampled_from(PLACES), unique=True, max_size=3)))
    move["points"] = [
        {"at": at, "value": draw(one), "shape": draw(st.sampled_from(["linear", "hold"]))} for at in places
    ]
    if draw(st.booleans()):
        move["throws"] = [
            {"at": draw(st.sampled_from(PLACES)), "length": draw(st.sampled_from(NOTES)), "value": draw(one)}
        ]
    return move


@st.composite
def cases(draw: st.DrawFn) -> Case:
    document = make_document(bars=3)
    song = document["song"]
    song["sections"] = [{"id": "a", "start": "1|1", "end": "2|1"}, {"id": "b", "start": "2|1", "end": "3|3"}]
    if draw(st.booleans()):
        song["tempos"].append({"at": "2|1", "bpm": draw(st.sampled_from([80.0, 150.0])), "ramp": draw(st.booleans())})
    for return_ in document["returns"]:
        return_["chain"] = draw(st.lists(effects(), min_size=1, max_size=3))
    document["moves"] = []
    made = [draw(moves(document)) for _ in range(draw(st.integers(0, 3)))]
    document["moves"] = list({str(move["target"]): move for move in made}.values())
    return Case(document, {"voice.wav": 0, "harp.wav": 1, "drum.wav": 2, "ir/room.wav": 0})


Edit = Callable[[st.DrawFn, Case], None]


def _time(draw: st.DrawFn, case: Case) -> None:
    song = case.document["song"]
    match draw(st.sampled_from(["meter", "later meter", "tempo", "later tempo", "beat", "sections"])):
        case "meter":
            song["meters"][0] = {
                "bar": 1,
                "beats": draw(st.sampled_from([3, 5, 6])),
                "unit": draw(st.sampled_from([4, 8])),
            }
        case "later meter":
            song["meters"].append({"bar": 2, "beats": 3, "unit": 4})
        case "tempo":
            song["tempos"][0]["bpm"] = draw(st.sampled_from([100.0, 121.0, 140.0]))
        case "later tempo":
            song["tempos"][1:] = [{"at": draw(st.sampled_from(PLACES[1:])), "bpm": 90.0, "ramp": draw(st.booleans())}]
        case "beat":
            song["tempos"][0]["beat"] = "1/4."
        case "sections":
            song["sections"][0]["end"] = song["sections"][1]["start"] = draw(st.sampled_from(["1|3", "2|2", "2|3.5"]))


def _track_or_group(draw: st.DrawFn, case: Case) -> None:
    item = draw(st.sampled_from([*case.document["tracks"], *case.document["groups"]]))
    changes: dict[str, st.SearchStrategy[Any]] = {"level_db": st.floats(-30, 6), "mute": st.booleans()}
    if "stem" in item:
        changes |= {"pan": st.floats(-1, 1), "start_s": st.floats(-1, 2), "group": st.sampled_from([None, "band"])}
        changes |= {"stem": st.sampled_from(["voice.wav", "harp.wav", "drum.wav"])}
    else:
        changes |= {"tone": st.builds(lambda rows: {"bands": rows}, st.lists(filters, max_size=2))}
    name = draw(st.sampled_from(sorted(changes)))
    item[name] = draw(changes[name])


def _send(draw: st.DrawFn, case: Case) -> None:
    send = draw(st.sampled_from(case.document["sends"]))
    changes = {
        "level_db": st.floats(-30, 6),
        "on": st.booleans(),
        "pan": st.floats(-1, 1),
        "tap": st.sampled_from(["pre", "post"]),
    }
    name = draw(st.sampled_from(sorted(changes)))
    send[name] = draw(changes[name])


def _return(draw: st.DrawFn, case: Case) -> None:
    return_ = draw(st.sampled_from(case.document["returns"]))
    changes = {"level_db": st.floats(-30, 6), "mute": st.booleans(), "pan": st.floats(-1, 1), "width": st.floats(0, 2)}
    changes |= {"output": st.sampled_from(["main", "band"]), "chain": st.permutations(return_["chain"])}
    name = draw(st.sampled_from(sorted(changes)))
    return_[name] = draw(changes[name])


def _effect(draw: st.DrawFn, case: Case) -> None:
    chain = draw(st.sampled_from([r["chain"] for r in case.document["returns"]]))
    effect = draw(st.sampled_from(chain))
    if draw(st.integers(0, 9)) == 0:
        effect["on"] = not effect["on"]
        return
    parameter = draw(st.sampled_from(KINDS[effect["kind"]].parameters))
    if parameter.name in effect["params"] and not parameter.is_required and draw(st.booleans()):
        del effect["params"][parameter.name]
    else:
        effect["params"][parameter.name] = draw(value(parameter))


def _move(draw: st.DrawFn, case: Case) -> None:
    document = case.document
    if document["moves"] and draw(st.booleans()):
        at = draw(st.integers(0, len(document["moves"]) - 1))
        moved = document["moves"].pop(at)
        if draw(st.booleans()):
            one = value(parameter_of(document, moved["target"]))
            layers = [layer for layer in ("sections", "points", "throws") if moved.get(layer)]
            assume(layers)
            moved = copy.deepcopy(moved)
            draw(st.sampled_from(moved[draw(st.sampled_from(layers))]))["value"] = draw(one)
            document["moves"].insert(at, moved)
        return
    move = draw(moves(document))
    document["moves"] = [*(m for m in document["moves"] if m["target"] != move["target"]), move]


def _file(draw: st.DrawFn, case: Case) -> None:
    name = draw(st.sampled_from(sorted(case.files)))
    case.files[name] = (case.files[name] + 1) % (2 if name.startswith("ir") else 3)


EDITS: tuple[Edit, ...] = (_time, _track_or_group, _send, _return, _effect, _effect, _effect, _move, _move, _file)


@st.composite
def edited_cases(draw: st.DrawFn) -> tuple[Case, Case]:
    before = draw(cases())
    after = copy.deepcopy(before)
    draw(st.sampled_from(EDITS))(draw, after)
    return before, after


class Song:
    """A case with its keys, and its sound, which is rendered when it is asked for."""

    def __init__(self, case: Case) -> None:
        self.plan = plan_from_document(case.document)
        responses = {"ir/room.wav": RESPONSES[case.files["ir/room.wav"]]}
        self._stems = Stems({track.stem: SOUNDS[case.files[track.stem]] for track in self.plan.tracks}, responses)
        hashes = {name: f"{name[:2] == 'ir'} {number}" for name, number in case.files.items()}
        self.keys: dict[str, list[str]] = {}
        for lane in lanes_of(self.plan):
            segments = LaneSegments(self.plan, lane, hashes, responses)
            self.keys[lane] = [segments.key(index) for index in range(SEGMENTS)]

    def sound(self) -> dict[str, np.ndarray]:
        """What every lane sounds like, (2, frames)."""
        block = Engine(self.plan, self._stems).advance(SEGMENTS * segment_frames(self.plan))
        return {DRY: block.dry, **block.returns}


def false_keys(before: Case, after: Case) -> list[tuple[str, int, float]]:
    """Return the segments whose keys are equal although they sound otherwise: lane, index, how much in amplitude."""
    try:
        old, new = Song(before), Song(after)
    except PlanRefusedError:
        assume(False)
        raise
    equal = [(lane, n) for lane in old.keys for n in range(SEGMENTS) if old.keys[lane][n] == new.keys[lane][n]]
    if not equal or (old.plan == new.plan and before.files == after.files):
        return []
    sounds = old.sound(), new.sound()
    frames = segment_frames(old.plan)
    found = []
    for lane, index in equal:
        here = slice(index * frames, (index + 1) * frames)
        by = float(np.abs(sounds[0][lane][:, here] - sounds[1][lane][:, here]).max())
        if by > BELOW_100_DB:
            found.append((lane, index, by))
    return found


@pytest.mark.slow
@settings(
    derandomize=not CASES,
    max_examples=CASES or 60,
    deadline=None,
    database=None,
    suppress_health_check=[HealthCheck.filter_too_much, HealthCheck.too_slow, HealthCheck.data_too_large],
)
@given(edited_cases())
def test_where_an_edit_changes_the_sound_it_changes_the_key(songs: tuple[Case, Case]) -> None:
    try:
        found = false_keys(*songs)
    except CoreError:  # not a song, or one of which an effect can make nothing
        reject()
    assert not found


def one_effect(kind: str, params: dict[str, Any], **more: Any) -> Case:
    """A song whose only return has one effect."""
    document = make_document(bars=3)
    document["song"].update(sections=[], **more.pop("song", {}))
    chain = [*more.pop("behind", []), {"kind": kind, "params": params}]
    document["returns"] = [{"id": "hall", "chain": chain}]
    document["sends"] = [{"from": source, "to": "hall", "level_db": 0.0} for source in ("voice", "drum")]
    document["moves"] = [{"target": {"return": "hall", **move.pop("of")}, **move} for move in more.pop("moves", [])]
    return Case(document, {"voice.wav": 0, "harp.wav": 1, "drum.wav": 2, "ir/room.wav": 0})


ECHO = {"left": "1/8.", "right": "1/8."}


def moved(kind: str, params: dict[str, Any], param: str, *points: tuple[str, Any]) -> Case:
    rows = [{"at": at, "value": value, "shape": "hold"} for at, value in points]
    return one_effect(kind, params, moves=[{"of": {"step": kind, "param": param}, "points": rows}])


HARD_PAIRS = {
    "meters, where a tempo changes later": (
        one_effect("echo", ECHO, song={"tempos": [{"at": "1|1", "bpm": 120}, {"at": "2|1", "bpm": 80}]}),
        one_effect("echo", ECHO, song={"tempos": [{"at": "1|1", "bpm": 120}, {"at": "2|1", "bpm": 80}], "meters": [{"bar": 1, "beats": 3, "unit": 4}]}),
    ),
    "a time that moves later is read between samples before, too": (
        moved("echo", {"left": "100.01ms", "right": "100.01ms"}, "left", ("3|1", "100.01ms"), ("3|2", "100.01ms")),
        moved("echo", {"left": "100.01ms", "right": "100.01ms"}, "left", ("3|1", "250ms"), ("3|2", "250ms")),
    ),
    "a space is built for the shortest decay of the song": (
        moved("reverb", {"space": "hall", "decay_s": 1.5}, "decay_s", ("3|1", 1.0), ("3|3", 1.0)),
        moved("reverb", {"space": "hall", "decay_s": 1.5}, "decay_s", ("3|1", 0.1), ("3|3", 0.1)),
    ),
    "a detune that was other before turned the heads further": (
        moved("doubler", {}, "left_cents", ("1|1", -30.0), ("1|2", -7.0)),
        moved("doubler", {}, "left_cents", ("1|1", -7.0), ("1|2", -7.0)),
    ),
    "a note value is not the speed that it has at one tempo": (
        moved("autopan", {"rate": 1.0, "depth": 1.0}, "rate", ("1|1", 2.0), ("3|4", 2.0)),
        moved("autopan", {"rate": 1.0, "depth": 1.0}, "rate", ("1|1", "1/4"), ("3|4", "1/4")),
    ),
}  # fmt: skip


@pytest.mark.parametrize("pair", HARD_PAIRS.values(), ids=list(HARD_PAIRS))
def test_what_once_made_keys_lie(pair: tuple[Case, Case]) -> None:
    assert not false_keys(*pair)


def test_a_meter_alone_changes_the_key_of_an_echo_behind_a_change_of_tempo() -> None:
    before, after = (Song(case) for case in HARD_PAIRS["meters, where a tempo changes later"])
    differ = [np.abs(a - b).max() for a, b in zip(before.sound().values(), after.sound().values(), strict=True)]
    assert max(differ) > 0.01, "the pair tells nothing"
    assert before.keys["hall"] != after.keys["hall"]


@pytest.mark.parametrize(
    ("kind", "parameter"),
    [(kind, p) for kind in KINDS.values() for p in kind.parameters if p.form is Form.NUMBER and p.default is not None],
    ids=lambda each: each.name,
)
def test_another_default_is_another_key(kind: Kind, parameter: Parameter, monkeypatch: pytest.MonkeyPatch) -> None:
    case = one_effect(kind.name, REQUIRED.get(kind.name, {}), behind=[{"kind": "offset"}])
    before = Song(case).keys["hall"]
    other = replace(parameter, default=(parameter.low + parameter.high) / 2 + 0.01)
    changed = replace(kind, parameters=tuple(other if p is parameter else p for p in kind.parameters))
    monkeypatch.setitem(KINDS, kind.name, changed)  # type: ignore[arg-type]
    assert Song(case).keys["hall"] != before


REQUIRED: dict[str, dict[str, Any]] = {
    "reverb": {"space": "hall", "decay_s": 1.0}, "echo": ECHO, "impulse": {"ir": "ir/room.wav"}, "duck": {"key": "drum"}, "tone": {"bands": []},
}  # fmt: skip


def test_the_engines_version_covers_all_that_renders(monkeypatch: pytest.MonkeyPatch) -> None:
    assert all(name in segments_module.ENGINE_VERSION for name in ("numpy", "numba", "scipy", "soxr"))
    case = one_effect("offset", {})
    before = Song(case).keys
    monkeypatch.setattr(segments_module, "ENGINE_VERSION", "another")
    after = Song(case).keys
    assert all(not set(before[lane]) & set(after[lane]) for lane in before)
