"""Designing returns in the real interface: by mouse, by keyboard alone, and while it plays."""

import re

import numpy as np
import pytest
import soundfile as sf
from playwright.sync_api import expect
from scipy.signal import oaconvolve

from hallweb.songs.actions import edit_plan
from highhall.plan.edits import remove_send
from tests.browser.listening import wait_for_sample, wait_for_sound, wait_until
from tests.web.factories import stored_plan


def drag(page, handle, dx: float, dy: float = 0, *, alt: bool = False) -> None:
    """Drag a handle by px of the screen, in a few moves."""
    handle.scroll_into_view_if_needed()
    box = handle.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    if alt:
        page.keyboard.down("Alt")
    page.mouse.move(x + dx / 2, y + dy / 2)
    page.mouse.move(x + dx, y + dy)
    page.mouse.up()
    if alt:
        page.keyboard.up("Alt")


def history(page):
    return page.locator("#history")


def undo_all(page, count: int) -> None:
    for _ in range(count):
        label = history(page).inner_text()
        page.keyboard.press("Control+z")
        expect(history(page)).not_to_have_text(label)


def echo_of(song):
    return stored_plan(song).return_("quarter-repeats").effect("echo")


def test_an_echo_is_built_by_mouse_narrowed_sent_into_a_hall_put_in_order_and_undone(desk, song) -> None:
    desk.get_by_label("Start from").select_option("quarter-repeats")
    desk.get_by_role("button", name="Add a return").click()
    strip = desk.get_by_role("region", name="Quarter repeats")

    # Both times are a quarter, so they are linked; here they are to differ.
    strip.get_by_label("linked").uncheck()
    # The left repeat from a quarter, 136 px, to a dotted eighth, 102 px: it is led there from 4 px off.
    drag(desk, strip.get_by_role("slider", name="Left time"), -30)
    expect(history(desk)).to_contain_text("revision 3")
    expect(strip.get_by_role("textbox", name="Left", exact=True)).to_have_value("1/8.")
    expect(strip.get_by_role("slider", name="Left time")).to_have_attribute("aria-valuetext", re.compile(r"^1/8\. 375"))
    assert str(echo_of(song).time("right")) == "1/4"
    # Free with Alt: not on any note, and the mark that it just misses one offers to mend it.
    drag(desk, strip.get_by_role("slider", name="Left time"), 3, alt=True)
    expect(history(desk)).to_contain_text("revision 4")
    expect(strip.get_by_text("comes 11 ms after 1/8. (375 ms)")).to_be_visible()
    strip.get_by_role("button", name="Take 1/8.").click()
    expect(history(desk)).to_contain_text("revision 5")
    expect(strip.get_by_role("textbox", name="Left", exact=True)).to_have_value("1/8.")

    # Narrower: the high cut of the tone effect is brought down, a bell is added and pulled down.
    desk.keyboard.press("Escape")
    strip.get_by_role("button", name="Filters").click()
    strip.get_by_label("Add a filter").select_option("high_cut")
    expect(history(desk)).to_contain_text("revision 6")
    drag(desk, strip.get_by_role("slider", name="High cut"), -70)
    expect(history(desk)).to_contain_text("High cut, Quarter repeats")
    assert stored_plan(song).return_("quarter-repeats").effect("tone").filters[-1].hz < 4000
    strip.get_by_label("High cut on").uncheck()
    expect(strip.get_by_role("slider", name="High cut")).to_have_count(0)
    strip.get_by_label("High cut on").check()
    expect(strip.get_by_role("slider", name="High cut")).to_be_visible()
    strip.get_by_role("button", name="Level", exact=True).click()
    strip.get_by_role("textbox", name="Width, %").fill("60")
    strip.get_by_role("textbox", name="Width, %").press("Enter")
    expect(history(desk)).to_contain_text("Width, Quarter repeats")

    # On into the hall; the way back is closed, and says why.
    strip.get_by_role("button", name="Sends to").click()
    desk.locator("#feed-hall").click()
    expect(desk.locator("#onward-hall")).to_have_value("\N{MINUS SIGN}12.0")
    expect(desk.get_by_role("group", name="Flow").get_by_text("Quarter repeats to hall")).to_have_count(1)
    desk.get_by_role("group", name="Flow").get_by_role("link", name="hall", exact=True).click()
    expect(desk.get_by_role("region", name="hall", exact=True).get_by_role("textbox", name="Decay, s")).to_be_visible()
    desk.get_by_role("button", name="Sends to").click()
    expect(desk.get_by_text("Quarter repeats feeds hall: that would be a loop")).to_be_visible()
    desk.get_by_role("group", name="Flow").get_by_role("link", name="Quarter repeats", exact=True).click()
    expect(strip.get_by_role("textbox", name="Left", exact=True)).to_be_visible()

    strip.get_by_role("button", name="Put tone earlier").click()
    expect(history(desk)).to_contain_text("Earlier: tone")
    assert [effect.kind for effect in stored_plan(song).return_("quarter-repeats").chain] == ["tone", "echo"]

    undo_all(desk, 11)
    expect(desk.get_by_role("region", name="Quarter repeats")).to_have_count(0)
    assert [return_.id for return_ in stored_plan(song).returns] == ["plate", "hall"]
    assert stored_plan(song).send("quarter-repeats", "hall") is None


