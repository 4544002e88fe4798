"""Segments over HTTP: what is listed can be fetched, and nothing else can."""

import json
import math
from dataclasses import asdict, replace

import numpy as np
import pytest
from django.urls import reverse

from hallweb.audition import ahead, calls
from hallweb.audition.calls import Call
from hallweb.audition.segment_file import HEADROOM, SegmentFile
from hallweb.audition.segments import lane_segments
from hallweb.songs import actions
from hallweb.songs.files import segments_folder
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import open_stems, song_sounds
from hallweb.songs.versions import keep_version
from highhall.measure.loudness import integrated_loudness
from highhall.plan import ReturnTarget, edits
from highhall.render import Engine
from tests.web.factories import make_user


@pytest.fixture
def manifest(signed_in, song):
    return signed_in.get(reverse("audition:manifest", args=[song.pk])).json()


def segment_url(manifest, lane: str, index: int) -> str:
    entry = next(entry for entry in manifest["lanes"] if entry["id"] == lane)
    return entry["url"].replace("INDEX", str(index)).replace("KEY", entry["keys"][index])


def fetched(client, url: str) -> np.ndarray:
    response = client.get(url)
    assert response.status_code == 200
    assert response["Content-Type"] == "audio/flac"
    assert "immutable" in response["Cache-Control"]
    return SegmentFile.of(response.content).sound


def sound(client, manifest, lane: str, index: int) -> np.ndarray:
    """A segment as it is heard: at its lane's fader."""
    gains = next(entry["gains"] for entry in manifest["lanes"] if entry["id"] == lane)
    return fetched(client, segment_url(manifest, lane, index)) * np.array(gains)[:, None]


def test_the_manifest_lists_every_lane_and_beat(manifest) -> None:
    assert [lane["id"] for lane in manifest["lanes"]] == ["dry", "plate", "hall"]
    assert manifest["beats"][:5] == [[0, 1, 1], [24000, 1, 2], [48000, 1, 3], [72000, 1, 4], [96000, 2, 1]]
    assert manifest["endSample"] == 8 * 48000
    assert len(manifest["lanes"][0]["keys"]) * manifest["segmentFrames"] >= manifest["stopSample"]


def test_the_manifest_takes_as_many_queries_whatever_the_length(
    signed_in, song, manifest, django_assert_max_num_queries
) -> None:
    with django_assert_max_num_queries(8):
        signed_in.get(reverse("audition:manifest", args=[song.pk]))


def test_segments_one_after_another_are_the_song(signed_in, song, manifest) -> None:
    plan = plan_of(song.head.pk)
    engine = Engine(plan, open_stems(song_sounds(song.pk), 48000))
    whole = engine.advance(3 * manifest["segmentFrames"])
    for lane, expected in (("dry", whole.dry), ("hall", whole.returns["hall"])):
        heard = np.concatenate([sound(signed_in, manifest, lane, index) for index in range(3)], axis=1)
        assert np.abs(heard - expected).max() < 2 * HEADROOM / 2**23


def test_an_edit_changes_the_keys_of_the_lanes_it_touches_only(signed_in, song, manifest) -> None:
    actions.edit_plan(song.pk, 1, "Wider", lambda plan: edits.set_return(plan, "hall", width=0.5))
    after = signed_in.get(reverse("audition:manifest", args=[song.pk])).json()
    keys = [{lane["id"]: lane["keys"] for lane in m["lanes"]} for m in (manifest, after)]
    assert keys[0]["dry"] == keys[1]["dry"]
    assert keys[0]["plate"] == keys[1]["plate"]
    assert not set(keys[0]["hall"]) & set(keys[1]["hall"])


@pytest.mark.parametrize(
    "fields", [{"level_db": 2.0}, {"mute": True}, {"pan": -0.5}, {"level_db": -20.0, "pan": 1.0}, {"level_db": None}]
)
def test_a_returns_own_fader_is_played_and_needs_no_other_segments(signed_in, song, manifest, fields) -> None:
    actions.edit_plan(song.pk, 1, "Fader", lambda plan: edits.set_return(plan, "hall", **fields))
    after = signed_in.get(reverse("audition:manifest", args=[song.pk])).json()
    keys = [{lane["id"]: lane["keys"] for lane in m["lanes"]} for m in (manifest, after)]
    assert keys[0]["hall"] == keys[1]["hall"]
    song.refresh_from_db()
    expected = Engine(plan_of(song.head_id), open_stems(song_sounds(song.pk), 48000)).advance(2 * 48000)
    heard = sound(signed_in, after, "hall", 0)
    assert np.abs(heard - expected.returns["hall"]).max() < 2 * HEADROOM / 2**23


