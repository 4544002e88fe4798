"""Journeys through the real interface."""

import re

import numpy as np
import soundfile as sf
from playwright.sync_api import expect

from tests.browser.listening import power, sample, wait_for_sample, wait_for_silence, wait_for_sound, wait_until
from tests.browser.worker import run_worker
from tests.web.factories import stored_plan


def rail(page):
    return page.get_by_role("navigation", name="Views in working order")


def test_build_a_return_feed_it_hear_it_and_print_it(desk, song, tmp_path) -> None:
    # Build: a hall with an eighth of pre-delay, a longer decay, and a bell.
    desk.get_by_label("Start from").select_option("seated-hall")
    desk.get_by_role("button", name="Add a return").click()
    strip = desk.get_by_role("region", name="Seated hall")
    strip.get_by_role("textbox", name="Pre-delay").fill("1/8")
    strip.get_by_role("textbox", name="Pre-delay").press("Enter")
    expect(strip.get_by_text("250.0 ms", exact=True)).to_be_visible()
    strip.get_by_role("textbox", name="Decay, s").fill("2.4 s")
    strip.get_by_role("textbox", name="Decay, s").press("Enter")
    expect(desk.get_by_text("decay 2.40 s")).to_be_visible()
    strip.get_by_role("button", name="Filters").click()
    strip.get_by_label("Add a filter").select_option("bell")
    expect(strip.locator("fieldset").filter(has_text="Bell")).to_be_visible()

    # Feed it from two instruments, more in the refrain.
    rail(desk).get_by_role("link", name="Sends").click()
    desk.get_by_role("button", name="Add a send, voice to Seated hall").click()
    level = desk.get_by_label("voice to Seated hall: level in dB")
    level.fill("-8")
    level.press("Enter")
    expect(desk.get_by_label("voice to Seated hall: level in dB")).to_have_value("\N{MINUS SIGN}8.0")
    desk.get_by_role("button", name="Add a send, harp to Seated hall").click()
    expect(desk.get_by_label("harp to Seated hall: level in dB")).to_have_value("\N{MINUS SIGN}20.0")
    desk.get_by_label("levels in").select_option("b")
    expect(desk).to_have_url(re.compile("section=b"))
    desk.get_by_label("voice to Seated hall: level in dB").fill("-3")
    desk.get_by_label("voice to Seated hall: level in dB").press("Enter")
    expect(desk.get_by_title("Differs by section").first).to_be_visible()
    expect(desk.locator("#wet-voice")).to_contain_text("dB")

    # Hear it: dry and wet differ, and each can be heard without the other.
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk, "dry")
    wait_for_sound(desk, "wet")
    desk.get_by_role("button", name="Returns only").click()
    wait_for_silence(desk, "dry")
    assert power(desk, "wet") > 0
    expect(desk.get_by_role("status").filter(has_text="Returns only")).to_be_visible()
    desk.get_by_role("button", name="Dry", exact=True).click()
    wait_for_silence(desk, "wet")
    assert power(desk, "dry") > 0
    desk.get_by_role("button", name="Stop").click()

    # Print it.
    rail(desk).get_by_role("link", name="Hand-off").click()
    desk.get_by_role("button", name="Print 5 parts").click()
    expect(desk.get_by_text("Waiting")).to_be_visible()
    run_worker()
    expect(desk.locator("#prints")).to_contain_text("Done, 5 files")
    expect(desk.locator("#parts")).to_contain_text("the last print differed by")
    desk.locator("#prints summary").click()
    files = {}
    for name in ("Main", "Dry", "plate", "hall", "Seated hall"):
        with desk.expect_download() as download:
            desk.locator("#prints").get_by_role("link", name=name, exact=True).click()
        path = tmp_path / f"{name}.wav"
        download.value.save_as(path)
        files[name] = sf.read(path, dtype="float64")[0]
    main = files.pop("Main")
    assert np.abs(main - sum(files.values())).max() < 5 / 2**23
    assert np.abs(files["Seated hall"]).max() > 1e-3
    assert not files["Seated hall"][:12000].any()  # an eighth at 120 of pre-delay


def test_an_edit_while_it_plays_is_heard_without_stopping(desk, song) -> None:
    desk.get_by_role("button", name="Returns only").click()
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk, "wet")
    for name in ("plate", "hall"):
        with desk.expect_response(lambda r: "/manifest/" in r.url):
            desk.get_by_role("button", name=f"Mute {name}").click()
        before = sample(desk)
    wait_for_silence(desk, "wet")
    wait_for_sample(desk, before + 4800)
    with desk.expect_response(lambda r: "/manifest/" in r.url):
        desk.keyboard.press("Control+z")
    wait_for_sound(desk, "wet")
    assert desk.evaluate("window.highHall.player.isPlaying")


def test_going_from_view_to_view_never_stops_the_sound(desk) -> None:
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk)
    for view in ("Sends", "Hand-off", "Returns"):
        before = sample(desk)
        rail(desk).get_by_role("link", name=view).click()
        expect(desk.get_by_role("heading", name=view, exact=True)).to_be_visible()
        expect(rail(desk).get_by_role("link", name=view)).to_have_attribute("aria-current", "page")
        wait_for_sample(desk, before)
    assert power(desk, "sum") >= 0


