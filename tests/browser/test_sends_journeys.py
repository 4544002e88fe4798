"""Feeding returns in the real interface: many sends at once, by mouse and by keyboard."""

from playwright.sync_api import expect

from tests.browser.listening import power, wait_for_silence, wait_for_sound, wait_until
from tests.web.factories import stored_plan


def to_sends(desk) -> None:
    desk.keyboard.press("3")
    expect(desk.get_by_role("heading", name="Sends", exact=True)).to_be_visible()


def level(song, source: str, target: str) -> float | None:
    send = stored_plan(song).send(source, target)
    return None if send is None else send.level_db


def test_sends_are_chosen_by_dragging_and_changed_as_one(desk, song) -> None:
    to_sends(desk)
    first, last = (desk.locator(f"#send-{name}").bounding_box() for name in ("voice-plate", "voice-hall"))
    desk.mouse.move(first["x"] + 12, first["y"] + 20)
    desk.mouse.down()
    desk.mouse.move(first["x"] + 60, first["y"] + 20)
    desk.mouse.move(last["x"] + 12, last["y"] + 20)
    desk.mouse.up()
    bar = desk.get_by_role("toolbar", name="Change the chosen sends")
    expect(bar).to_contain_text("2 sends")
    assert stored_plan(song).send("voice", "plate").on  # the drag began on a switch and did not press it
    nudge = bar.get_by_label("Nudge by, dB")
    nudge.fill("-2")
    nudge.press("Enter")
    expect(desk.locator("#history")).to_contain_text("Nudge, 2 sends")
    assert (level(song, "voice", "plate"), level(song, "voice", "hall")) == (-12, -18)
    expect(bar).to_contain_text("2 sends")  # they stay chosen
    bar.get_by_role("button", name="Unity").click()
    expect(desk.locator("#history")).to_contain_text("Unity")
    desk.keyboard.press("Control+z")
    desk.keyboard.press("Control+z")
    expect(desk.get_by_label("voice to plate: level in dB")).to_have_value("\N{MINUS SIGN}10.0")


def test_a_bar_is_dragged_and_a_group_folded(desk, song) -> None:
    to_sends(desk)
    bar = desk.locator("#send-voice-plate [data-send-bar]").bounding_box()
    desk.mouse.move(bar["x"] + 40, bar["y"] + 6)
    desk.mouse.down()
    desk.mouse.move(bar["x"] + 47, bar["y"] + 6)  # half of 94 px: half way from -36 to 6 dB
    expect(desk.get_by_label("voice to plate: level in dB")).to_have_value("\N{MINUS SIGN}15.0")
    desk.mouse.up()
    expect(desk.locator("#history")).to_contain_text("Level, voice to plate")
    assert level(song, "voice", "plate") == -15
    desk.get_by_role("button", name="Fold band").click()
    expect(desk.locator("#send-harp-hall")).to_be_hidden()
    expect(desk.locator("#send-band-hall")).to_be_visible()


def test_many_sends_by_keyboard_alone_and_to_the_return_and_back(desk, song) -> None:
    to_sends(desk)
    switch = desk.get_by_role("button", name="voice to plate: on")
    for _ in range(200):
        if switch.evaluate("element => element === document.activeElement"):
            break
        desk.keyboard.press("Tab")
    desk.keyboard.press("Shift+ArrowRight")
    expect(desk.get_by_role("toolbar")).to_contain_text("2 sends")
    desk.keyboard.press("]")
    expect(desk.locator("#history")).to_contain_text("Nudge, 2 sends")
    assert (level(song, "voice", "plate"), level(song, "voice", "hall")) == (-9.5, -15.5)
    wait_until(desk, "document.activeElement.closest('#send-voice-hall') !== null")
    desk.keyboard.press("Control+c")
    desk.keyboard.press("Escape")
    desk.keyboard.press("ArrowUp")
    desk.keyboard.press("ArrowUp")
    desk.keyboard.press("ArrowLeft")
    wait_until(desk, "document.activeElement.closest('#send-harp-plate') !== null")
    desk.keyboard.press("Control+v")
    expect(desk.locator("#history")).to_contain_text("Paste, 2 sends")
    assert (level(song, "harp", "plate"), level(song, "harp", "hall")) == (-9.5, -15.5)
    wait_until(desk, "document.activeElement.closest('#send-harp-plate') !== null")
    desk.keyboard.press("e")
    expect(desk.get_by_role("region", name="plate", exact=True).get_by_role("textbox", name="Decay, s")).to_be_visible()
    desk.evaluate("document.activeElement.blur()")
    desk.keyboard.press("e")
    expect(desk.get_by_role("heading", name="Sends", exact=True)).to_be_visible()
    wait_until(desk, "document.activeElement.closest('#send-harp-plate') !== null")