def test_a_fader_that_moves_stays_in_the_segments(signed_in, song) -> None:
    level = ReturnTarget(target="hall", param="level_db")
    actions.edit_plan(song.pk, 1, "Moved", lambda plan: edits.set_section_value(plan, level, "a", -9.0))
    hall = signed_in.get(reverse("audition:manifest", args=[song.pk])).json()["lanes"][2]
    assert hall["gains"] == pytest.approx([1.0, 1.0])
    assert not hall["isLevelStill"]


def test_a_lane_that_is_louder_than_its_headroom_is_kept_without_a_clip(signed_in, song) -> None:
    actions.edit_plan(song.pk, 1, "Hot", lambda plan: edits.set_send(plan, "voice", "hall", level_db=24.0))
    actions.edit_plan(song.pk, 2, "Hotter", lambda plan: edits.set_tracks(plan, ["voice", "harp"], level_db=24.0))
    actions.edit_plan(song.pk, 3, "Still hotter", lambda plan: edits.set_group(plan, "band", level_db=24.0))
    after = signed_in.get(reverse("audition:manifest", args=[song.pk])).json()
    response = signed_in.get(segment_url(after, "hall", 1))
    assert SegmentFile.of(response.content).headroom > HEADROOM
    song.refresh_from_db()
    engine = Engine(plan_of(song.head_id), open_stems(song_sounds(song.pk), 48000))
    expected = [engine.advance(2 * 48000).returns["hall"] for _ in range(2)][1]
    heard = sound(signed_in, after, "hall", 1)
    assert np.abs(heard - expected).max() < 1e-4 * np.abs(expected).max()


def test_a_made_up_key_or_lane_is_404(signed_in, manifest) -> None:
    url = segment_url(manifest, "dry", 0)
    assert signed_in.get(url.replace(url[-13:-5], "00000000")).status_code == 404
    assert signed_in.get(url.replace("/dry/", "/attic/")).status_code == 404
    assert signed_in.get(url.replace("/1/dry/", "/7/dry/")).status_code == 404


def test_another_users_segment_is_404_even_when_it_lies_on_disk(signed_in, client, manifest) -> None:
    url = segment_url(manifest, "plate", 1)
    fetched(signed_in, url)
    client.force_login(make_user("mallory"))
    assert client.get(url).status_code == 404


