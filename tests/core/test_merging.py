"""Edits by two on one plan: both are kept where they are of different things."""

from functools import partial

import pytest

from highhall.plan import ReturnTarget, edits
from highhall.plan.differences import differences
from highhall.plan.edits.moves import set_section_value
from highhall.plan.merging import ConflictError, merged
from tests.core.plans import make_plan

BASE = make_plan()
TWO_SENDS = [(send.source, send.target) for send in BASE.sends[:2]]
HALL, PLATE = (r.id for r in BASE.returns[:2])
SECTION = BASE.song.sections[0].id


def send_level(pair, level_db):
    return partial(edits.set_send, source=pair[0], target=pair[1], level_db=level_db)


def section_level(level_db):
    target = ReturnTarget(target=HALL, param="level_db")
    return lambda plan: set_section_value(plan, target, SECTION, level_db)


@pytest.mark.parametrize(
    ("theirs", "mine"),
    [
        (send_level(TWO_SENDS[0], -3.0), send_level(TWO_SENDS[1], -6.0)),
        (
            partial(edits.set_return, return_id=HALL, mute=True),
            partial(edits.set_return, return_id=HALL, level_db=-2.0),
        ),
        (partial(edits.set_return, return_id=HALL, name="Far"), section_level(-9.0)),
        (partial(edits.remove_return, return_id=HALL), partial(edits.set_return, return_id=PLATE, level_db=-2.0)),
        (partial(edits.set_return, return_id=HALL, level_db=1.0), section_level(-9.0)),
    ],
)
def test_edits_of_different_things_are_both_kept_in_either_order(theirs, mine) -> None:
    one, other = merged(BASE, theirs(BASE), mine), merged(BASE, mine(BASE), theirs)
    assert one == other
    assert one == mine(theirs(BASE))
    assert len(differences(BASE, one)) == len(differences(BASE, mine(BASE))) + len(differences(BASE, theirs(BASE)))


@pytest.mark.parametrize(
    ("theirs", "mine", "says"),
    [
        (partial(edits.set_return, return_id=HALL, level_db=1.0), partial(edits.set_return, return_id=HALL, level_db=2.0), "1.0 dB now"),
        (partial(edits.remove_return, return_id=HALL), partial(edits.set_return, return_id=HALL, level_db=2.0), "not there now"),
        (partial(edits.set_return, return_id=HALL, level_db=1.0), partial(edits.remove_return, return_id=HALL), "1.0 dB now"),
        (send_level(TWO_SENDS[0], -3.0), partial(edits.remove_return, return_id=TWO_SENDS[0][1]), "changed elsewhere"),
        (send_level(TWO_SENDS[0], -3.0), lambda _: BASE, "changed elsewhere"),
        (section_level(-9.0), section_level(-8.0), "9.0 dB now"),
    ],
)  # fmt: skip
def test_edits_of_one_thing_are_refused_and_say_what_it_is_now(theirs, mine, says) -> None:
    with pytest.raises(ConflictError, match=says):
        merged(BASE, theirs(BASE), mine)


def test_an_edit_that_cannot_be_made_on_what_it_was_made_on_is_refused() -> None:
    def impossible(plan):
        return edits.set_return(plan, "gone", level_db=0.0)

    with pytest.raises(ConflictError):
        merged(BASE, edits.set_return(BASE, HALL, mute=True), impossible)