def test_the_tail_is_checked_by_one_key_and_all_is_as_before(desk, song) -> None:
    desk.get_by_role("button", name="Loop the section").click()
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk, "dry")
    wait_for_sound(desk, "wet")
    desk.keyboard.press("t")
    expect(desk.get_by_role("button", name="ringing")).to_be_visible()
    expect(desk.get_by_role("status").filter(has_text="what rings on")).to_be_visible()
    wait_for_silence(desk, "dry")
    assert power(desk, "wet") > 1e-12
    wait_until(desk, "window.highHall.player.tail === null")  # the returns have fallen under -60 dB
    expect(desk.get_by_role("button", name="Tail check")).to_have_attribute("aria-pressed", "false")
    expect(desk.get_by_role("status").filter(has_text="Full mix")).to_be_visible()
    state = desk.evaluate("(({ isPlaying, sample, loop }) => ({ isPlaying, sample, loop }))(window.highHall.player)")
    assert not state["isPlaying"]
    assert 0 < state["sample"] < 4 * 48000
    assert state["loop"] == {"start": 0, "end": 4 * 48000, "name": "Verse"}
    song.refresh_from_db()
    assert song.head.number == 1


def test_several_returns_are_heard_alone_with_the_dry_sound_or_without(desk) -> None:
    open_lanes = "[...window.highHall.player.mixer.lanes].filter(([, lane]) => lane.gate.gain.value > 0.5).map(([id]) => id).sort().join()"
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk, "wet")
    heard = desk.locator("[data-monitoring]")
    desk.get_by_role("button", name="Hear plate alone").first.click()
    expect(heard).to_have_text("Only plate, nothing else")
    wait_until(desk, f"{open_lanes} === 'plate'")
    desk.get_by_role("button", name="Hear hall alone").first.click(modifiers=["Shift"])
    expect(heard).to_have_text("Only plate and hall, nothing else")
    wait_until(desk, f"{open_lanes} === 'hall,plate'")
    desk.get_by_role("button", name="Hear hall alone").first.click(modifiers=["Shift"])
    desk.get_by_role("button", name="Hear hall alone").first.click(modifiers=["Alt"])
    expect(heard).to_have_text("Only hall, with the dry sound")
    wait_until(desk, f"{open_lanes} === 'dry,hall'")
    desk.get_by_role("button", name="Full mix").click()
    wait_until(desk, f"{open_lanes} === 'dry,hall,plate'")


def test_the_pan_of_one_send_is_typed_by_keyboard_and_a_drag_of_it_let_go_by_escape(desk, song) -> None:
    to_sends(desk)
    desk.get_by_role("button", name="voice to plate: on").focus()
    desk.keyboard.press("Shift+Enter")
    pan = desk.get_by_label("Pan, per cent")
    expect(pan).to_be_focused()
    expect(pan).to_have_value("0")
    desk.keyboard.type("-30")
    desk.keyboard.press("Enter")
    expect(desk.locator("#history")).to_contain_text("revision 2")
    assert stored_plan(song).send("voice", "plate").pan == -0.3
    expect(desk.locator("#send-voice-plate")).to_contain_text("L30")
    expect(pan).to_have_value("\N{MINUS SIGN}30")  # the send stays chosen
    desk.evaluate("document.activeElement.blur()")
    box = pan.bounding_box()
    desk.mouse.move(box["x"] + 4, box["y"] + 8)
    desk.mouse.down()
    desk.mouse.move(box["x"] + 27, box["y"] + 8)
    expect(pan).to_have_value("\N{MINUS SIGN}10")
    desk.keyboard.press("Escape")
    desk.mouse.up()
    expect(pan).to_have_value("\N{MINUS SIGN}30")
    song.refresh_from_db()
    assert song.head.number == 2
