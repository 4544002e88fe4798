"""What is heard while one works, recorded from the page and held against the engine."""

import numpy as np
import pytest
from playwright.sync_api import expect

from hallweb.songs.revisions import plan_of
from hallweb.songs.stems import open_stems, song_sounds
from highhall.plan import Plan
from highhall.plan.edits import set_send
from highhall.render import Engine
from tests.browser.listening import wait_for_sample, wait_until
from tests.browser.recording import RECORDER, aligned, recorded
from tests.browser.test_sends_journeys import to_sends

RATE = 48000
EXACT = 1e-5
FADE_IN = round(0.15 * RATE)


@pytest.fixture
def context(browser, live_server, song):
    """Return a context whose pages are recorded; the recorder is a script of the test's own."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url, bypass_csp=True)
    context.add_init_script(RECORDER)
    context.set_default_timeout(15_000)
    expect.set_options(timeout=15_000)
    yield context
    context.close()


def printed(song, plan: Plan) -> np.ndarray:
    engine = Engine(plan, open_stems(song_sounds(song.pk), RATE))
    return np.concatenate([engine.advance(RATE).main for _ in range(8)], axis=1)


def play(desk) -> None:
    wait_until(desk, "window.isRecording === true")
    desk.keyboard.press(" ")
    wait_for_sample(desk, RATE // 4)


def test_edits_while_it_plays_change_what_they_say_and_nothing_else(desk, song) -> None:
    to_sends(desk)
    desk.get_by_label("levels in").select_option("Refrain")
    refrain = desk.get_by_label("harp to plate: level in dB")
    expect(desk.get_by_label("voice to hall: level in dB")).to_have_value("\N{MINUS SIGN}6.0")
    assert refrain.count() == 0
    play(desk)
    field = desk.get_by_label("band to hall: level in dB")
    field.fill("3")
    field.press("Enter")
    expect(desk.locator("#history")).to_contain_text("revision 2")
    desk.get_by_label("levels in").select_option("the whole song")
    field = desk.get_by_label("voice to hall: level in dB")
    expect(field).to_have_value("\N{MINUS SIGN}16.0")
    field.fill("0")
    field.press("Enter")
    expect(desk.locator("#history")).to_contain_text("revision 3")
    wait_for_sample(desk, 6 * RATE)
    plans = [plan_of(revision.pk) for revision in song.revisions.order_by("number")]
    first, last = printed(song, plans[0]), printed(song, plans[2])
    heard = aligned(recorded(desk), first, RATE // 4)[:, : 6 * RATE - 4800]
    first, last = first[:, : heard.shape[1]], last[:, : heard.shape[1]]
    is_first = np.abs(heard - first).max(axis=0) < EXACT
    is_last = np.abs(heard - last).max(axis=0) < EXACT
    left = FADE_IN + int(np.argmin(is_first[FADE_IN:]))  # the first sample that is no longer as it was
    reached = heard.shape[1] - int(np.argmin(is_last[::-1]))  # from here on all is as it is now
    assert left < 4 * RATE - 12000, "the level of the first section was heard before the second section began"
    assert reached - left < round(0.06 * RATE), "one cross-fade, and no gap"
    # Within the cross-fade nothing lies outside of what was and what is: no click, and dry, which is in both, is whole.
    fade = slice(left, reached)
    apart = np.abs(last - first)[:, fade]
    assert (np.abs(heard - first)[:, fade] <= apart + 2 * EXACT).all()
    assert (np.abs(heard - last)[:, fade] <= apart + 2 * EXACT).all()
    refrain = slice(4 * RATE + 12000, heard.shape[1])
    assert np.sqrt(np.mean((last - first)[:, refrain] ** 2)) > 0.01  # the edit in the section is there


def test_a_send_is_heard_as_its_bar_is_dragged_and_exactly_when_let_go(desk, song) -> None:
    to_sends(desk)
    play(desk)
    bar = desk.locator("#send-voice-plate [data-send-bar]").bounding_box()
    desk.mouse.move(bar["x"] + 40, bar["y"] + 6)
    desk.mouse.down()
    desk.mouse.move(bar["x"] + 80.6, bar["y"] + 6)
    expect(desk.get_by_label("voice to plate: level in dB")).to_have_value("0.0")
    wait_until(desk, "window.highHall.player.mixer.lanes.has('feed plate')")
    held = desk.evaluate("window.highHall.player.sample") + RATE // 4
    wait_for_sample(desk, held + RATE // 2)
    song.refresh_from_db()
    assert song.head.number == 1  # nothing is edited yet
    desk.mouse.up()
    expect(desk.locator("#history")).to_contain_text("revision 2")
    settled = desk.evaluate("window.highHall.player.sample") + RATE
    wait_for_sample(desk, min(settled + RATE // 2, 7 * RATE))
    before = plan_of(song.head.pk)
    first, last = printed(song, before), printed(song, set_send(before, "voice", "plate", level_db=0.0))
    heard = aligned(recorded(desk), first, RATE // 4)
    change = np.abs(last - first).max()
    while_held = (
        np.abs(heard - last[:, : heard.shape[1]])[:, held : held + RATE // 4]
        if heard.shape[1] < last.shape[1]
        else None
    )
    assert while_held is not None
    assert while_held.max() < 0.002 * change  # plate and hall by the live gain
    after = slice(settled, settled + RATE // 4)
    assert np.abs(heard[:, after] - last[:, after]).max() < EXACT
