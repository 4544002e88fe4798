"""What is proposed: decays that fit, times that miss the grid, feeds that add up."""

from dataclasses import replace
from types import MappingProxyType

import numpy as np
import pytest

from highhall.advise import LOW_MIDS, build_up_db, gap_left_s, longest_decays, near_miss
from highhall.measure import Phrase
from highhall.measure.pictures import picture_of
from highhall.plan import Return, plan_from_document
from highhall.plan.edits import effect_of_kind
from highhall.timing import Milliseconds, NoteValue, Position
from tests.core.plans import EXAMPLE

SONG = plan_from_document(EXAMPLE).song  # 58 dotted quarters a minute: a beat is 1034.5 ms, an eighth 344.8 ms
START = Position(1)


def space(**params: object) -> Return:
    return Return(
        id="r", name="R", chain=(effect_of_kind("reverb", "reverb", {"space": "plate", "decay_s": 1.5, **params}),)
    )


def test_a_decay_that_fits_is_down_when_the_beat_comes() -> None:
    return_ = space(pre_delay="1/16")
    fits = {fit.event: fit for fit in longest_decays(return_, SONG, START, -40, gap_s=3.0)}
    assert list(fits) == ["beat", "backbeat", "bar", "phrase"]
    beat = fits["backbeat"]
    assert beat.seconds == pytest.approx(2 * 60 / 58, rel=1e-3)  # the song slows down from its first bar
    assert beat.decay_s is not None
    params = MappingProxyType({**return_.chain[0].params, "decay_s": beat.decay_s})
    picture = picture_of(replace(return_, chain=(replace(return_.chain[0], params=params),)), SONG)
    assert picture is not None
    hop = round(beat.seconds * SONG.sample_rate / 512)
    assert -45 < picture.band_decays_db[:, hop].max() < -38


def test_a_tail_that_cannot_be_down_in_time_has_no_decay() -> None:
    fits = longest_decays(space(pre_delay="400ms"), SONG, START, -60, gap_s=0.35)
    assert fits[-1].decay_s is None


def test_a_return_without_a_space_has_nothing_to_fit() -> None:
    assert longest_decays(Return(id="r", name="R"), SONG, START, -60) == []


def test_the_gap_left_is_what_three_of_four_phrases_leave() -> None:
    starts = np.cumsum([0, 3.0, 4.0, 5.0, 6.0])
    phrases = [Phrase(start_s=float(start), end_s=float(start) + 2.0) for start in starts]
    assert gap_left_s(phrases) == pytest.approx(1.75)
    assert gap_left_s(phrases[:1]) is None


@pytest.mark.parametrize(
    ("ms", "note"),
    [(344.8, None), (340.0, "1/8"), (360.0, "1/8"), (500.0, "1/8."), (400.0, None), (30.0, None), (128.0, None)],
)
def test_a_time_misses_the_grid_by_little_or_not_at_all(ms: float, note: str | None) -> None:
    miss = near_miss(Milliseconds(ms), SONG, START)
    assert (miss and str(miss.note)) == note
    if miss:
        assert ms - miss.off_ms == pytest.approx(miss.note_ms)


def test_a_note_value_never_misses_the_grid() -> None:
    assert near_miss(NoteValue(1, 8, "."), SONG, START) is None


def test_equal_feeds_add_up_by_their_number() -> None:
    feeds = np.full((4, 30), 1e-3)
    feeds[1:, :10] = 0
    np.testing.assert_allclose(build_up_db(feeds), [0.0] * 10 + [10 * np.log10(4)] * 20, atol=1e-9)
    assert build_up_db(np.zeros((0, 30))).tolist() == [0.0] * 30
    assert len(LOW_MIDS) == 8