def test_a_segment_that_cannot_be_stored_is_heard_all_the_same_and_nothing_half_written_is_left(
    signed_in, manifest, monkeypatch
) -> None:
    def break_off(*_args: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("pathlib.Path.write_bytes", break_off)
    url = segment_url(manifest, "hall", 2)
    assert fetched(signed_in, url).any()
    monkeypatch.undo()
    assert not [path for path in segments_folder().rglob("*") if path.is_file()]


def listed(client, song, **said):
    query = {name.replace("_", "-"): value for name, value in said.items()}
    return client.get(reverse("audition:manifest", args=[song.pk]), query).json()


def keys_of(manifest):
    return {lane["id"]: lane["keys"] for lane in manifest["lanes"]}


def test_without_sends_the_dry_sound_plays_on_and_returns_ring_out(signed_in, song, manifest) -> None:
    frames = manifest["segmentFrames"]
    cut = listed(signed_in, song, sends_end=frames)
    before, after = keys_of(manifest), keys_of(cut)
    assert before["dry"] == after["dry"][: len(before["dry"])]
    assert before["hall"][0] == after["hall"][0]
    assert before["hall"][1] != after["hall"][1]
    assert np.abs(sound(signed_in, cut, "plate", 3)).max() < 1e-3
    assert np.abs(sound(signed_in, manifest, "plate", 3)).max() > 1e-2


def test_a_held_send_alone_times_the_change_of_its_gain_is_what_the_edit_adds(signed_in, song, manifest) -> None:
    feed = listed(signed_in, song, held="send/voice/hall")
    assert [lane["id"] for lane in feed["lanes"]] == ["hall"]
    actions.edit_plan(song.pk, 1, "Level", lambda plan: edits.set_send(plan, "voice", "hall", level_db=-6.0))
    after = listed(signed_in, song)
    old = plan_of(song.head.pk).send("voice", "hall").level_db
    still = slice(0, 80000)  # before the ramp to the next section's level
    before, alone, now = (sound(signed_in, m, "hall", 1)[:, still] for m in (manifest, feed, after))
    moved = before + (10 ** (-6 / 20) - 10 ** (old / 20)) * alone
    assert np.abs(moved - now).max() < 3e-5 * np.abs(now).max()


def by_pan(pan: float) -> tuple[float, float]:
    return math.cos((pan + 1) * math.pi / 4), math.sin((pan + 1) * math.pi / 4)


@pytest.mark.parametrize(("field", "value"), [("level_db", 3.0), ("pan", 0.5)])
@pytest.mark.parametrize("who", ["track/voice", "track/drum", "return/plate", "return/hall", "send/plate/hall"])
def test_a_held_level_or_pan_times_the_change_of_its_gain_is_what_the_edit_adds_to_every_lane(
    signed_in, song, manifest, who: str, field: str, value: float
) -> None:
    kind, *part = who.split("/")
    plan = plan_of(song.head.pk)
    owner = {"track": plan.track, "return": plan.return_, "send": plan.send}[kind](*part)
    old = getattr(owner, field)

    def sounds(manifest) -> dict[str, np.ndarray]:
        return {lane["id"]: sound(signed_in, manifest, lane["id"], 1) for lane in manifest["lanes"]}

    if field == "level_db":
        added = [(10 ** (value / 20) - 10 ** (old / 20), sounds(listed(signed_in, song, held=who)))]
    else:
        sides = [sounds(listed(signed_in, song, held=who, side=side)) for side in ("left", "right")]
        added = [(new - was, side) for new, was, side in zip(by_pan(value), by_pan(old), sides, strict=True)]
    before = sounds(manifest)
    edit = {
        "track": lambda p, track, **f: edits.set_tracks(p, [track], **f),
        "return": edits.set_return,
        "send": edits.set_send,
    }
    actions.edit_plan(song.pk, 1, "Changed", lambda plan: edit[kind](plan, *part, **{field: value}))
    for lane, now in sounds(listed(signed_in, song)).items():
        moved = before[lane] + sum(gain * parts[lane] for gain, parts in added if lane in parts)
        assert np.abs(moved - now).max() < 4e-6, lane  # segments have 24 bits below +18 dBFS
    assert any(lane in parts and np.abs(parts[lane]).max() > 0.01 for _, parts in added for lane in before)


def test_a_send_held_in_a_section_is_silent_in_others(signed_in, song, manifest) -> None:
    frames = manifest["segmentFrames"]  # two seconds, a bar of four quarters at 120: the section begins with segment 2
    feed = listed(signed_in, song, held="send/voice/plate", section="b")
    assert not sound(signed_in, feed, "plate", 0).any()
    assert sound(signed_in, feed, "plate", 2).any()
    assert frames == 96000
    assert [lane["id"] for lane in feed["lanes"]] == ["plate", "hall"]  # the plate feeds the hall
    assert listed(signed_in, song, held="send/harp/plate")["lanes"] == []  # there is no such send


def test_what_a_return_is_fed_comes_with_its_segments(signed_in, song, manifest) -> None:
    plan, stems = plan_of(song.head.pk), open_stems(song_sounds(song.pk), 48000)
    engine = Engine(plan, stems)
    fed = engine.advance(manifest["segmentFrames"]).fed["hall"]
    expected = np.abs(fed).max(axis=0).reshape(20, 4800).max(axis=1)
    for _ in range(2):  # rendered, then read again
        told = SegmentFile.of(signed_in.get(segment_url(manifest, "hall", 0)).content).fed_peaks
        assert np.allclose(told, expected, rtol=1e-3)
    assert SegmentFile.of(signed_in.get(segment_url(manifest, "dry", 0)).content).fed_peaks == ()


def test_a_segment_that_was_damaged_on_disk_is_made_anew(signed_in, manifest) -> None:
    url = segment_url(manifest, "hall", 0)
    whole = signed_in.get(url).content
    (kept,) = (path for path in segments_folder().rglob("*.flac") if path.stem in url)
    kept.write_bytes(whole[:-100] + bytes(100))
    assert signed_in.get(url).content == whole == kept.read_bytes()


def test_the_loudness_of_a_passage_is_that_of_its_sound(signed_in, song) -> None:
    plan, stems = plan_of(song.head.pk), open_stems(song_sounds(song.pk), 48000)
    block = Engine(plan, stems).advance(4 * 48000)
    address = reverse("audition:loudness", args=[song.pk])
    told = signed_in.get(address, {"from": 48000, "to": 4 * 48000}).json()
    for name, sound in (("full", block.main), ("dry", block.dry)):
        assert told[name] == pytest.approx(integrated_loudness(sound[:, 48000:], 48000), abs=0.05)
    assert signed_in.get(address, {"from": "x", "to": 9}).status_code == 404
    short = signed_in.get(address, {"from": 0, "to": 100})
    assert short.status_code == 422
    assert "0.4 s" in short.json()["problem"]


def test_a_version_is_heard_as_it_was(signed_in, song, manifest) -> None:
    version = keep_version(song, 1, "First")
    actions.edit_plan(song.pk, 1, "Wider", lambda plan: edits.set_return(plan, "hall", width=0.5))
    assert keys_of(listed(signed_in, song))["hall"] != keys_of(manifest)["hall"]
    then = listed(signed_in, song, version=version.pk)
    assert keys_of(then) == keys_of(manifest)
    assert np.array_equal(sound(signed_in, then, "hall", 1), sound(signed_in, manifest, "hall", 1))
    assert signed_in.get(reverse("audition:manifest", args=[song.pk]), {"version": "999"}).status_code == 404


def test_another_users_version_and_loudness_are_404(client, song) -> None:
    version = keep_version(song, 1, "First")
    client.force_login(make_user("mallory"))
    for name in ("manifest", "loudness"):
        address = reverse(f"audition:{name}", args=[song.pk])
        assert client.get(address, {"version": version.pk, "from": 0, "to": 96000}).status_code == 404


def test_a_call_that_cannot_be_answered_keeps_no_other_from_being_heard(song, caplog) -> None:
    known = Call(song.pk, song.head_id, None, 0, 2)
    for said in (
        json.dumps({"song_id": 1, "lanes": ["hall"]}),
        json.dumps(asdict(replace(known, revision_id=known.revision_id + 999))),
    ):
        calls._answered(ahead._begin, said)
    assert caplog.text.count("was not answered") == 2
    heard = []
    calls._answered(heard.append, json.dumps(asdict(known)))
    assert heard == [known]


def test_the_lanes_of_a_heavy_song_are_spread_and_each_process_renders_its_own_ahead(
    signed_in, song, monkeypatch
) -> None:
    address = reverse("audition:manifest", args=[song.pk])
    assert all("spread" not in lane["url"] for lane in signed_in.get(address).json()["lanes"])
    monkeypatch.setattr("hallweb.audition.segments._MOST_LANES", 1)
    lanes = signed_in.get(f"{address}?alone=voice").json()["lanes"]
    assert all(lane["url"].endswith("?alone=voice&spread=1") for lane in lanes)
    dry = next(lane for lane in signed_in.get(address).json()["lanes"] if lane["id"] == "dry")
    assert signed_in.get(dry["url"].replace("INDEX", "0").replace("KEY", dry["keys"][0])).status_code == 200
    begun = []
    monkeypatch.setattr("hallweb.audition.ahead._pool.submit", lambda *said: begun.extend(s.lane for s in said[-1]))
    ahead._begin(Call(song.pk, song.head_id, None, 0, 2))
    assert begun == ["dry"]


def test_what_is_called_for_is_rendered_in_the_order_in_which_it_is_heard_the_quickest_first(song, monkeypatch) -> None:
    rendered = []
    monkeypatch.setattr(
        ahead, "render_segment", lambda _, segments, index, _way: rendered.append((index, segments.lane))
    )
    monkeypatch.setattr(ahead._pool, "submit", lambda work, *said: work(*said))
    ahead._begin(Call(song.pk, song.head_id, None, 3, 2))
    lanes = [lane for index, lane in rendered if index == 3]
    assert rendered == [(index, lane) for index in (3, 4) for lane in lanes]
    memories = [lane_segments(song_sounds(song.pk), song.head_id, lane).memory for lane in lanes]
    assert len(lanes) > 2
    assert memories == sorted(memories)


def test_a_later_call_takes_the_place_of_one_at_work(song, monkeypatch) -> None:
    rendered = []

    def render(_sounds, segments, index, _give_way) -> None:
        rendered.append((index, segments.lane))
        ahead._songs[song.pk].newest = Call(song.pk, song.head_id, None, 9, 2)

    monkeypatch.setattr(ahead, "render_segment", render)
    monkeypatch.setattr(ahead._pool, "submit", lambda work, *said: work(*said))
    ahead._begin(Call(song.pk, song.head_id, None, 3, 2))
    assert len(rendered) == 1
