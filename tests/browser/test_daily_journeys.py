"""What a working day meets: Space after a click, sound that is late, a reload, notices, keys among rows."""

import pytest
from playwright.sync_api import expect

from tests.browser.holding import Held
from tests.browser.listening import power, sample, wait_for_sample, wait_for_silence, wait_for_sound, wait_until
from tests.browser.test_sends_journeys import to_sends
from tests.web.factories import stored_plan


@pytest.mark.parametrize(
    "name", ["Mute plate", "Loop the section", "Dry", "Hear plate alone", "Refrain, from bar 3", "Fade in"]
)
def test_space_plays_and_stops_whatever_was_pressed_before(desk, name: str) -> None:
    pressed = desk.get_by_label(name, exact=True).first if name != "Dry" else desk.get_by_role("button", name="Dry")
    pressed.click()
    if name == "Mute plate":
        expect(desk.locator("#history")).to_contain_text("Mute, plate")
    states = "[...document.querySelectorAll('#player [aria-pressed]:not([data-play]), [id^=mute-], #player input')].map((e) => e.checked ?? e.getAttribute('aria-pressed')).join()"
    before = desk.evaluate(states)
    desk.keyboard.press(" ")
    wait_until(desk, "window.highHall.player.isPlaying && !window.highHall.player.isWaiting")
    assert desk.evaluate(states) == before
    desk.keyboard.press(" ")
    wait_until(desk, "!window.highHall.player.isPlaying")
    assert desk.evaluate(states) == before


@pytest.mark.parametrize("with_shift", [False, True])
def test_a_button_that_is_drawn_anew_while_it_is_held_down_is_pressed_where_it_stands(desk, with_shift: bool) -> None:
    desk.get_by_role("button", name="Hear hall alone").click()
    answer = Held(desk, "/plate/set/")
    desk.get_by_role("button", name="Mute plate").click()
    solo = desk.get_by_role("button", name="Hear plate alone")
    drawn = solo.element_handle()
    solo.hover()
    if with_shift:
        desk.keyboard.down("Shift")
    desk.mouse.down()
    answer.let_go()
    expect(desk.locator("#history")).to_contain_text("Mute, plate")
    assert not drawn.evaluate("button => button.isConnected")
    desk.mouse.up()
    alone = "hall and plate" if with_shift else "plate"
    expect(desk.locator("[data-monitoring]")).to_contain_text(f"Only {alone}")


def test_space_is_a_space_in_a_text_field_and_enter_presses_a_box(desk) -> None:
    desk.get_by_label("Bar before").focus()
    desk.keyboard.press("Enter")
    expect(desk.get_by_label("Bar before")).to_be_checked()
    name = desk.get_by_label("Name of the return")
    name.fill("Wide")
    name.press(" ")
    assert name.input_value() == "Wide "
    assert not desk.evaluate("window.highHall.player.isPlaying")


def pressed_while_held(desk, key: str, segments: str, heard: str) -> Held:
    """Play, press a key while the segments it asks for are held back, and see that they are said to be getting ready."""
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk, heard)
    held = Held(desk, segments)
    desk.keyboard.press(key)
    expect(desk.get_by_role("button", name="getting ready")).to_be_visible()
    return held


def test_a_tail_check_that_is_late_says_so_until_only_the_tail_is_heard(desk) -> None:
    held = pressed_while_held(desk, "t", "tracks-end", heard="dry")
    expect(desk.locator("[data-monitoring]")).to_contain_text("the next is getting ready")
    wait_for_sample(desk, sample(desk) + 48000)
    assert power(desk, "dry") > 1e-6  # what was heard goes on, long after the moment that was asked for
    held.let_go()
    wait_until(desk, "window.highHall.player.isRinging")
    expect(desk.locator("[data-monitoring]")).to_contain_text("Sources stopped")
    wait_for_silence(desk, "dry")


def test_sends_that_are_cut_late_are_heard_until_they_are(desk) -> None:
    held = pressed_while_held(desk, "x", "sends-end", heard="wet")
    expect(desk.locator("[data-monitoring]")).not_to_contain_text("nothing is sent")
    wait_for_sample(desk, sample(desk) + 48000)
    assert power(desk, "wet") > 1e-6
    assert power(desk, "dry") > 1e-6
    held.let_go()
    expect(desk.locator("[data-monitoring]")).to_contain_text("nothing is sent")
    wait_for_sound(desk, "dry")
    wait_for_silence(desk, "wet")


def test_an_edit_that_is_late_does_not_interrupt_the_sound(desk, song) -> None:
    to_sends(desk)
    desk.keyboard.press(" ")
    wait_for_sound(desk)
    held = Held(desk, r"/2/plate/")
    started = sample(desk)
    field = desk.get_by_label("voice to plate: level in dB")
    field.fill("-3")
    field.press("Enter")
    wait_for_sample(desk, started + 2 * 48000)
    assert desk.evaluate("window.highHall.player.isPlaying")
    assert power(desk, "dry") > 1e-6
    assert stored_plan(song).send("voice", "plate").level_db == -3
    held.let_go()


