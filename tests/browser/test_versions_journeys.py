"""Two versions compared by ear and by figure, openly and blindly, and the other ways of listening."""

import re

from playwright.sync_api import expect

from tests.browser.listening import sample, wait_for_sample, wait_for_silence, wait_for_sound, wait_until
from tests.web.factories import stored_plan

MATCH = "Math.abs(20 * Math.log10(window.highHall.player.mixer.match.gain.value) - ({})) < 0.05"


def keep_and_change(desk) -> None:
    """Keep a version, then make the hall 12 dB louder; compare with what was kept."""
    desk.keyboard.press("v")
    desk.get_by_label("Save A as").fill("Drier")
    desk.keyboard.press("Enter")
    expect(desk.get_by_text("as it is now")).to_be_visible()
    desk.get_by_role("navigation").get_by_role("link", name="Sends").click()
    field = desk.get_by_label("band to hall: level in dB")
    field.fill("0")
    field.press("Enter")
    expect(desk.locator("#history")).to_contain_text("revision 2")
    desk.get_by_role("link", name="Versions").click()
    desk.get_by_role("link", name="Drier").click()
    expect(desk.get_by_role("heading", name="1 difference between now and Drier")).to_be_visible()


def test_two_versions_are_heard_in_turn_equally_loud(desk, song) -> None:
    keep_and_change(desk)
    expect(desk.get_by_role("row", name=re.compile("band to hall"))).to_contain_text("\N{MINUS SIGN}12.0 dB")
    desk.keyboard.press(" ")
    wait_for_sound(desk)
    note = desk.locator("[data-match]")
    expect(note).to_have_text(re.compile("matched over Verse: \N{MINUS SIGN}[0-9.]+ dB"))  # A is the louder one
    lowered = float(note.inner_text().split(": ")[1].removesuffix(" dB").replace("\N{MINUS SIGN}", "-"))
    assert lowered < -0.3
    wait_until(desk, MATCH.format(lowered))
    before = sample(desk)
    desk.keyboard.press("b")
    expect(desk.get_by_role("button", name="B", exact=True)).to_have_attribute("aria-pressed", "true")
    wait_until(desk, "window.highHall.player.manifest.revision === 1")
    expect(note).to_have_text("matched over Verse: 0.0 dB")
    wait_until(desk, MATCH.format(0))
    assert before < sample(desk) < before + 3 * 48000  # it plays on
    desk.keyboard.press("a")
    wait_until(desk, "window.highHall.player.manifest.revision === 2")
    desk.get_by_role("button", name="Use Level of band to hall from Drier").click()
    expect(desk.get_by_role("heading", name="Nothing differs between now and Drier")).to_be_visible()
    assert stored_plan(song).send("band", "hall").level_db == -12


def test_blindly_neither_name_nor_figure_is_told_until_the_answer(desk) -> None:
    keep_and_change(desk)
    desk.get_by_role("button", name="Begin").click()
    wait_for_sound(desk)
    expect(desk.get_by_text("Round 1 of 6")).to_be_visible()
    expect(desk.locator("[data-comparing]")).to_have_text(re.compile(r"X\s*Y\s*blind, equally loud"))
    for _ in range(6):  # always the same one, told by what the page does not show
        is_first = desk.evaluate("window.highHall.player.side === 'b'")
        desk.get_by_role("button", name="X is better" if is_first else "Y is better").click()
    expect(desk.locator("[data-verdict]")).to_contain_text("You chose B in 6 of 6 rounds.")
    expect(desk.locator("[data-verdict]")).to_contain_text("you can tell them apart")
    expect(desk.get_by_role("button", name="Begin")).to_be_visible()


def test_sends_are_cut_while_the_dry_sound_plays_on(desk, song) -> None:
    desk.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(desk, "wet")
    desk.keyboard.press("x")
    expect(desk.locator("[data-monitoring]")).to_have_text("Full mix, nothing is sent")
    wait_for_silence(desk, "wet")
    wait_for_sound(desk, "dry")
    desk.keyboard.press("x")
    wait_for_sound(desk, "wet")
    song.refresh_from_db()
    assert song.head.number == 1


def test_the_last_seconds_again_a_bar_before_and_by_ear_along_the_strip(desk) -> None:
    desk.evaluate("window.highHall.player.seek(5 * 48000)")
    desk.get_by_label("Bar before").check()
    desk.evaluate("document.activeElement.blur()")
    desk.keyboard.press(" ")
    wait_for_sound(desk)
    assert 3 * 48000 <= sample(desk) < 4.5 * 48000  # a bar of 2 s before 5 s
    wait_for_sample(desk, 6 * 48000)
    desk.keyboard.press("Backspace")
    wait_until(desk, "window.highHall.player.sample < 4 * 48000")
    desk.keyboard.press(" ")
    strip = desk.locator("[data-song-strip]").bounding_box()
    desk.mouse.move(strip["x"] + 100, strip["y"] + 50)
    desk.mouse.down()
    desk.mouse.move(strip["x"] + 280, strip["y"] + 50, steps=4)
    wait_until(desk, "window.highHall.player.mixer.readings.sum?.rms > -60")  # a moment of it is heard
    desk.mouse.up()
    assert abs(sample(desk) - 4 * 48000) < 4800  # half of 558 px of 8 s
    assert not desk.evaluate("window.highHall.player.isPlaying")


def test_dry_alone_is_raised_to_the_mix_and_the_peak_is_held_until_pressed(desk) -> None:
    desk.get_by_label("Match dry").check()
    desk.evaluate("document.activeElement.blur()")
    desk.keyboard.press(" ")
    wait_for_sound(desk)
    hold = desk.get_by_role("button", name="True peak")
    expect(hold).to_have_text(re.compile(r"\d\.\d\s+dBTP"))
    desk.keyboard.press("d")
    expect(desk.locator("[data-monitoring]")).to_have_text(re.compile(r"Dry only, \+[0-9.]+ dB, as loud as the mix"))
    wait_until(desk, "window.highHall.player.mixer.match.gain.value > 1.01")
    desk.keyboard.press("f")
    wait_until(desk, MATCH.format(0))
    desk.keyboard.press(" ")
    wait_until(desk, "window.highHall.player.mixer.readings.sum.peak < -100")  # what rings out is over
    hold.click()
    expect(hold).to_contain_text("\N{INFINITY}")
