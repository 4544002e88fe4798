"""First designs: where instruments belong, spaces where there are none, front nearer than middle nearer than back."""

import numpy as np
import pytest

from highhall.depth import DepthModel, StemTable, sounds_of
from highhall.depth.drafting import draft, proposed_places, proposed_row
from highhall.depth.spaces import decay_s, is_space
from highhall.errors import CoreError
from highhall.plan import Plan, plan_from_document
from highhall.plan.edits import set_tracks
from highhall.render import Stems
from tests.core.depth_songs import held, plucked, rendered_db, struck
from tests.core.plans import make_document

SOUNDS = {
    "lead": plucked,
    "keys": struck,
    "pad": held,
    "bass": plucked,
    "idle": lambda: np.zeros((1, 48000), np.float32),
}
NAMES = {"lead": "Lead Vox", "keys": "Keys", "pad": "Warm Pad", "bass": "Sub Bass", "idle": "Idle"}


def stems() -> Stems:
    return Stems({f"{key}.wav": sound() for key, sound in SOUNDS.items()})


@pytest.fixture(scope="module")
def model() -> DepthModel:
    document = make_document(bars=6)
    document.update(groups=[], returns=[], sends=[], moves=[])
    document["tracks"] = [{"id": key, "name": NAMES[key], "stem": f"{key}.wav"} for key in SOUNDS]
    document["song"]["sections"] = [
        {"id": "v", "name": "Verse", "start": "1|1", "end": "4|1"},
        {"id": "r", "name": "Refrain", "start": "4|1", "end": "7|1"},
    ]
    plan = plan_from_document(document)
    return DepthModel(plan, StemTable.of(plan, sounds_of(plan, stems())))


def distance(plan: Plan, heard: dict[str, float], section: str) -> float:
    return plan.space.distance_m(heard[section])


@pytest.mark.parametrize(
    ("name", "group", "brightness_hz", "row"),
    [
        ("Lead Voice", "Voices", None, "front"),
        ("Harmony Voices", "Voices", None, "back"),
        ("Double Bass", "Rhythm", 200, "dry"),
        ("Bass Voice", "Choir", 200, "back"),
        ("Kick In", "Drums", 100, "dry"),
        ("Stick", "Drums", 6000, "front"),
        ("Tom", "Drums", 300, "middle"),
        ("Fiddle", "Strings & Winds", 900, "middle"),
        ("Guitar", "", None, "middle"),
    ],
)
def test_instruments_belong_where_their_names_and_groups_say(name, group, brightness_hz, row: str) -> None:
    assert proposed_row(name, group, brightness_hz)[0] == row


def test_a_song_without_returns_gets_spaces_and_front_is_nearer_than_middle_nearer_than_back_in_the_sound(
    model,
) -> None:
    found = draft(model)
    assert proposed_places(model) == {"lead": 2.0, "keys": 4.2, "pad": 8.0, "bass": None, "idle": 4.2}
    spaces = [r for r in found.plan.returns if is_space(r)]
    assert [r.name for r in spaces] == ["Room", "Chamber", "Hall"]
    assert [decay_s(r) for r in spaces] == [0.5, 1.5, 2.75]  # in half beats of 0.25 s
    assert {send.source for send in found.plan.sends} == {"lead", "keys", "pad"}
    heard = {key: rendered_db(found.plan, stems(), key) for key in ("lead", "keys", "pad")}
    for section in "vr":
        front, middle, back = (distance(found.plan, heard[key], section) for key in ("lead", "keys", "pad"))
        assert front * 1.3 < middle
        assert middle * 1.2 < back
    for key in heard:  # verses are nearer
        assert distance(found.plan, heard[key], "v") < 0.95 * distance(found.plan, heard[key], "r")
    assert {placed.source for placed in found.placed} == {"lead", "keys", "pad"}
    assert not any(placed.reason for placed in found.placed)


def test_places_of_ones_own_come_first_and_spaces_that_are_there_are_used(model) -> None:
    once = draft(model, {"keys": 7.0, "bass": 1.6}, verses=1.0)
    assert once.plan.moves == ()
    readings = model.edited(once.plan).readings
    assert once.plan.space.distance_m(readings["keys", None].wet_db) == pytest.approx(7.0, rel=0.002)
    assert once.plan.space.distance_m(readings["bass", None].wet_db) == pytest.approx(1.6, rel=0.002)
    again = draft(model.edited(once.plan), {"keys": 3.0}, left={"pad"}, verses=1.0)
    assert {change.source for change in again.changes} == {"keys"}  # the lead is there already, the pad was left
    assert again.built == ()
    assert len(again.plan.returns) == 3


def test_what_cannot_be_drafted_is_said(model) -> None:
    with pytest.raises(CoreError, match='no track "lute"'):
        draft(model, {"lute": 2.0})
    with pytest.raises(CoreError, match="nothing is to be placed"):
        draft(model, dict.fromkeys(SOUNDS))
    silent = set_tracks(model.plan, ["lead", "keys", "pad", "bass"], mute=True)
    with pytest.raises(CoreError, match="nothing is to be placed"):
        draft(model.edited(silent), {"lead": 2.0})


def test_brightness_is_where_half_of_the_energy_lies(model) -> None:
    assert 150 < model.brightness_hz("pad") < 450
    assert model.brightness_hz("keys") > 2000
    assert model.brightness_hz("idle") is None
