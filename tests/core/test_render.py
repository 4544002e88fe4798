"""The renderer: parts that sum to the whole, bits that do not depend on how it is run, levels and pans."""

import numpy as np
import pytest
import soundfile as sf

from highhall.curves import gain_of_db
from highhall.plan import document_of, edits, plan_from_document
from highhall.plan.model import SendTarget
from highhall.prints import PrintOptions, print_plan
from highhall.render import DRY, Engine, Stems
from highhall.render.held import held_bytes
from highhall.render.segment_renderer import SegmentRenderer
from highhall.render.segments import LaneSegments, segment_frames
from tests.core.plans import make_document, make_plan, make_stems
from tests.core.signals import db


def read(path):
    return sf.read(path, dtype="float64")[0].T


@pytest.fixture(scope="module")
def printed(tmp_path_factory):
    plan = make_plan()
    folder = tmp_path_factory.mktemp("print")
    summary = print_plan(plan, make_stems(plan), folder, PrintOptions(depth="32f"))
    return plan, folder, {name: read(folder / name) for name in summary.paths}


def test_main_is_dry_plus_all_returns_and_all_groups_plus_the_rest(printed) -> None:
    _, _, files = printed
    main = files["main.wav"]
    parts = files["dry.wav"] + files["returns/plate.wav"] + files["returns/hall.wav"]
    assert 20 * np.log10(np.abs(main - parts).max() / np.abs(main).max()) < -120
    # What is outside the group: the voice, and the hall.
    plan = make_plan()
    voice = plan.track("voice")
    stem = make_stems(plan).samples(voice)[0]
    alone = np.zeros_like(main)
    theta = (voice.pan + 1) * np.pi / 4
    alone[:, : len(stem)] = gain_of_db(-3.0) * stem * np.array([[np.cos(theta)], [np.sin(theta)]])
    grouped = files["groups/band.wav"] + files["returns/hall.wav"] + alone
    assert 20 * np.log10(np.abs(main - grouped).max() / np.abs(main).max()) < -120


def test_all_files_have_one_length_and_end_in_silence(printed) -> None:
    plan, _, files = printed
    lengths = {signal.shape[1] for signal in files.values()}
    assert len(lengths) == 1
    assert lengths.pop() > plan.song.end_sample  # the tail is there
    for signal in files.values():
        assert np.abs(signal[:, -1]).max() < 10 ** (-80 / 20)


@pytest.mark.parametrize("options", [{"block_frames": 1000}, {"block_frames": 48000, "threads": 1}, {"threads": 4}])
def test_block_sizes_and_threads_change_no_bit(printed, tmp_path, options) -> None:
    plan, _, files = printed
    print_plan(plan, make_stems(plan), tmp_path, PrintOptions(depth="32f", **options))
    for name, signal in files.items():
        np.testing.assert_array_equal(read(tmp_path / name), signal)


def test_a_print_from_later_holds_what_rings_on_bit_for_bit(printed, tmp_path) -> None:
    plan, _, files = printed
    start = 100_000
    print_plan(
        plan, make_stems(plan), tmp_path, PrintOptions(depth="32f", start_sample=start, kinds=("main", "returns"))
    )
    for name in ("main.wav", "returns/hall.wav"):
        later = read(tmp_path / name)
        np.testing.assert_array_equal(later, files[name][:, start : start + later.shape[1]])


def test_with_an_end_the_tracks_stop_there_and_returns_ring_on(tmp_path) -> None:
    plan = make_plan()
    end = 150_000
    print_plan(plan, make_stems(plan), tmp_path, PrintOptions(depth="32f", end_sample=end))
    dry, hall = read(tmp_path / "dry.wav"), read(tmp_path / "returns/hall.wav")
    assert not dry[:, end + 2000 :].any() or np.abs(dry[:, end + 2000 :]).max() < 1e-6  # the group's filter settles
    assert np.abs(hall[:, end + 2000 : end + 20000]).max() > 1e-3


def solo_plan(**track):
    document = make_document()
    document.update(groups=[], returns=[], sends=[], moves=[])
    document["tracks"] = [{"id": "voice", "stem": "voice.wav", **track}]
    return plan_from_document(document)


@pytest.mark.parametrize(
    ("pan", "left", "right"), [(0.0, 2**-0.5, 2**-0.5), (-1.0, 1.0, 0.0), (1.0, 0.0, 1.0), (0.5, 0.382683, 0.923880)]
)
def test_mono_pan_keeps_power(pan: float, left: float, right: float) -> None:
    stems = Stems({"voice.wav": np.ones((1, 100), np.float32)})
    dry = Engine(solo_plan(pan=pan), stems).advance(100).dry
    np.testing.assert_allclose(dry[:, 50], [left, right], atol=1e-6)