def test_a_loop_keeps_to_its_section(desk) -> None:
    desk.get_by_role("button", name="Refrain, from bar 3").click()
    desk.get_by_role("button", name="Loop the section").click()
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sample(desk, 4 * 48000 + 150_000)
    wait_until(desk, "window.highHall.player.sample < 4 * 48000 + 60000")  # it has come round
    assert sample(desk) >= 4 * 48000
    wait_for_sound(desk)


def test_the_whole_way_by_keyboard_alone(page, song) -> None:
    page.goto("/")
    page.keyboard.type("ada")
    page.keyboard.press("Tab")
    page.keyboard.type("a long secret")
    page.keyboard.press("Enter")
    song_link = page.get_by_role("link", name="Test", exact=True)
    expect(song_link).to_be_visible()
    while not song_link.evaluate("link => link === document.activeElement"):
        page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Returns")).to_be_visible()
    wait_until(page, "Boolean(window.highHall?.player.manifest)")

    decay = page.get_by_role("region", name="plate").get_by_label("Decay, s")
    while not decay.evaluate("field => field === document.activeElement"):
        page.keyboard.press("Tab")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Shift+ArrowUp")
    expect(page.locator("#history")).to_contain_text("Decay, plate")
    expect(decay).to_have_value("0.91")
    assert decay.evaluate("field => field === document.activeElement")
    page.keyboard.type("far")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Type a number from 0.1 to 30 s.")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(decay).to_have_value("0.8")

    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("3")
    expect(page.get_by_role("heading", name="Sends")).to_be_visible()
    switch = page.get_by_role("button", name="voice to plate: on")
    while not switch.evaluate("button => button === document.activeElement"):
        page.keyboard.press("Tab")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("p")
    expect(page.get_by_role("button", name="voice to hall: post fader")).to_be_visible()
    wait_until(page, "document.activeElement.closest('#send-voice-hall') !== null")
    page.keyboard.press("o")
    expect(page.get_by_role("button", name="voice to hall: on")).to_have_attribute("aria-pressed", "false")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Space")
    wait_for_sound(page)
    page.keyboard.press("Space")
    wait_until(page, "!window.highHall.player.isPlaying")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    hall = stored_plan(song).send("voice", "hall")
    assert (hall.send_point, hall.on) == ("post", False)


def test_two_tabs_on_one_song_see_each_others_edits_and_lose_none(desk, context) -> None:
    other = context.new_page()
    other.goto(desk.url)
    desk.get_by_role("button", name="Mute plate").click()
    expect(desk.locator("#history")).to_contain_text("Mute, plate")
    expect(other.get_by_role("button", name="Mute plate")).to_have_attribute("aria-pressed", "true")
    expect(other.get_by_role("alert")).to_contain_text("Changed elsewhere: Mute, plate")
    other.route("**/newest/", lambda route: route.abort())  # this tab learns of nothing any more
    strip = desk.get_by_role("region", name="plate")
    strip.get_by_role("button", name="Level", exact=True).click()
    strip.get_by_role("textbox", name="Level, dB").fill("-4")
    desk.keyboard.press("Enter")
    expect(desk.locator("#history")).to_contain_text("Level, plate")
    other.get_by_role("button", name="Mute hall").click()
    expect(other.locator("#history")).to_contain_text("Mute, hall")
    expect(other.get_by_role("region", name="plate").get_by_label("Level, dB")).to_have_value("−4.0")
    expect(desk.get_by_role("button", name="Mute hall")).to_have_attribute("aria-pressed", "true")


def test_day_and_night_are_kept(desk) -> None:
    root = desk.locator("html")
    expect(root).to_have_attribute("data-bs-theme", "light")
    desk.get_by_role("button", name="Day").click()
    expect(root).to_have_attribute("data-bs-theme", "dark")
    desk.reload()
    expect(root).to_have_attribute("data-bs-theme", "dark")


def test_edits_faster_than_the_answers_are_all_kept(desk, song) -> None:
    """Two fields are changed while the first answer is still on its way."""
    strip = desk.get_by_role("region", name="plate")
    desk.route("**/set/", lambda route: (desk.wait_for_timeout(300), route.continue_()))
    strip.get_by_role("textbox", name="Decay, s").fill("1.1")
    strip.get_by_role("textbox", name="Pre-delay").fill("1/32")
    strip.get_by_role("textbox", name="Size").fill("0.9")
    strip.get_by_role("textbox", name="Size").press("Enter")
    expect(strip.get_by_role("textbox", name="Pre-delay")).to_have_value("1/32")
    expect(desk.locator("#history")).to_contain_text("revision 4")
    plate = stored_plan(song).return_("plate")
    assert (plate.effect("reverb").number("decay_s"), plate.effect("reverb").number("size")) == (1.1, 0.9)
    assert str(plate.effect("reverb").value("pre_delay")) == "1/32"
    expect(desk.get_by_role("alert")).to_have_count(0)
