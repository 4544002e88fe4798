"""Moves in the real interface: steps across sections, throws at phrase ends, gaps, ringing out; by mouse and by keyboard alone."""

import json
import re
from urllib.parse import parse_qs

import numpy as np
import pytest
from playwright.sync_api import expect

from highhall.plan import SendTarget
from highhall.plan.edits.moves import value_in
from tests.browser.listening import wait_for_sample, wait_for_sound, wait_until
from tests.web.factories import make_song, make_user, sing, stored_plan

PLATE = SendTarget(source="voice", target="plate", param="level_db")
ROW = '[data-move-row="send:voice:plate:level_db"]'


@pytest.fixture
def song(transactional_db):
    return sing(make_song(make_user()))


@pytest.fixture
def moves(desk):
    """Return the page on the Moves screen, by the plate."""
    desk.keyboard.press("4")
    expect(desk.get_by_role("heading", name="Moves", exact=True)).to_be_visible()
    expect(desk.locator(ROW)).to_be_visible()
    return desk


def revision(page, number: int) -> None:
    expect(page.locator("#history")).to_contain_text(f"revision {number}")


def cell(page, section: str):
    return page.locator(f'[data-move-cell="send:voice:plate:level_db|{section}"]')


def throws(song) -> list[float]:
    plan = stored_plan(song)
    move = plan.move(PLATE)
    return [round(plan.song.time.seconds_at(t.at), 1) for t in move.throws] if move else []


def test_levels_step_across_sections_and_throws_follow_the_phrases(moves, song) -> None:
    page = moves
    first, last = (cell(page, section).bounding_box() for section in "ab")
    page.mouse.move(first["x"] + 60, first["y"] + 60)
    page.mouse.down()
    page.mouse.move(last["x"] + 60, last["y"] + 60, steps=4)
    page.mouse.up()
    bar = page.get_by_role("toolbar", name="Change the chosen values")
    expect(bar).to_contain_text("2 values")
    bar.get_by_label("Set to").fill("-5")
    bar.get_by_label("Set to").press("Enter")
    revision(page, 2)
    cell(page, "b").click(position={"x": 60, "y": 60})
    expect(bar).to_contain_text("1 value")
    bar.get_by_label("Nudge by, dB").fill("2")
    bar.get_by_label("Nudge by, dB").press("Enter")
    revision(page, 3)
    assert [value_in(stored_plan(song), (PLATE, section)) for section in "ab"] == [-5, -3]
    cell(page, "a").click(position={"x": 60, "y": 60})
    bar.get_by_label("Length of new throws").fill("1/8")
    bar.get_by_role("button", name="Throw last words").click()
    revision(page, 4)
    expect(page.locator(f"{ROW} [data-flag]")).to_have_count(2)
    assert throws(song) == pytest.approx([0.5, 2.6], abs=0.1)
    page.locator(f"{ROW} [data-flag]").first.click(position={"x": 8, "y": 40}, force=True)
    form = page.locator("[data-throw-form]")
    expect(form.get_by_label("Lasts")).to_have_value("1/8")
    form.get_by_label("Level, dB").fill("1.5")
    form.get_by_label("Which throws").select_option("all of its row in this section")
    form.get_by_role("button", name="Change").click()
    revision(page, 5)
    assert [t.value for t in stored_plan(song).move(PLATE).throws] == [1.5, 1.5]
    for number in (4, 3, 2, 1):
        page.keyboard.press("Control+z")
        revision(page, number)
    expect(page.locator("#history")).to_contain_text("nothing to undo")
    assert stored_plan(song).move(PLATE) is None