def test_a_stereo_track_is_unity_in_the_centre_and_mute_is_silence() -> None:
    stems = Stems({"voice.wav": np.stack([np.full(10, 0.5), np.full(10, -0.25)]).astype(np.float32)})
    np.testing.assert_allclose(Engine(solo_plan(), stems).advance(10).dry[:, 5], [0.5, -0.25], atol=1e-7)
    assert not Engine(solo_plan(mute=True), stems).advance(10).dry.any()


@pytest.mark.parametrize(("start_s", "first"), [(0.5, 24000), (-0.25, -12000)])
def test_a_stem_starts_where_it_is_told(start_s: float, first: int) -> None:
    ramp = np.arange(1, 60001, dtype=np.float32)[None] / 60000
    dry = Engine(solo_plan(start_s=start_s, pan=-1), Stems({"voice.wav": ramp})).advance(90000).dry[0]
    expected = np.zeros(90000)
    expected[max(first, 0) : first + 60000] = ramp[0, max(-first, 0) :]
    np.testing.assert_allclose(dry, expected, atol=1e-7)


def test_a_pre_fader_send_hears_the_stem_whatever_the_fader_does() -> None:
    document = make_document()
    document["moves"] = []
    document["sends"] = [{"from": "voice", "to": "hall", "tap": "pre"}]
    loud = plan_from_document(document)
    document["tracks"][0].update(mute=True, level_db=-40.0)
    muted = plan_from_document(document)
    stems = make_stems(loud)
    first, second = (Engine(p, stems, lanes={"hall"}).advance(60000).returns["hall"] for p in (loud, muted))
    np.testing.assert_array_equal(first, second)


def test_a_group_send_carries_its_tracks_but_never_its_returns() -> None:
    document = make_document()
    document["moves"] = []
    document["sends"] = [{"from": "voice", "to": "plate"}, {"from": "band", "to": "hall"}]
    with_plate = plan_from_document(document)
    document["sends"] = document["sends"][1:]
    without = plan_from_document(document)
    stems = make_stems(with_plate)
    first, second = (Engine(p, stems, lanes={"hall"}).advance(60000).returns["hall"] for p in (with_plate, without))
    assert first.any()
    np.testing.assert_array_equal(first, second)


def test_a_return_without_an_effect_is_silent() -> None:
    document = make_document()
    document["returns"][0]["chain"] = [{"kind": "tone", "params": {"bands": []}}]
    plan = plan_from_document(document)
    assert not Engine(plan, make_stems(plan), lanes={"plate"}).advance(30000).returns["plate"].any()


def test_a_steps_switch_bypasses_it() -> None:
    document = make_document()
    document["moves"] = []
    off = make_document()
    off["moves"] = []
    off["returns"][1]["chain"][1]["on"] = False
    del document["returns"][1]["chain"][1]
    stems = make_stems(plan_from_document(document))
    first, second = (
        Engine(plan_from_document(d), stems, lanes={"hall"}).advance(30000).returns["hall"] for d in (document, off)
    )
    np.testing.assert_array_equal(first, second)


def test_a_send_level_sets_the_wet_level_in_db() -> None:
    document = make_document()
    document["moves"] = []
    document["sends"] = [{"from": "voice", "to": "hall", "level_db": 0.0}]
    stems = make_stems(plan_from_document(document))
    powers = []
    for level in (0.0, -12.0):
        document["sends"][0]["level_db"] = level
        heard = Engine(plan_from_document(document), stems, lanes={"hall"}).advance(90000).returns["hall"]
        powers.append(np.mean(heard.astype(np.float64) ** 2))
    assert db(powers[1] / powers[0]) == pytest.approx(-12.0, abs=0.01)


def test_24_bit_prints_clip_and_count(tmp_path) -> None:
    plan = solo_plan(level_db=12.0, pan=-1)
    stems = Stems({"voice.wav": np.full((1, 1000), 0.5, np.float32)})
    summary = print_plan(plan, stems, tmp_path, PrintOptions(kinds=("main",), tail_s=0.0))
    assert summary.clipped_samples == {"main.wav": 1000}
    assert read(tmp_path / "main.wav").max() == pytest.approx(1.0, abs=1e-6)


