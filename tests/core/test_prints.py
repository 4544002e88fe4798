"""Prints: cuts that sum to main, names, manifests, files that are copied, and prints that are checked."""

import json
from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.errors import CoreError
from highhall.interchange.sound_writer import encoded
from highhall.measure.loudness import integrated_loudness
from highhall.measure.true_peak import true_peak
from highhall.plan import Plan, document_of, plan_from_document
from highhall.plan.edits import set_send
from highhall.plan.isolation import alone, returns_of, share_of
from highhall.prints import PrintOptions, check_prints, parts_of, print_plan
from highhall.prints.keys import part_key
from highhall.prints.naming import file_names, safe_name
from highhall.prints.session import Earlier
from highhall.render import Engine, Stems
from tests.core.laws.test_sound_laws import rendered_documents
from tests.core.plans import make_document, make_plan, make_stems

ALL = ("main", "dry", "returns", "groups", "ungrouped", "tracks")


def read(path) -> np.ndarray:
    return sf.read(path, dtype="float64")[0].T


@pytest.fixture(scope="module")
def printed(tmp_path_factory):
    plan = make_plan(bars=5)
    folder = tmp_path_factory.mktemp("prints")
    summary = print_plan(plan, make_stems(plan), folder, PrintOptions(depth="32f", kinds=ALL))
    return plan, folder, summary


# cuts


def test_each_cut_sums_to_main_and_says_how_nearly(printed) -> None:
    _, folder, summary = printed
    assert summary.manifest["cuts"] == ["dry and returns", "groups and what is in none", "tracks with their space"]
    found = {check.cut: check for check in check_prints(folder)}
    assert all(check.is_exact for check in found.values())
    assert found["dry and returns"].difference_db < -120
    assert found["groups and what is in none"].difference_db < -120
    assert -200 < found["tracks with their space"].difference_db < -110


@settings(derandomize=True, max_examples=8, deadline=None)
@given(document=rendered_documents())
def test_in_any_linear_plan_shares_of_all_tracks_sum_to_main(document) -> None:
    plan = plan_from_document(document)
    stems, frames = make_stems(plan), plan.song.end_sample
    main = Engine(plan, stems).advance(frames).main.astype(np.float64)
    shares = sum(
        Engine(share_of(plan, track.id), stems).advance(frames).main.astype(np.float64) for track in plan.tracks
    )
    assert np.abs(main - shares).max() <= 10 ** (-110 / 20) * max(np.abs(main).max(), 1e-3)


def test_a_share_is_what_is_heard_with_all_other_tracks_silent_and_needs_no_more_of_the_plan() -> None:
    plan, stems = make_plan(), make_stems(make_plan())
    share = share_of(plan, "harp")
    assert returns_of(plan, "harp") == {"hall"}
    assert [return_.id for return_ in share.returns] == ["hall"]
    assert [track.id for track in share.tracks] == ["harp"]
    heard = Engine(alone(plan, {"harp"}), stems).advance(96000).main
    np.testing.assert_allclose(Engine(share, stems).advance(96000).main, heard, atol=1e-7)


def test_with_an_effect_that_is_not_linear_a_track_is_about_what_main_holds_and_says_so(tmp_path) -> None:
    document = make_document(bars=4)
    document["returns"][0]["chain"].append({"kind": "drive", "params": {"amount": 0.6}})
    plan = plan_from_document(document)
    about = {part.id for part in parts_of(plan, ("tracks",)) if part.is_about}
    assert about == {"voice"}  # the harp reaches the hall alone
    summary = print_plan(plan, make_stems(plan), tmp_path, PrintOptions(kinds=("main", "tracks")))
    assert [file.is_about for file in summary.files] == [False, True, False, False]
    assert b"About: with an effect on its way" in (tmp_path / "tracks/voice.wav").read_bytes()
    (check,) = check_prints(tmp_path)
    assert not check.is_exact


# choosing


def test_single_parts_are_as_long_as_all_and_begin_together(printed, tmp_path) -> None:
    plan, folder, _ = printed
    summary = print_plan(plan, make_stems(plan), tmp_path, PrintOptions(depth="32f", kinds=(), ids=("harp", "hall")))
    assert summary.paths == ("returns/hall.wav", "tracks/harp.wav")
    for path in summary.paths:
        np.testing.assert_array_equal(read(tmp_path / path), read(folder / path))


