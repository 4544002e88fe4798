"""Prints in shares: the files of several processes are those of one, byte for byte."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.plan import plan_from_document
from highhall.plan.edits import set_send
from highhall.prints import PrintOptions, check_prints, print_plan
from highhall.prints.session import Earlier
from highhall.prints.shares import RenderedTooShortError, finish, lane_file, print_lanes, print_track, render_lane
from highhall.render.segments import lanes_of
from tests.core.laws.test_sound_laws import rendered_documents
from tests.core.plans import make_plan, make_stems

ALL = ("main", "dry", "returns", "groups", "ungrouped", "tracks")


def in_shares(plan, folder, options: PrintOptions, earlier=()) -> list[str]:
    """Print in shares, each with stems of its own; return the tracks that were printed."""
    rendered = folder / "rendered"
    for lane in reversed(lanes_of(plan)):
        render_lane(plan, make_stems(plan), rendered, options, lane)
    files, rest, frames = print_lanes(
        plan, make_stems(plan).responses, rendered, folder / "print", options, dict(earlier)
    )
    for key in reversed(rest):
        files.append(print_track(plan, make_stems(plan), folder / "print", options, key, frames))
    finish(plan, folder / "print", options, files)
    return rest


def content(folder) -> dict[str, bytes]:
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*") if path.is_file()}


def assert_same_print(plan, folder, options: PrintOptions) -> None:
    print_plan(plan, make_stems(plan), folder / "whole", options)
    in_shares(plan, folder, options)
    whole, shared = content(folder / "whole"), content(folder / "print")
    assert whole.keys() == shared.keys()
    assert [name for name in whole if whole[name] != shared[name]] == []
    check_prints(folder / "print")


@pytest.mark.parametrize(
    "options",
    [
        PrintOptions(kinds=ALL, depth="32f"),
        PrintOptions(kinds=ALL, file_format="flac", start_sample=50_001, end_sample=200_003),
        PrintOptions(kinds=("main", "tracks"), rate=44100, tail_s=1.5, block_frames=4096),
        PrintOptions(kinds=("returns",)),
        PrintOptions(kinds=("tracks",)),
    ],
    ids=["all", "stretch", "another rate", "returns", "tracks"],
)
def test_a_print_in_shares_is_the_print_of_one_process(tmp_path, options: PrintOptions) -> None:
    assert_same_print(make_plan(bars=5), tmp_path, options)


@settings(derandomize=True, max_examples=6, deadline=None)
@given(document=rendered_documents(), seed=st.integers(0, 9))
def test_any_plan_is_printed_in_shares_as_in_one_process(tmp_path_factory, document, seed: int) -> None:
    options = PrintOptions(kinds=ALL, depth="32f", block_frames=20_000 + 7_001 * seed)
    assert_same_print(plan_from_document(document), tmp_path_factory.mktemp("shares"), options)


def test_tracks_that_an_earlier_print_has_need_no_share(tmp_path) -> None:
    plan, options = make_plan(bars=5), PrintOptions(kinds=("main", "tracks"), depth="32f")
    before = print_plan(plan, make_stems(plan), tmp_path / "before", options)
    tracks = [file for file in before.files if file.part.startswith("tracks/")]
    earlier = {file.part: Earlier(tmp_path / "before" / file.path, file) for file in tracks[1:]}
    quieter = set_send(plan, tracks[0].part.removeprefix("tracks/"), "hall", level_db=-30.0)
    assert in_shares(quieter, tmp_path, options, earlier.items()) == [tracks[0].part]
    check_prints(tmp_path / "print")


def test_lanes_that_are_too_short_are_told(tmp_path) -> None:
    plan, options = make_plan(bars=5), PrintOptions(kinds=("main",))
    for lane in lanes_of(plan):
        render_lane(plan, make_stems(plan), tmp_path, options, lane)
    path = lane_file(tmp_path, "hall")
    path.write_bytes(path.read_bytes()[: 8 * plan.song.end_sample])
    with pytest.raises(RenderedTooShortError):
        print_lanes(plan, {}, tmp_path, tmp_path / "print", options)
    assert content(tmp_path / "print") == {}


def test_a_share_that_is_cancelled_leaves_nothing_of_the_print(tmp_path) -> None:
    plan, options = make_plan(bars=5), PrintOptions(kinds=("tracks",))

    def cancel(_: float) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        print_track(plan, make_stems(plan), tmp_path, options, f"tracks/{plan.tracks[0].id}", 48000, cancel)
    with pytest.raises(KeyboardInterrupt):
        render_lane(plan, make_stems(plan), tmp_path, replace(options), "hall", cancel)
    assert not list(tmp_path.glob("*.wav")) + list(tmp_path.glob("tracks/*"))