def test_16_bit_dither_is_seeded_and_one_step_wide(tmp_path) -> None:
    plan, stems = solo_plan(), Stems({"voice.wav": np.zeros((1, 48000), np.float32)})
    for name in ("a", "b"):
        print_plan(plan, stems, tmp_path / name, PrintOptions(kinds=("main",), depth="16", tail_s=0.0))
    first, second = read(tmp_path / "a/main.wav"), read(tmp_path / "b/main.wav")
    np.testing.assert_array_equal(first, second)
    assert 0 < np.abs(first).max() <= 2 / 32768


def test_nothing_is_left_behind_when_a_print_is_cancelled(tmp_path) -> None:
    plan = make_plan()

    def cancel(share: float) -> None:
        if share > 0.3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        print_plan(plan, make_stems(plan), tmp_path, PrintOptions(), cancel)
    assert list(tmp_path.iterdir()) == []


def test_a_captured_space_gives_the_same_bits_in_blocks_of_any_size() -> None:
    document = make_document()
    document["returns"][1]["chain"] = [{"kind": "impulse", "params": {"ir": "ir/room.wav"}}]
    plan = plan_from_document(document)
    noise = np.random.default_rng(3).standard_normal((2, 30_000)).astype(np.float32)
    sources = {track.stem: make_stems(plan).samples(track) for track in plan.tracks}
    stems = Stems(sources, {"ir/room.wav": noise * np.float32(0.01)})
    whole = Engine(plan, stems).advance(60_000).returns["hall"]
    engine = Engine(plan, stems)
    parts = [engine.advance(frames).returns["hall"] for frames in (1, 10_000, 777, 40_000, 9_222)]
    assert np.abs(whole).max() > 0.01
    np.testing.assert_array_equal(np.concatenate(parts, axis=1), whole)


HASHES = {"voice.wav": "1", "harp.wav": "2", "drum.wav": "3"}


@pytest.mark.parametrize("lane", [DRY, "plate", "hall"])
def test_segments_agree_with_the_print_wherever_they_start(printed, lane: str) -> None:
    plan, _, files = printed
    whole = files["dry.wav" if lane == DRY else f"returns/{lane}.wav"]
    stems, frames = make_stems(plan), segment_frames(plan)
    segments = LaneSegments(plan, lane, HASHES)
    for index in (0, 3, 6):
        alone = SegmentRenderer(kept_bytes=0).render(segments, stems, index).sound
        expected = np.zeros_like(alone)
        stretch = whole[:, index * frames : (index + 1) * frames]
        expected[:, : stretch.shape[1]] = stretch
        assert np.abs(alone - expected).max() < 10 ** (-100 / 20) * np.abs(whole).max()


def test_a_segment_that_follows_another_goes_on_from_it_bit_for_bit(printed) -> None:
    plan, _, files = printed
    renderer, stems, frames = SegmentRenderer(kept_bytes=64 << 20), make_stems(plan), segment_frames(plan)
    segments = LaneSegments(plan, "hall", HASHES)
    heard = np.concatenate([renderer.render(segments, stems, index).sound for index in range(4)], axis=1)
    np.testing.assert_array_equal(heard, files["returns/hall.wav"][:, : 4 * frames])


def test_an_engine_that_serves_another_revision_goes_no_further_than_both_sound_the_same() -> None:
    document = make_document(bars=16)
    document["song"]["sections"][1].update(start="9|1", end="13|1")
    level = SendTarget(source="voice", target="hall", param="level_db")
    plans = [edits.set_section_value(plan_from_document(document), level, "b", db) for db in (-20.0, -3.0)]
    old, new = (LaneSegments(plan, "hall", HASHES) for plan in plans)
    first = next(index for index in range(20) if old.key(index) != new.key(index))
    stems, renderer = make_stems(plans[0]), SegmentRenderer(kept_bytes=64 << 20)
    for index in range(first - 1):
        renderer.render(old, stems, index)
    for index in range(first - 1, first + 3):
        heard, alone = (r.render(new, stems, index).sound for r in (renderer, SegmentRenderer(kept_bytes=0)))
        assert np.abs(heard - alone).max() < 10 ** (-100 / 20) * np.abs(alone).max()


def test_what_rests_takes_no_more_memory_than_they_are_given(printed) -> None:
    plan, _, files = printed
    stems = make_stems(plan)
    segments = LaneSegments(plan, "hall", HASHES)
    alone = SegmentRenderer(kept_bytes=64 << 20)
    alone.render(segments, stems, 0)
    one = alone.held_bytes
    assert one > 100_000  # a hall of sixteen lines
    few = SegmentRenderer(kept_bytes=3 * one)
    for index in (5, 4, 3, 2, 1, 0):
        few.render(segments, stems, index)
        assert few.held_bytes <= 3 * one
    assert few.held_bytes > 2 * one
    printed_there = files["returns/hall.wav"][:, 96000:192000]
    np.testing.assert_allclose(
        few.render(segments, stems, 1).sound, printed_there, atol=1e-5 * np.abs(printed_there).max()
    )