def test_a_track_printed_from_later_holds_what_rings_on_and_stops_where_tracks_stop(printed, tmp_path) -> None:
    plan, folder, _ = printed
    options = PrintOptions(depth="32f", kinds=(), ids=("voice",), start_sample=96_000, end_sample=192_000, tail_s=0.5)
    print_plan(plan, make_stems(plan), tmp_path, options)
    later, whole = read(tmp_path / "tracks/voice.wav"), read(folder / "tracks/voice.wav")
    assert later.shape[1] == 96_000 + 24_000
    np.testing.assert_array_equal(later[:, :96_000], whole[:, 96_000:192_000])


@pytest.mark.parametrize(
    ("options", "sentence"),
    [
        (
            {"ids": ("piano",)},
            'there is no part "piano" to print; there are main, dry, plate, hall, band, ungrouped, voice',
        ),
        ({"kinds": ()}, "nothing to print: choose at least one part"),
        ({"start_sample": 10, "end_sample": 10}, "the stretch to print is empty"),
        ({"pattern": "{title}"}, 'gives Main and Dry the same name, "Test"; add {kind} or {name}'),
        ({"pattern": "{artist} {name}"}, "has {artist}; there are {title}, {kind}, {name}, {bpm}, {section}"),
        ({"pattern": "{name"}, "has a brace without its other"),
        ({"pattern": "{section}"}, "gives no name for Main; add {name}"),
    ],
)
def test_what_cannot_be_printed_is_refused_before_anything_is_rendered(tmp_path, options, sentence: str) -> None:
    plan = make_plan()
    with pytest.raises(CoreError) as refused:
        print_plan(plan, Stems({}), tmp_path, PrintOptions(**options))
    assert sentence in str(refused.value)
    assert list(tmp_path.iterdir()) == []


# names


def test_files_are_called_by_a_pattern() -> None:
    plan = make_plan()
    plan = replace(plan, song=replace(plan.song, title="Lantern: Over/Skerry"))
    names = file_names(plan, parts_of(plan), "{title} {kind} {name} {bpm} {section}", bpm=58.0, section="Verse 1")
    assert names["main"] == "Lantern- Over-Skerry main 58 Verse 1"
    assert names["returns/hall"] == "Lantern- Over-Skerry return hall 58 Verse 1"
    assert names["tracks/voice"] == "Lantern- Over-Skerry track voice 58 Verse 1"


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("a/b\\c:d*e", "a-b-c-d-e"),
        ("  Verse  2. ", "Verse 2"),
        ("con", "con_"),
        ("LPT1.take", "LPT1.take_"),
        ("..", ""),
        ("Cafe\u0301", "Café"),
        ("line\nbreak", "line-break"),
    ],
)
def test_names_are_safe_on_every_file_system(text: str, name: str) -> None:
    assert safe_name(text) == name


def test_long_names_end_within_200_bytes_and_inside_no_letter() -> None:
    name = safe_name("ü" * 150)
    assert len(name.encode()) == 200
    assert set(name) == {"ü"}


def test_two_parts_with_one_name_lie_in_their_folders_under_two() -> None:
    document = make_document()
    for return_ in document["returns"]:
        return_["name"] = "Hall"
    plan = plan_from_document(document)
    names = file_names(plan, parts_of(plan, ("returns",)))
    assert sorted(names.values()) == ["returns/hall", "returns/hall-2"]


# rates and figures


def test_another_rate_is_resampled_in_the_same_time(printed, tmp_path) -> None:
    plan = make_plan(bars=4)
    time = np.arange(plan.song.end_sample) / 48000
    tone = Stems({t.stem: 0.2 * np.sin(2 * np.pi * 1000 * time)[None].astype(np.float32) for t in plan.tracks})
    options = PrintOptions(depth="32f", kinds=("dry",), tail_s=0.0)
    print_plan(plan, tone, tmp_path / "song", options)
    print_plan(plan, tone, tmp_path / "other", replace(options, rate=44100))
    at_song, at_other = read(tmp_path / "song/dry.wav"), read(tmp_path / "other/dry.wav")
    assert sf.info(tmp_path / "other/dry.wav").samplerate == 44100
    assert at_other.shape[1] == round(at_song.shape[1] * 44100 / 48000)
    middle = slice(20_000, 60_000)
    assert np.std(at_other[0, middle]) == pytest.approx(np.std(at_song[0, middle]), rel=1e-3)
    crossings = np.flatnonzero(np.diff(np.signbit(at_other[0, middle])))
    assert np.diff(crossings).mean() == pytest.approx(44100 / 2000, rel=1e-3)


