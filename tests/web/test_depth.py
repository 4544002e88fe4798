"""Depth models of songs in the web application: what is kept, and when they can be read at once."""

import pytest

from hallweb.analysis.depth import prepare, ready_model
from hallweb.audition.wetness import heard_wetness, predicted_depth
from hallweb.songs.actions import edit_plan
from hallweb.songs.files import analyses_folder
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.depth import DepthModel, StemTable, sounds_of
from highhall.memo import Memo
from highhall.plan.edits import add_return, effect_of_kind, rename_section, set_send, set_tracks
from tests.web.factories import stored_plan

pytestmark = pytest.mark.django_db


def energies() -> set[str]:
    return {path.name for path in analyses_folder().glob("*-energies-*.npy")}


def test_a_songs_model_is_that_of_its_stems_and_its_spectra_are_kept(song) -> None:
    plan, sounds = stored_plan(song), song_sounds(song.pk)
    assert ready_model(sounds, plan) is None
    prepare(sounds, plan)
    model = ready_model(sounds, plan)
    assert model is not None
    own = DepthModel(plan, StemTable.of(plan, sounds_of(plan, open_stems(sounds, plan.song.sample_rate))))
    for key, reading in own.readings.items():
        assert model.readings[key].wet_db == pytest.approx(reading.wet_db, abs=0.05)
    assert len(energies()) == 6  # three stems in two sections


def test_an_edit_is_read_at_once_unless_stems_or_several_chains_have_to_be_heard_first(song) -> None:
    plan, sounds = stored_plan(song), song_sounds(song.pk)
    prepare(sounds, plan)
    kept = energies()
    assert ready_model(sounds, set_send(plan, "voice", "plate", level_db=-3.0)) is not None
    assert ready_model(sounds, rename_section(plan, "a", "Opening")) is not None
    assert ready_model(sounds, set_tracks(plan, ["voice"], start_s=1.0)) is None
    one, key = add_return(plan, "One", (effect_of_kind("reverb", "space", {"space": "room", "decay_s": 0.5}),))
    one = set_send(one, "voice", key, level_db=-9.0)
    assert ready_model(sounds, one) is not None
    two, key = add_return(one, "Two", (effect_of_kind("reverb", "space", {"space": "room", "decay_s": 0.7}),))
    two = set_send(two, "voice", key, level_db=-9.0)
    assert ready_model(sounds, two) is None
    prepare(sounds, two)
    assert ready_model(sounds, two) is not None
    assert energies() == kept


def test_a_model_that_was_forgotten_is_made_again(song, monkeypatch) -> None:
    assert predicted_depth(song.head) is not None
    edit_plan(song.pk, 1, "Louder", lambda plan: set_send(plan, "voice", "plate", level_db=0.0))
    song.refresh_from_db()
    monkeypatch.setattr("hallweb.analysis.depth._tables", Memo(8))
    model = predicted_depth(song.head)
    assert model is not None
    assert model.readings["voice", "a"].by_return_db["plate"] > -8


def test_what_was_heard_of_a_source_corrects_what_is_predicted_of_it_and_of_the_next_edit(song) -> None:
    sounds, plan = song_sounds(song.pk), stored_plan(song)
    before = predicted_depth(song.head)
    assert before is not None
    heard_wetness(song.head, "voice", "a")  # begins; here it is done at once
    heard = heard_wetness(song.head, "voice", "a")
    after = ready_model(sounds, plan)
    assert heard is not None
    assert after is not None
    assert after.readings["voice", "a"].wet_db == pytest.approx(heard, abs=0.01)
    assert after.readings["voice", "a"].is_measured
    assert after.readings["harp", "a"] == before.readings["harp", "a"]
    moved = ready_model(sounds, set_send(plan, "voice", "plate", level_db=-12.0))
    assert moved is not None
    edited = before.edited(set_send(plan, "voice", "plate", level_db=-12.0)).readings["voice", "a"].wet_db
    off = heard - (before.readings["voice", "a"].wet_db or 0.0)
    assert moved.readings["voice", "a"].wet_db == pytest.approx((edited or 0.0) + off, abs=0.5)
