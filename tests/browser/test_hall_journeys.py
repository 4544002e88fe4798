"""The Hall screen by hand and by keyboard: ask, refuse, hear first, apply, undo."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.listening import sample, wait_for_sound, wait_until
from tests.web.factories import stored_plan


@pytest.fixture
def hall(desk, song):
    desk.goto(f"/songs/{song.pk}/hall/?section=b")
    wait_until(desk, "Boolean(window.highHall?.player.manifest)")
    expect(desk.locator("[data-token=voice]")).to_be_visible()
    return desk


def state(page, name: str) -> str:
    return page.locator(f"#screen-state [name={name}]").input_value()


def centre(page, source: str) -> tuple[float, float]:
    box = page.locator(f"[data-token={source}] circle").bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def targets(song) -> list[tuple[str, str | None, float]]:
    return [(target.source, target.section, target.distance_m) for target in stored_plan(song).targets]


def test_a_source_is_dragged_away_a_send_refused_the_rest_applied_and_undone(hall, song) -> None:
    before = stored_plan(song)
    x, y = centre(hall, "voice")
    hall.mouse.move(x, y)
    hall.mouse.down()
    hall.mouse.move(x + 1, y - 76, steps=4)
    expect(hall.locator(".hall-drag text")).to_have_text(re.compile(r"^\d+\.\d m$"))
    hall.mouse.up()
    expect(hall.locator("#hall-apply")).to_be_enabled()
    assert state(hall, "source") == "voice"
    asked = float(state(hall, "asked"))
    assert stored_plan(song) == before  # a proposal changes nothing
    hall.locator("#free-plate").uncheck()
    expect(hall.locator("tr.is-refused")).to_contain_text("plate")
    hall.locator("#hall-apply").click()
    expect(hall.locator("#history")).to_contain_text("revision 2")
    plan = stored_plan(song)
    assert plan.send("voice", "plate") == before.send("voice", "plate")
    assert targets(song) == [("voice", "b", asked)]
    expect(hall.locator(".hall-figure")).to_have_text(f"{asked:.1f} m")
    hall.keyboard.press("Control+z")
    expect(hall.locator("#history")).to_contain_text("nothing to undo")
    assert stored_plan(song) == before


def test_by_keyboard_alone_a_source_is_chosen_asked_for_and_placed(hall, song) -> None:
    hall.locator("[data-place]").first.focus()
    for _ in range(5):
        if hall.evaluate("document.activeElement.dataset.place") == "voice":
            break
        hall.keyboard.press("ArrowDown")
    hall.keyboard.press("ArrowRight")
    expect(hall.locator("#hall-apply")).to_be_enabled()
    wait_until(hall, "document.activeElement.dataset.place === 'voice'")
    first = float(state(hall, "asked"))
    hall.keyboard.press("ArrowRight")
    wait_until(hall, f"Number(document.getElementById('hall-asked').value) > {first}")
    hall.locator("#hall-asked").fill("5")
    hall.keyboard.press("Enter")
    wait_until(hall, "document.querySelector('#screen-state [name=asked]').value === '5.0'")
    hall.locator("#hall-apply").press("Enter")
    expect(hall.locator("#history")).to_contain_text("revision 2")
    assert targets(song) == [("voice", "b", 5.0)]


def test_a_proposal_is_heard_against_what_is_there_and_discarded(hall, song) -> None:
    hall.locator("#place-voice").click()
    hall.locator("#hall-asked").fill("7")
    hall.keyboard.press("Enter")
    expect(hall.locator("[data-side=b]")).to_be_visible()
    hall.locator("#hall-hear").click()
    wait_for_sound(hall)
    wait_until(hall, "window.highHall.player.side === 'b' && !window.highHall.player.isBehind")
    assert sample(hall) >= 4 * 48000  # in the section that is shown
    expect(hall.locator("[data-match]")).to_contain_text("matched over Refrain")
    hall.locator("#hall-hear").click()
    wait_until(hall, "window.highHall.player.side === 'a'")
    hall.keyboard.press(" ")
    hall.keyboard.press("Escape")
    expect(hall.locator("#hall-apply")).to_have_count(0)
    expect(hall.locator("[data-comparing]")).to_be_hidden()
    assert song.revisions.count() == 1


def test_a_source_is_panned_sideways_and_a_section_deepened_by_its_roof(hall, song) -> None:
    x, y = centre(hall, "drum")
    hall.mouse.move(x, y)
    hall.mouse.down()
    hall.mouse.move(x + 90, y, steps=4)
    hall.mouse.up()
    expect(hall.locator("#history")).to_contain_text("revision 2")
    assert stored_plan(song).track("drum").pan == pytest.approx(0.3, abs=0.051)
    wide = [
        float(d) for d in hall.locator("[data-place]").evaluate_all("all => all.map((each) => each.dataset.distance)")
    ]
    hall.locator("[data-roof=b]").focus()
    hall.keyboard.press("ArrowUp")
    expect(hall.locator("#history")).to_contain_text("revision 3")
    deep = [
        float(d) for d in hall.locator("[data-place]").evaluate_all("all => all.map((each) => each.dataset.distance)")
    ]
    assert np.median(np.array(deep) / np.array(wide)) == pytest.approx(1.05, abs=0.01)
    box = hall.locator("[data-roof=a]").bounding_box()
    hall.mouse.move(box["x"] + 40, box["y"] + 4)
    hall.mouse.down()
    hall.mouse.move(box["x"] + 40, box["y"] - 16, steps=3)
    expect(hall.get_by_text("1.45 times as deep")).to_be_visible()
    hall.mouse.up()
    expect(hall.locator("#history")).to_contain_text("revision 4")


def test_what_has_drifted_is_told_and_placed_again(hall, song) -> None:
    hall.locator("#place-voice").click()
    hall.locator("#hall-asked").fill("6")
    hall.keyboard.press("Enter")
    hall.locator("#hall-apply").click()
    expect(hall.locator("#history")).to_contain_text("revision 2")
    hall.goto(f"/songs/{song.pk}/returns/?open=hall&fields=level")
    field = hall.locator("#field-hall-returnlevel_db")
    field.fill("6")
    field.press("Enter")
    expect(hall.locator("#history")).to_contain_text("revision 3")
    hall.locator("a[data-view=hall]").click()
    again = hall.get_by_role("button", name="drifted: place again")
    expect(again).to_be_visible()
    again.click()
    expect(hall.locator("#history")).to_contain_text("revision 4")
    expect(again).to_have_count(0)
    hall.locator("#hall-section-b").click()
    expect(hall.locator("#place-voice")).to_have_attribute("data-distance", re.compile(r"^(5\.9|6\.0)"))


def test_the_page_follows_the_section_that_is_played_unless_something_is_asked(hall) -> None:
    hall.goto(hall.url.split("?")[0] + "?section=a")
    wait_until(hall, "Boolean(window.highHall?.player.manifest)")
    expect(hall.locator("[data-token=voice]")).to_be_visible()
    hall.evaluate("window.highHall.player.play(3.4 * 48000)")
    wait_until(hall, "document.querySelector('#screen-state [name=section]').value === 'b'")
    expect(hall.locator("#hall-section-b")).to_have_attribute("aria-current", "page")


def test_sources_walk_to_their_places_in_another_section_unless_motion_is_unwanted(hall) -> None:
    hall.evaluate(
        """() => {
          window.walked = [];
          const animate = Element.prototype.animate;
          Element.prototype.animate = function (...said) { window.walked.push(this.dataset.token); return animate.apply(this, said); };
        }"""
    )
    hall.locator("#hall-section-a").click()
    expect(hall.locator("#hall-section-a")).to_have_attribute("aria-current", "page")
    wait_until(hall, "window.walked.includes('voice')")
    hall.emulate_media(reduced_motion="reduce")
    hall.evaluate("window.walked = []")
    hall.locator("#hall-section-b").click()
    expect(hall.locator("#hall-section-b")).to_have_attribute("aria-current", "page")
    assert hall.evaluate("window.walked") == []


def test_a_hall_is_proposed_an_instrument_dragged_to_the_back_another_left_and_the_rest_taken(hall, song) -> None:
    hall.locator("#propose-hall").click()
    expect(hall.locator("#take-hall")).to_be_enabled()
    x, y = centre(hall, "voice")
    hall.mouse.move(x, y)
    hall.mouse.down()
    hall.mouse.move(x, y - 60, steps=4)
    hall.mouse.up()
    expect(hall.locator(".is-yours[data-token=voice]")).to_be_visible()  # the page that was worked out for it
    hall.evaluate(
        """() => {  // both before the first is answered
          const [row, box] = ["row-harp", "take-drum"].map((id) => document.getElementById(id));
          row.value = "back";
          row.dispatchEvent(new Event("change", { bubbles: true }));
          box.click();
        }"""
    )
    expect(hall.locator("tr.is-refused")).to_contain_text("drum")
    hall.locator("#take-hall").click()
    expect(hall.locator("#history")).to_contain_text("revision 2")
    expect(hall.locator("[data-places]")).to_be_visible()
    found = {source: distance for source, _, distance in targets(song)}
    assert set(found) == {"voice", "harp"}
    assert found["harp"] == 8.0
    assert found["voice"] > 5


def test_by_keyboard_an_instrument_changes_its_row_and_a_section_its_depth_in_a_proposed_hall(hall, song) -> None:
    hall.locator("#propose-hall").click()
    expect(hall.locator("#take-hall")).to_be_enabled()
    hall.locator("#row-harp").focus()
    hall.keyboard.press("3")
    expect(hall.locator(".is-yours[data-token=harp]")).to_be_visible()
    wait_until(hall, "document.activeElement.id === 'row-harp'")
    expect(hall.locator("#row-harp")).to_have_value("back")
    hall.locator("#roof-b").focus()
    hall.keyboard.press("ArrowUp")
    expect(hall.locator("#roof-b")).to_have_attribute("data-factor", "1.05")
    wait_until(hall, "document.activeElement.id === 'roof-b'")
    assert state(hall, "factor-b") == "1.05"
    assert state(hall, "place-harp") == "8.0"
    assert song.revisions.count() == 1


def test_a_line_of_the_long_section_is_dragged_in_another_section(hall) -> None:
    line, first = hall.locator("[data-line=voice]"), hall.locator("[data-roof=a]").bounding_box()
    top = hall.locator(".hall-long").bounding_box()["y"]
    y = top + float(re.match(r"M[\d.]+ ([\d.]+)", line.get_attribute("d"))[1])
    hall.mouse.move(first["x"] + 30, y)
    hall.mouse.down()
    hall.mouse.move(first["x"] + 30, top + 171 - 2 * 37, steps=4)
    expect(hall.get_by_text("4.0 m", exact=True)).to_be_visible()
    hall.mouse.up()
    expect(hall.locator("#hall-section-a")).to_have_attribute("aria-current", "page")
    assert [state(hall, name) for name in ("section", "source", "asked")] == ["a", "voice", "4.0"]
    expect(hall.locator("#hall-apply")).to_be_enabled()