def test_what_an_object_holds_counts_whole_arrays_once_and_not_what_others_own() -> None:
    whole = np.zeros(1000, np.float32)
    assert held_bytes({"views": [whole[:10], whole[10:]], "own": np.zeros(3)}) == 4024
    stems = make_stems(make_plan())
    assert held_bytes([stems, whole], apart=(type(stems),)) == 4000


def keys(plan, lane, count=8):
    segments = LaneSegments(plan, lane, HASHES)
    return [segments.key(index) for index in range(count)]


def test_an_edit_of_one_return_leaves_the_keys_of_other_lanes() -> None:
    plan = make_plan()
    changed = edits.set_return(plan, "hall", level_db=-3.0)
    assert keys(plan, DRY) == keys(changed, DRY)
    assert keys(plan, "plate") == keys(changed, "plate")
    assert not set(keys(plan, "hall")) & set(keys(changed, "hall"))


def test_an_edit_of_a_return_changes_what_it_feeds() -> None:
    plan = make_plan()
    changed = edits.set_return(plan, "plate", level_db=-3.0)
    assert not set(keys(plan, "hall")) & set(keys(changed, "hall"))


def test_an_edit_in_one_section_leaves_the_segments_before_it_and_after_its_tail() -> None:
    plan = make_plan(bars=20)
    from highhall.plan import SendTarget

    target = SendTarget(source="voice", target="hall", param="level_db")
    changed = edits.set_section_value(plan, target, "b", -30.0)
    before, after = keys(plan, "hall", 20), keys(changed, "hall", 20)
    differ = [index for index in range(20) if before[index] != after[index]]
    # Section b lies from 4 s to 8 s; the hall listens back for 3 to 4.5 s.
    assert differ[0] in (1, 2)
    assert differ == list(range(differ[0], differ[-1] + 1))
    assert differ[-1] in (5, 6, 7)


def test_keys_differ_where_anything_audible_differs() -> None:
    base = document_of(make_plan())

    def variant(change):
        document = document_of(make_plan())
        change(document)
        return tuple(keys(plan_from_document(document), "hall", 3))

    seen = {tuple(keys(plan_from_document(base), "hall", 3))}
    for change in (
        lambda d: d["tracks"][0].update(stem="harp.wav"),
        lambda d: d["tracks"][0].update(start_s=0.1),
        lambda d: d["tracks"][1].update(level_db=-1.0),
        lambda d: d["groups"][0].update(mute=True),
        lambda d: d["returns"][1]["chain"][0]["params"].update(decay_s=1.6),
        lambda d: d["returns"][1]["chain"][1]["params"]["bands"][0].update(hz=210),
        lambda d: d["returns"][1].update(output="band"),
        lambda d: d["returns"][1].update(pan=0.1),
        lambda d: d["returns"][1].update(width=0.5),
        lambda d: d["sends"][1].update(tap="post"),
        lambda d: d["sends"][2].update(on=False),
        lambda d: d["sends"][3].update(pan=0.5),
        lambda d: d["song"]["tempos"][0].update(bpm=121.0),
    ):
        made = variant(change)
        assert made not in seen
        seen.add(made)


def test_segments_after_the_tracks_have_stopped_agree_with_the_print_and_those_before_keep_their_keys() -> None:
    plan = make_plan(bars=8)
    stems = make_stems(plan)
    hashes = {track.stem: track.id for track in plan.tracks}
    end = 5 * 48000 + 1234
    whole, stopped = (LaneSegments(plan, "hall", hashes, tracks_end=at) for at in (None, end))
    assert [whole.key(i) == stopped.key(i) for i in range(5)] == [True, True, False, False, False]
    engine = Engine(plan, stems, tracks_end=end)
    expected = np.concatenate([engine.advance(96000).returns["hall"] for _ in range(5)], axis=1)
    renderer = SegmentRenderer(kept_bytes=64 << 20)
    renderer.render(whole, stems, 1)  # the engine that has played on so far
    heard = np.concatenate([renderer.render(stopped, stems, i).sound for i in (2, 3, 4)], axis=1)
    np.testing.assert_allclose(heard, expected[:, 2 * 96000 :], atol=1e-5)
    assert np.abs(heard[:, -48000:]).max() < 0.01 * np.abs(heard).max()