def test_a_reload_finds_the_place_the_loop_what_is_heard_and_what_is_chosen(desk) -> None:
    to_sends(desk)
    desk.get_by_label("Bar before").check()
    desk.locator("[data-section-box]").nth(1).press("Enter")
    desk.get_by_role("button", name="Loop the section").click()
    desk.keyboard.press("r")
    switch = desk.get_by_role("button", name="voice to plate: on")
    switch.focus()
    desk.keyboard.press("Shift+ArrowRight")
    expect(desk.get_by_role("toolbar")).to_contain_text("2 sends")
    desk.reload()
    expect(desk.get_by_role("toolbar")).to_contain_text("2 sends")
    expect(desk.locator("[data-position]")).to_have_text("3.1")
    wait_until(desk, "window.highHall.player.loop?.start === 4 * 48000")
    expect(desk.locator("[data-monitoring]")).to_contain_text("Returns only")
    expect(desk.get_by_label("Bar before")).to_be_checked()
    expect(desk.get_by_role("button", name="Loop the section")).to_have_attribute("aria-pressed", "true")


def test_escape_and_enter_leave_the_focus_on_the_cell(desk) -> None:
    to_sends(desk)
    field = desk.get_by_label("voice to plate: level in dB")
    for key in ("Escape", "Enter"):
        field.focus()
        field.fill("-7")
        field.press(key)
        wait_until(
            desk,
            "document.activeElement.closest('#send-voice-plate') !== null && !document.activeElement.matches('input')",
        )
    expect(desk.locator("#history")).to_contain_text("Level, voice to plate")


def test_rows_of_groups_are_not_chosen_on_the_way_and_the_bar_covers_no_cell(desk) -> None:
    to_sends(desk)
    desk.locator("#send-drum-plate [data-switch]").focus()
    desk.keyboard.press("Shift+ArrowUp")
    desk.keyboard.press("Shift+ArrowUp")
    chosen = desk.locator("[data-cell].is-chosen")
    assert chosen.count() >= 2
    assert desk.locator(".group-row [data-cell].is-chosen").count() == 0
    bar = desk.get_by_role("toolbar").bounding_box()
    matrix = desk.get_by_role("region", name="Sends").bounding_box()
    assert bar["y"] >= matrix["y"] + matrix["height"] - 1


def test_a_notice_is_closed_though_sends_are_chosen(desk) -> None:
    to_sends(desk)
    field = desk.get_by_label("voice to plate: level in dB")
    desk.get_by_role("button", name="voice to hall: on").click(modifiers=["Control"])
    field.fill("loud")
    field.press("Enter")
    notice = desk.get_by_role("alert")
    expect(notice).to_contain_text("Type a number")
    desk.get_by_role("button", name="Close this notice").click()
    expect(notice).to_be_hidden()


def test_whole_bars_are_looped_by_a_drag_with_shift_and_sections_are_jumped_by_keys(desk) -> None:
    box = desk.locator("[data-song-strip]").bounding_box()
    y, bar = box["y"] + 45, 558 / 4  # four bars of two seconds
    desk.keyboard.down("Shift")
    desk.mouse.move(box["x"] + 1.3 * bar, y)
    desk.mouse.down()
    desk.mouse.move(box["x"] + 2.2 * bar, y, steps=3)
    desk.mouse.up()
    desk.keyboard.up("Shift")
    loop = desk.evaluate("window.highHall.player.loop")
    assert loop == {"start": 96000, "end": 288000, "name": "bars 2 to 3"}
    expect(desk.locator("[data-loop-mark]")).to_contain_text("loop bars 2 to 3")
    assert sample(desk) == 96000
    desk.reload()
    wait_until(desk, "window.highHall?.player.loop?.name === 'bars 2 to 3'")
    desk.keyboard.press("l")
    assert desk.evaluate("window.highHall.player.loop") is None
    desk.keyboard.press("Control+ArrowRight")
    assert sample(desk) == 192000
    desk.keyboard.press("Control+ArrowLeft")
    assert sample(desk) == 0


def test_mono_is_half_of_each_side_on_both(desk) -> None:
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk, "wet")
    desk.keyboard.press("n")
    expect(desk.locator("[data-monitoring]")).to_contain_text("in mono")
    wait_until(desk, "window.highHall.player.mixer.readings.sum.correlation > 0.999")
    desk.get_by_label("Mono").uncheck()
    expect(desk.locator("[data-monitoring]")).not_to_contain_text("in mono")
    wait_until(desk, "window.highHall.player.mixer.readings.sum.correlation < 0.99")


def test_a_mute_and_a_typed_level_of_a_return_are_heard_before_the_server_answers(desk) -> None:
    factors = "window.highHall.player.manifest.lanes.find(({ id }) => id === 'plate').gains[0]"
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk, "wet")
    held = Held(desk, "/set/")
    before = desk.evaluate(factors)
    desk.locator("#mute-plate").click()
    assert desk.evaluate(factors) == 0
    held.let_go()
    expect(desk.locator("#history")).to_contain_text("Mute, plate")
    desk.locator("#mute-plate").click()
    expect(desk.locator("#history")).to_contain_text("revision 3")
    desk.get_by_role("button", name="Level", exact=True).click()
    held = Held(desk, "/set/")
    level = desk.get_by_role("region", name="plate", exact=True).get_by_label("Level, dB")
    level.fill("-20")
    level.press("Enter")
    assert desk.evaluate(factors) < 0.2 * before
    held.let_go()
    expect(desk.locator("#history")).to_contain_text("Level, plate")