def focus_by_tab(page, locator) -> None:
    """Go to an element as a keyboard does."""
    expect(locator).to_be_visible()
    for _ in range(400):
        if locator.evaluate("element => element === document.activeElement"):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab never came to {locator}")


def test_the_same_by_keyboard_alone(desk, song) -> None:
    focus_by_tab(desk, desk.get_by_label("Start from"))
    desk.keyboard.type("Quarter")
    focus_by_tab(desk, desk.get_by_role("button", name="Add a return"))
    desk.keyboard.press("Enter")
    strip = desk.get_by_role("region", name="Quarter repeats")
    focus_by_tab(desk, strip.get_by_label("linked"))
    desk.keyboard.press("Enter")
    left = strip.get_by_role("slider", name="Left time")
    desk.keyboard.press("Shift+Tab")
    focus_by_tab(desk, left)
    desk.keyboard.press("ArrowLeft")
    expect(history(desk)).to_contain_text("Left, Quarter repeats")
    expect(strip.get_by_role("textbox", name="Left", exact=True)).to_have_value("1/8.")
    assert left.evaluate("element => element === document.activeElement")
    desk.keyboard.press("ArrowDown")  # its level
    expect(history(desk)).to_contain_text("Left level")
    wait_until(desk, "document.activeElement.id === 'handle-quarter-repeats-effectecholeft'")
    desk.keyboard.press("Delete")
    expect(strip.get_by_role("textbox", name="Left", exact=True)).to_have_value("1/8")
    desk.keyboard.press("Control+z")
    expect(strip.get_by_role("textbox", name="Left", exact=True)).to_have_value("1/8.")
    desk.keyboard.press("Enter")
    wait_until(desk, "document.activeElement.dataset.path === 'effect/echo/left'")

    cut = strip.get_by_role("slider", name="Low cut")
    focus_by_tab(desk, cut)
    desk.keyboard.press("Alt+ArrowRight")
    expect(history(desk)).to_contain_text("Low cut, Quarter repeats")
    focus_by_tab(desk, strip.get_by_role("button", name="Level", exact=True))
    desk.keyboard.press("Enter")
    focus_by_tab(desk, strip.get_by_role("textbox", name="Width, %"))
    desk.keyboard.type("60")
    desk.keyboard.press("Enter")
    expect(history(desk)).to_contain_text("Width, Quarter repeats")
    focus_by_tab(desk, strip.get_by_role("button", name="Sends to"))
    desk.keyboard.press("Enter")
    focus_by_tab(desk, desk.locator("#feed-hall"))
    desk.keyboard.press("Enter")
    expect(desk.locator("#onward-hall")).to_be_visible()
    focus_by_tab(desk, strip.get_by_role("button", name="Put tone earlier"))
    desk.keyboard.press("Enter")
    expect(history(desk)).to_contain_text("Earlier: tone")
    plan = stored_plan(song)
    assert [effect.kind for effect in plan.return_("quarter-repeats").chain] == ["tone", "echo"]
    assert plan.send("quarter-repeats", "hall") is not None
    undo_all(desk, 7)
    expect(desk.get_by_role("region", name="Quarter repeats")).to_have_count(0)