def test_loudness_and_true_peak_are_those_of_the_file(printed) -> None:
    _, folder, summary = printed
    main = next(file for file in summary.files if file.part == "main")
    sound = read(folder / main.path)
    assert main.lufs == pytest.approx(integrated_loudness(sound, 48000), abs=0.02)
    assert main.dbtp == pytest.approx(20 * np.log10(true_peak(sound.astype(np.float32))), abs=0.02)
    assert max(main.peaks) == pytest.approx(np.abs(sound).max(), rel=1e-5)


def test_whole_numbers_are_rounded_to_the_nearest_step() -> None:
    block = np.array([[0.0, 0.5, -1.0, 1.0], [2.0**-23, 2.0**-15, -(2.0**-15), 0.25]], np.float32)
    assert np.frombuffer(encoded(block, 16), "<i2").tolist() == [0, 0, 16384, 1, -32768, -1, 32767, 8192]
    packed = np.frombuffer(encoded(block, 24), np.uint8).reshape(-1, 3)
    assert packed[1].tolist() == [1, 0, 0]
    assert packed[4].tolist() == [0, 0, 0x80]


# manifests and checks


def test_the_manifest_names_every_file_with_its_hash_and_the_plan(printed) -> None:
    _, folder, summary = printed
    manifest = json.loads((folder / "prints.json").read_text())
    assert manifest == summary.manifest
    assert (manifest["format"], manifest["version"], manifest["starts_at"]) == ("high-hall-prints", 1, "1|1")
    assert {row["path"] for row in manifest["files"]} == {str(p.relative_to(folder)) for p in folder.rglob("*.wav")}
    assert {row["samples"] for row in manifest["files"]} == {manifest["samples"]}
    assert len(manifest["plan_sha256"]) == 64


@pytest.fixture
def small(tmp_path):
    plan = make_plan(bars=4)
    print_plan(plan, make_stems(plan, 2.0), tmp_path, PrintOptions(kinds=("main", "dry", "returns"), tail_s=0.0))
    return tmp_path


def test_a_file_that_has_changed_or_is_gone_fails_the_check(small) -> None:
    path = small / "dry.wav"
    sound = bytearray(path.read_bytes())
    sound[-200_000] ^= 1
    path.write_bytes(sound)
    with pytest.raises(CoreError, match="is not as it was printed"):
        check_prints(small)
    path.unlink()
    with pytest.raises(CoreError, match="is missing; print it again"):
        check_prints(small)


def test_parts_that_do_not_sum_to_main_fail_the_check(small) -> None:
    manifest = json.loads((small / "prints.json").read_text())
    by_part = {row["part"]: row for row in manifest["files"]}
    (small / "returns/plate.wav").write_bytes((small / "returns/hall.wav").read_bytes())
    by_part["returns/plate"]["sha256"] = by_part["returns/hall"]["sha256"]
    (small / "prints.json").write_text(json.dumps(manifest))
    with pytest.raises(CoreError, match=r"dry and returns differ from main by .* print them again"):
        check_prints(small)


@pytest.mark.parametrize(
    ("text", "sentence"), [(None, "prints.json is missing"), ("{", "it is not JSON"), ("[]", "its format is not")]
)
def test_a_folder_without_a_print_is_refused(tmp_path, text: str | None, sentence: str) -> None:
    if text is not None:
        (tmp_path / "prints.json").write_text(text)
    with pytest.raises(CoreError, match=sentence):
        check_prints(tmp_path)


# copies


def test_tracks_of_an_earlier_print_are_copied_where_they_are_as_long(tmp_path) -> None:
    plan = make_plan(bars=4)
    stems, options = make_stems(plan), PrintOptions(depth="32f", kinds=("tracks",), tail_s=1.0)
    first = print_plan(plan, stems, tmp_path / "first", options)
    earlier = {file.part: Earlier(tmp_path / "first" / file.path, file) for file in first.files}
    louder = edited(plan, "voice", -9.0)
    known = {key: each for key, each in earlier.items() if key != "tracks/voice"}
    second = print_plan(louder, stems, tmp_path / "second", options, earlier=known)
    assert second.copied == ("tracks/harp", "tracks/drum")
    for path in ("tracks/harp.wav", "tracks/drum.wav"):
        assert (tmp_path / "second" / path).read_bytes() == (tmp_path / "first" / path).read_bytes()
    assert not np.array_equal(read(tmp_path / "second/tracks/voice.wav"), read(tmp_path / "first/tracks/voice.wav"))
    longer = print_plan(plan, stems, tmp_path / "third", replace(options, tail_s=2.0), earlier=earlier)
    assert longer.copied == ()