def test_a_level_and_a_ramp_are_dragged(moves, song) -> None:
    page = moves
    box = cell(page, "b").bounding_box()
    line = float(cell(page, "b").get_attribute("data-y"))
    top = page.locator(f"{ROW} [data-move-picture]").bounding_box()["y"]
    page.mouse.move(box["x"] + 120, top + line)
    page.mouse.down()
    page.mouse.move(box["x"] + 120, top + 48.5, steps=3)  # half way from -36 to 6 dB
    expect(page.locator(".move-figure").filter(has_text="−15.0")).to_be_visible()
    page.mouse.up()
    revision(page, 2)
    assert value_in(stored_plan(song), (PLATE, "b")) == -15
    diamond = page.locator(f"{ROW} [data-ramp-end]").bounding_box()
    x, y = diamond["x"] + diamond["width"] / 2, diamond["y"] + diamond["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 62, y, steps=3)  # half a second of 8: a quarter at 120
    page.mouse.up()
    revision(page, 3)
    (value,) = stored_plan(song).move(PLATE).sections
    assert (str(value.ramp), value.ramp_side) == ("1/4", "after")
    page.mouse.move(x, y)
    page.keyboard.down("Alt")
    page.mouse.down()
    page.mouse.move(x, y - 40, steps=3)
    expect(page.locator(".move-figure").filter(has_text="bent by 40 %")).to_be_visible()
    page.mouse.up()
    page.keyboard.up("Alt")
    revision(page, 4)
    (move,) = [move for move in stored_plan(song).moves if move.target == PLATE]
    assert (move.sections[0].ramp_bend, move.points) == (0.4, ())


def test_a_phrase_end_is_pressed_gaps_are_filled_and_the_end_rings_out(moves, song) -> None:
    page = moves
    page.locator(f"{ROW} [data-phrase-end]").nth(2).click()
    revision(page, 2)
    assert throws(song) == pytest.approx([5.0], abs=0.1)
    page.keyboard.press("Control+z")
    revision(page, 1)
    page.locator(f"{ROW} [data-phrase-end]").first.click(modifiers=["Shift"])  # all of the section
    revision(page, 3)
    assert throws(song) == pytest.approx([0.5, 2.6], abs=0.1)
    page.keyboard.press("Control+z")
    revision(page, 1)
    cell(page, "a").click(position={"x": 60, "y": 60})
    page.get_by_role("button", name="Fill the gaps").click()
    revision(page, 4)
    assert throws(song) == pytest.approx([1.5, 3.0], abs=0.1)
    page.keyboard.press("Control+z")
    revision(page, 1)
    cell(page, "b").click(position={"x": 60, "y": 60})
    page.get_by_role("button", name="Ring out").click()
    revision(page, 5)
    assert throws(song) == pytest.approx([5.0], abs=0.1)


def test_moves_by_keyboard_alone(moves, song) -> None:
    page = moves
    for _ in range(80):
        if cell(page, "a").evaluate("element => element === document.activeElement"):
            break
        page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    page.keyboard.type("-7")
    page.keyboard.press("Enter")
    revision(page, 2)
    wait_until(
        page, "document.querySelector('[data-cells-form]') && !document.querySelector('[data-cells-form]').hidden"
    )
    cell(page, "a").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Escape")
    page.keyboard.press("]")
    revision(page, 3)
    assert [value_in(stored_plan(song), (PLATE, section)) for section in "ab"] == [-7, -9.5]
    cell(page, "a").focus()
    page.keyboard.press("Escape")
    page.keyboard.press("Delete")
    revision(page, 4)
    assert value_in(stored_plan(song), (PLATE, "a")) == -10
    page.get_by_role("button", name="Throw last words").focus()
    page.keyboard.press("Enter")
    revision(page, 5)
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press(".")
    expect(page.locator("[data-throw-form]").get_by_label("Level, dB")).to_be_visible()
    page.keyboard.press("Delete")
    revision(page, 6)
    assert len(throws(song)) == 1


def test_points_are_drawn_and_a_ride_is_recorded_while_it_plays(moves, song) -> None:
    page = moves
    picture = page.locator(f"{ROW} [data-move-picture]").bounding_box()
    page.keyboard.down("Alt")
    page.mouse.click(picture["x"] + 253, picture["y"] + 40)  # a quarter of 8 s: bar 2
    page.keyboard.up("Alt")
    revision(page, 2)
    (point,) = stored_plan(song).move(PLATE).points
    assert str(point.at) == "2|1"
    assert -20 < point.value < -5
    page.locator("[data-dot]").focus()
    page.keyboard.press("Delete")
    revision(page, 3)
    cell(page, "a").click(position={"x": 60, "y": 60})
    page.keyboard.press(" ")
    wait_for_sound(page)
    control = page.get_by_label("Ride: hold it while the song plays").bounding_box()
    page.mouse.move(control["x"] + 40, control["y"] + control["height"] / 2)
    page.mouse.down()
    start = page.evaluate("window.highHall.player.sample")
    page.mouse.move(control["x"] + 90, control["y"] + control["height"] / 2, steps=5)
    wait_for_sample(page, start + 24000)
    with page.expect_request("**/points/**") as sent:
        page.mouse.up()
    ridden = json.loads(parse_qs(sent.value.post_data)["ride"][0])
    revision(page, 4)
    plan = stored_plan(song)
    points = plan.move(PLATE).points
    assert 2 <= len(points) <= len(ridden)
    assert points[-1].value > points[0].value
    at = [plan.song.time.sample_at(point.at) for point in points]
    drawn = np.interp([sample for sample, _ in ridden], at, [point.value for point in points])
    assert drawn == pytest.approx([value for _, value in ridden], abs=0.501)  # as few points as half a decibel asks for
    assert page.evaluate("window.highHall.player.isPlaying")


def test_a_value_gets_a_row_and_the_song_is_seen_at_a_glance(moves, song) -> None:
    page = moves
    page.get_by_label("also").select_option("plate, reverb: decay")
    row = page.locator('[data-move-row="effect:plate:reverb:decay_s"]')
    expect(row).to_be_visible()
    row.locator("[data-move-cell]").last.click(position={"x": 60, "y": 60})
    page.get_by_label("Set to").fill("2.5")
    page.get_by_label("Set to").press("Enter")
    revision(page, 2)
    expect(row).to_contain_text("2.5")
    page.get_by_label("by", exact=True).select_option("the song at a glance")
    expect(page.get_by_role("row", name=re.compile("All, measured"))).to_contain_text(
        re.compile("LUFS.*LUFS", re.DOTALL)
    )
    page.get_by_role("link", name="voice").click()
    expect(page.locator("[data-move-row]")).to_have_count(2)


def test_the_end_of_a_phrase_is_dragged_put_back_and_a_ramp_is_stepped_by_keyboard(moves, song) -> None:
    page = moves
    end = page.locator(f"{ROW} [data-phrase-end='0']")
    box = end.bounding_box()
    page.mouse.move(box["x"] + 12, box["y"] + 6)
    page.mouse.down()
    page.mouse.move(box["x"] - 8, box["y"] + 6, steps=4)
    page.mouse.up()
    wait_until(
        page, f"document.querySelector(`{ROW} [data-phrase-end='0']`).getBoundingClientRect().x < {box['x'] - 10}"
    )
    assert throws(song) == []
    end.dblclick()
    wait_until(
        page,
        f"Math.abs(document.querySelector(`{ROW} [data-phrase-end='0']`).getBoundingClientRect().x - {box['x']}) < 1",
    )
    cell(page, "a").focus()
    page.keyboard.press("w")
    wait_until(page, "document.activeElement.dataset.phraseEnd === '0'")
    page.keyboard.press("Enter")
    revision(page, 2)
    assert len(throws(song)) == 1
    cell(page, "b").focus()
    page.keyboard.press("Enter")
    page.keyboard.type("-9")
    page.keyboard.press("Enter")
    revision(page, 3)
    page.locator("[data-ramp-end$='|b']").focus()
    page.keyboard.press("ArrowLeft")
    revision(page, 4)
    (value,) = stored_plan(song).move(PLATE).sections
    assert (str(value.ramp), value.ramp_side) == ("1/4", "before")
    page.locator("[data-ramp-end$='|b']").focus()
    page.keyboard.press("ArrowDown")
    revision(page, 5)
    assert stored_plan(song).move(PLATE).sections[0].ramp_bend == -0.1