def test_a_drag_that_is_let_go_with_escape_changes_nothing(desk, song) -> None:
    desk.goto(f"{desk.url.partition('?')[0]}?open=hall")
    strip = desk.get_by_role("region", name="hall")
    handle = strip.get_by_role("slider", name="Decay", exact=True)
    box = handle.bounding_box()
    desk.mouse.move(box["x"] + 12, box["y"] + 12)
    desk.mouse.down()
    desk.mouse.move(box["x"] + 60, box["y"] + 12)
    expect(desk.locator(".tag")).to_contain_text("Decay")
    expect(strip.get_by_role("textbox", name="Decay, s")).not_to_have_value("1.5")
    desk.keyboard.press("Escape")
    desk.mouse.up()
    expect(strip.get_by_role("textbox", name="Decay, s")).to_have_value("1.5")
    expect(desk.locator(".tag")).to_have_count(0)
    song.refresh_from_db()
    assert song.head.number == 1


def test_starting_points_are_stepped_through_by_arrow_keys_and_one_is_kept(desk, song) -> None:
    desk.goto(f"{desk.url.partition('?')[0]}?open=plate")
    desk.get_by_role("button", name="Starting points").click()
    desk.locator("#try-short-plate").click()
    expect(desk.locator("#try-short-plate")).to_have_attribute("aria-pressed", "true")
    desk.locator("#try-short-plate").press("ArrowRight")
    expect(desk.locator("#try-long-plate")).to_have_attribute("aria-pressed", "true")
    wait_until(desk, "document.activeElement.id === 'try-long-plate'")
    assert stored_plan(song).return_("plate").chain[0].number("decay_s") == 2.4
    desk.get_by_role("button", name="Save it", exact=True).click()
    desk.get_by_role("textbox", name="as").fill("My sheet")
    desk.locator(".drawer form").first.get_by_role("button", name="Save it").click()
    expect(desk.get_by_text("Saved My sheet.")).to_be_visible()
    desk.get_by_role("link", name="Presets").click()
    desk.get_by_role("button", name="Apply My sheet").click()
    expect(desk.get_by_role("region", name="plate 2", exact=True)).to_be_visible()


RECORD = """() => {
  const { player } = window.highHall;
  const sides = player.mixer.lanes.get("hall").sides;
  const samples = new Float32Array(sides[0].fftSize);
  window.heard = [];
  (function listen() {
    let power = 0;
    for (const side of sides) {
      side.getFloatTimeDomainData(samples);
      for (const value of samples) power += value * value;
    }
    window.heard.push([player.sample, 10 * Math.log10(power / samples.length + 1e-14)]);
    requestAnimationFrame(listen);
  })();
}"""
END = 8 * 48000


def level_of_the_tail(page) -> float:
    """Return how loud the hall is half a second after its sources have stopped, against while they play, in dB."""
    wait_for_sample(page, END + 26_000)
    heard = page.evaluate("window.heard")
    after = [level for place, level in heard if END + 22_000 <= place <= END + 27_000]
    before = [level for place, level in heard if END - 24_000 <= place <= END]
    assert after
    assert before
    return min(after) - max(before)


def play_from(page, sample: int) -> None:
    page.evaluate("sample => window.highHall.player.seek(sample)", sample)
    page.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(page, "wet")
    page.evaluate(RECORD)


@pytest.mark.parametrize("is_edited", [False, True])
def test_a_decay_that_changes_while_it_plays_changes_the_tail_without_a_gap(desk, song, is_edited: bool) -> None:
    """The sources stop at 8 s; half a second later a tail of 1.5 s is some 20 dB down, one of 0.4 s some 75."""
    edit_plan(song.pk, 1, "Only sources that stop", lambda plan: remove_send(plan, "plate", "hall"))
    desk.goto(f"{desk.url.partition('?')[0]}?open=hall")
    wait_until(desk, "Boolean(window.highHall?.player.manifest)")
    play_from(desk, 2 * 48000)
    if is_edited:
        field = desk.get_by_role("region", name="hall").get_by_role("textbox", name="Decay, s")
        field.fill("0.4")
        field.press("Enter")
        expect(history(desk)).to_contain_text("Decay, hall")
    fall = level_of_the_tail(desk)
    assert (fall < -45) if is_edited else (-40 < fall < -10), fall
    while_playing = [level for place, level in desk.evaluate("window.heard") if 3 * 48000 < place < END]
    assert min(while_playing) > max(while_playing) - 15  # noise in a hall: no window of 170 ms falls out