def test_where_less_rings_on_than_in_the_print_before_all_is_as_long_as_then(tmp_path) -> None:
    plan = make_plan(bars=4)
    stems, options = make_stems(plan), PrintOptions(depth="32f", kinds=("main", "tracks"))
    first = print_plan(plan, stems, tmp_path / "first", replace(options, tail_s=5.0))
    alone = print_plan(plan, stems, tmp_path / "alone", options)
    assert alone.seconds < first.seconds == 13.0
    assert alone.seconds % 0.5 == 0
    known = {
        file.part: Earlier(tmp_path / "first" / file.path, file) for file in first.files if file.part != "tracks/voice"
    }
    second = print_plan(edited(plan, "voice", -40.0), stems, tmp_path / "second", options, earlier=known)
    assert (second.seconds, second.copied) == (13.0, ("tracks/harp", "tracks/drum"))
    (check,) = check_prints(tmp_path / "second")
    assert check.difference_db < -110


def edited(plan: Plan, track_id: str, level_db: float) -> Plan:
    document = document_of(plan)
    for track in document["tracks"]:
        if track["id"] == track_id:
            track["level_db"] = level_db
    return plan_from_document(document)


def test_a_track_that_is_cancelled_leaves_nothing(tmp_path) -> None:
    def cancel(share: float) -> None:
        if share > 0.8:
            raise KeyboardInterrupt

    plan = make_plan(bars=4)
    with pytest.raises(KeyboardInterrupt):
        print_plan(plan, make_stems(plan), tmp_path, PrintOptions(kinds=("tracks",)), cancel)
    assert list(tmp_path.iterdir()) == []


# keys


def keys(plan: Plan) -> dict[str, str]:
    hashes = {track.stem: track.id for track in plan.tracks}
    return {part.key: part_key(plan, part, hashes) for part in parts_of(plan)}


def changed(before: Plan, after: Plan) -> set[str]:
    first, second = keys(before), keys(after)
    return {key for key in first if first[key] != second[key]}


def test_an_edit_changes_the_keys_of_the_parts_in_which_it_is_heard() -> None:
    plan = make_plan()
    assert changed(plan, edited(plan, "voice", -9.0)) == {
        "main", "dry", "returns/plate", "returns/hall", "groups/band", "ungrouped", "tracks/voice",
    }  # fmt: skip
    assert changed(plan, set_send(plan, "band", "hall", level_db=-20.0)) == {
        "main", "returns/hall", "ungrouped", "tracks/harp", "tracks/drum",
    }  # fmt: skip
    assert changed(plan, edited(plan, "drum", -9.0)) == {
        "main", "dry", "returns/hall", "groups/band", "ungrouped", "tracks/drum",
    }  # fmt: skip


def test_names_change_no_key_and_another_stem_changes_those_that_hear_it() -> None:
    plan = make_plan()
    document = document_of(plan)
    document["song"]["title"] = "Another"
    document["tracks"][0]["name"] = "Lead"
    assert changed(plan, plan_from_document(document)) == set()
    (dry,) = parts_of(plan, ("dry",))
    assert part_key(plan, dry, {"voice.wav": "1"}) != part_key(plan, dry, {"voice.wav": "2"})


@settings(derandomize=True, max_examples=6, deadline=None)
@given(document=rendered_documents(), edit=st.sampled_from(["voice", "harp", "drum"]))
def test_parts_with_one_key_sound_the_same(document, edit: str) -> None:
    plan = plan_from_document(document)
    other = edited(plan, edit, -11.0)
    stems, frames = make_stems(plan), 30_000
    same = set(keys(plan)) - changed(plan, other)
    blocks = [Engine(each, stems).advance(frames) for each in (plan, other)]
    for key in same:
        kind, _, part_id = key.partition("/")
        if kind in ("returns", "groups"):
            sounds = [getattr(block, kind)[part_id] for block in blocks]
        elif kind == "tracks":
            sounds = [Engine(share_of(each, part_id), stems).advance(frames).main for each in (plan, other)]
        else:
            sounds = [block.dry if kind == "dry" else block.main for block in blocks]
        np.testing.assert_array_equal(sounds[0], sounds[1], err_msg=key)