def test_the_return_is_heard_without_its_tone_by_one_key(desk, song) -> None:
    desk.goto(f"{desk.url.partition('?')[0]}?open=hall")
    wait_until(desk, "Boolean(window.highHall?.player.manifest)")
    desk.keyboard.press("c")
    expect(desk.get_by_role("status").filter(has_text="hall without its tone")).to_be_visible()
    expect(desk.get_by_role("button", name="Tone off")).to_have_attribute("aria-pressed", "true")
    desk.keyboard.press("c")
    expect(desk.get_by_role("status").filter(has_text="hall without its tone")).to_have_count(0)
    song.refresh_from_db()
    assert song.head.number == 1


def test_returns_are_dragged_into_order_get_a_heading_and_a_group_of_their_own(desk, song) -> None:
    drag(desk, desk.locator("[data-return-grip=hall]"), 0, -60)
    expect(history(desk)).to_contain_text("Order, hall")
    assert [r.id for r in stored_plan(song).returns] == ["hall", "plate"]
    strip = desk.get_by_role("region", name="plate")
    strip.get_by_role("button", name="Level", exact=True).click()
    strip.get_by_label("Heading over it").fill("Plates")
    strip.get_by_label("Heading over it").press("Enter")
    expect(history(desk)).to_contain_text("Heading, plate")
    desk.reload()
    expect(desk.get_by_role("heading", name="Plates")).to_be_visible()
    form = desk.get_by_role("form", name="A group of returns")
    form.get_by_label("hall").check()
    form.get_by_label("plate").check()
    form.get_by_label("Name of the new group").fill("Spaces")
    form.get_by_role("button", name="Group them").click()
    expect(desk.get_by_role("region", name="Group Spaces")).to_be_visible()
    assert {r.output for r in stored_plan(song).returns} == {"spaces"}
    desk.get_by_role("button", name="Hear Spaces alone").click()
    expect(desk.locator("[data-monitoring]")).to_contain_text("Only hall and plate")
    desk.get_by_role("button", name="Mute Spaces").click()
    expect(history(desk)).to_contain_text("Mute, Spaces")
    assert stored_plan(song).group("spaces").mute


def test_a_room_is_captured_by_its_sweep_and_its_recording_and_becomes_a_return(desk, song, tmp_path) -> None:
    desk.get_by_role("link", name="Responses").click()
    desk.get_by_label("a sweep of").select_option("4")
    with desk.expect_download() as download:
        desk.get_by_role("button", name="Download it").click()
    sweep, rate = sf.read(download.value.path())
    assert rate == song.sample_rate
    time = np.arange(rate) / rate
    room = np.concatenate([[1.0], 0.3 * np.random.default_rng(2).standard_normal(rate - 1)]) * 10 ** (-6 * time)
    heard = oaconvolve(sweep, room)  # it falls by 60 dB in half a second
    sf.write(tmp_path / "Stone stair.wav", 0.4 * heard / np.abs(heard).max(), rate, subtype="PCM_24")
    desk.locator("#recording").set_input_files(tmp_path / "Stone stair.wav")
    told = desk.get_by_role("status").filter(has_text="is captured")
    expect(desk.locator("#responses")).to_contain_text("Stone stair of this song")
    expect(told).to_contain_text(re.compile(r"decays in 0\.5\d s \(T30\),\s+its noise lies at −\d+\.\d dB"))
    told.get_by_role("button", name="Add a return with it").click()
    expect(desk.get_by_role("region", name="Stone stair", exact=True)).to_be_visible()
    assert stored_plan(song).returns[-1].chain[0].response == song.responses.get().path


def test_one_filter_is_switched_off_and_on_and_keeps_its_figures(desk, song) -> None:
    desk.goto(f"{desk.url.partition('?')[0]}?open=hall")
    before = stored_plan(song).return_("hall").effect("tone").filters
    desk.get_by_role("button", name="Filters", exact=True).click()
    switch = desk.locator("input[id^=switch-hall-]").first
    switch.click()
    expect(history(desk)).to_contain_text("revision 2")
    off = stored_plan(song).return_("hall").effect("tone").filters
    assert [(f.on, f.hz) for f in off] == [(f.shape != "low_cut", f.hz) for f in before]
    switch.click()
    expect(history(desk)).to_contain_text("revision 3")
    assert stored_plan(song).return_("hall").effect("tone").filters == before
