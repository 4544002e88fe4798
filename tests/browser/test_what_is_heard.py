"""What is heard while one works, recorded from the page and held against the engine."""

import subprocess
import sys

import numpy as np
import pytest
from playwright.sync_api import expect

from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.depth import DepthModel, StemTable, sounds_of
from highhall.depth.placing import place
from highhall.plan import Plan
from highhall.plan.edits import set_effect, set_group, set_return, set_send, set_tracks
from highhall.plan.isolation import alone
from highhall.render import Engine
from tests.browser.holding import Held
from tests.browser.listening import wait_for_sample, wait_until
from tests.browser.recording import RECORDER, aligned, recorded
from tests.browser.test_sends_journeys import to_sends

pytestmark = pytest.mark.flaky(reruns=3)
"""Playing is in real time: a machine that stands still for half a second is late, and the recording is made again."""

RATE = 48000
EXACT = 1e-5
FADE_IN = round(0.15 * RATE)


@pytest.fixture
def context(browser, live_server, song):
    """Return a context whose pages are recorded; the recorder is a script of the test's own."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url, bypass_csp=True)
    context.add_init_script(RECORDER)
    context.set_default_timeout(40_000)
    expect.set_options(timeout=40_000)
    yield context
    context.close()


@pytest.fixture
def two_busy_processes():
    """Two processes that leave nothing of two processors idle."""
    busy = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(2)]
    yield
    for process in busy:
        process.kill()
        process.wait()


def printed(song, plan: Plan) -> np.ndarray:
    return sum(parts(song, plan).values())


def parts(song, plan: Plan, tracks_end: int | None = None) -> dict[str, np.ndarray]:
    engine = Engine(plan, open_stems(song_sounds(song.pk), RATE), tracks_end=tracks_end)
    blocks = [engine.advance(RATE) for _ in range(11)]
    lanes = [{"dry": block.dry, **block.returns} for block in blocks]
    return {lane: np.concatenate([each[lane] for each in lanes], axis=1) for lane in lanes[0]}


def runs(marks: np.ndarray, start: int) -> list[tuple[int, int]]:
    """Return where marks are set in a row, from a sample on; moments in which a fade passes through one of its ends do not part it."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], marks[start:], [False]]).astype(np.int8))) + start
    found: list[tuple[int, int]] = []
    for begin, stop in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        if found and begin - found[-1][1] < RATE // 100:
            found[-1] = (found[-1][0], stop)
        else:
            found.append((begin, stop))
    return found


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
    is_first, is_last = (np.abs(heard - each).max(axis=0) < EXACT for each in (first, last))
    # Every sample is as it was or as it is now, apart from cross-fades of 40 ms: one, or one a segment if one came late.
    fades = runs(~(is_first | is_last), FADE_IN)
    assert 1 <= len(fades) <= 3
    assert all(stop - start < round(0.06 * RATE) for start, stop in fades), "a gap, or another sound"
    assert fades[0][0] < 4 * RATE - 12000, "the level of the first section was heard before the second section began"
    assert is_last[fades[-1][1] :].all()
    # Within a cross-fade nothing lies outside of what was and what is: no click, and dry, which is in both, is whole.
    for start, stop in fades:
        between = np.abs(last - first)[:, start:stop]
        for each in (first, last):
            assert (np.abs(heard - each)[:, start:stop] <= between + 2 * EXACT).all()
    refrain = slice(4 * RATE + 12000, heard.shape[1])
    assert np.sqrt(np.mean((last - first)[:, refrain] ** 2)) > 0.01  # the edit in the section is there


def apart(heard: np.ndarray, other: np.ndarray, where: slice) -> float:
    return float(np.abs(heard[:, where] - other[:, where]).max())


IS_HELD = """(() => {
  const { lanes, mixer } = window.highHall.player;
  return lanes.some(({ id }) => id.startsWith("held")) && lanes.every(({ id }) => mixer.lanes.has(id));
})()"""


def held(desk) -> int:
    """Wait until what is dragged or pressed is there to be heard in every lane; return the sample played then."""
    wait_until(desk, IS_HELD)
    return desk.evaluate("window.highHall.player.sample")


def settled(desk) -> slice:
    """Return half a second played from when the page says that it plays the plan as it is now, however late that is."""
    wait_until(desk, "!window.highHall.player.isBehind && !window.highHall.player.hasPromised")
    start = desk.evaluate("window.highHall.player.sample") + RATE // 4  # cross-fades and gains have come to rest
    wait_for_sample(desk, start + RATE // 2 + RATE // 10)
    return slice(start, start + RATE // 2)


def nearest(heard: np.ndarray, other: np.ndarray, before: np.ndarray, begun: int) -> float:
    """Return how near to another sound what is held comes, as a share of how far that is from what was before.

    Of the tenths of a second in two: what comes too late for a segment leaves a gap in what is held, until the next one.
    """
    tenths = [slice(start, start + RATE // 10) for start in range(begun, begun + 2 * RATE, RATE // 10)]
    return min(apart(heard, other, tenth) / apart(before, other, tenth) for tenth in tenths)


def hold_and_let_go(desk, song, edit) -> None:
    """Hear what is dragged as if the plan had been edited, while it is held; let it go, and hear just the edited plan."""
    begun = held(desk)
    wait_for_sample(desk, begun + 2 * RATE + RATE // 10)
    song.refresh_from_db()
    assert song.head.number == 1  # nothing is edited yet
    desk.mouse.up()
    expect(desk.locator("#history")).to_contain_text("revision 2")
    exact = settled(desk)
    before = plan_of(song.head.pk)
    first, last = printed(song, before), printed(song, edit(before))
    heard = aligned(recorded(desk), first, RATE // 4)
    assert nearest(heard, last, first, begun) < 0.002
    assert apart(heard, last, exact) < EXACT


def test_a_send_is_heard_as_its_bar_is_dragged_and_exactly_when_let_go(desk, song) -> None:
    to_sends(desk)
    play(desk)
    bar = desk.locator("#send-voice-plate [data-send-bar]").bounding_box()
    desk.mouse.move(bar["x"] + 40, bar["y"] + 6)
    desk.mouse.down()
    desk.mouse.move(bar["x"] + 80.6, bar["y"] + 6)
    expect(desk.get_by_label("voice to plate: level in dB")).to_have_value("0.0")
    hold_and_let_go(desk, song, lambda plan: set_send(plan, "voice", "plate", level_db=0.0))


PAN_OF_ONE = "[data-edit-bar] [data-many=pan]"
DRAGS = {
    "send pan": ("sends/", PAN_OF_ONE, "50", lambda p: set_send(p, "voice", "hall", pan=0.5)),
    "track pan": ("song/", "#track-pan-voice", "80", lambda p: set_tracks(p, ["voice"], pan=0.8)),
    "return level": (
        "returns/?open=hall&fields=level", "#field-hall-returnlevel_db", "5.0", lambda p: set_return(p, "hall", level_db=5.0),
    ),
}  # fmt: skip


@pytest.mark.parametrize(("screen", "figure", "text", "edit"), DRAGS.values(), ids=DRAGS)
def test_a_level_or_pan_is_heard_as_its_figure_is_dragged_and_exactly_when_let_go(
    desk, song, screen, figure, text, edit
) -> None:
    desk.goto(f"/songs/{song.pk}/{screen}")
    if figure == PAN_OF_ONE:
        desk.locator("#send-voice-hall").click(position={"x": 3, "y": 3})
        desk.evaluate("document.activeElement.blur()")  # else the space bar would press it
    field = desk.locator(figure)
    expect(field).to_be_visible()
    play(desk)
    box = field.bounding_box()
    desk.mouse.move(box["x"] + 5, box["y"] + 8)
    desk.mouse.down()
    desk.mouse.move(box["x"] + 5 + 10 * 5 + 2, box["y"] + 8)
    expect(field).to_have_value(text)
    hold_and_let_go(desk, song, edit)


CUTS = {
    "tail check": ("t", "tracks-end", "Sources stopped", "[player.tail.end, player.ringsFrom]", ()),
    "sends off": ("x", "sends-end", "nothing is sent", "[player.sendsEnd, player.unsentFrom]", ("dry",)),
}


@pytest.mark.parametrize(("key", "late", "words", "moment", "plays_on"), CUTS.values(), ids=CUTS)
def test_what_is_cut_sounds_until_the_dock_says_that_it_is_cut_and_rings_out_from_then_on(
    desk, song, key, late, words, moment, plays_on
) -> None:
    dock = desk.locator("[data-monitoring]")
    play(desk)
    segments = Held(desk, late)
    desk.keyboard.press(key)
    wait_for_sample(desk, 2 * RATE)  # long after the moment that was asked for
    expect(dock).not_to_contain_text(words)
    segments.let_go()
    expect(dock).to_contain_text(words)
    assert heard_cut(desk, song, moment, plays_on) > RATE


@pytest.mark.usefixtures("two_busy_processes")
@pytest.mark.parametrize(("key", "_late", "words", "moment", "plays_on"), CUTS.values(), ids=CUTS)
def test_beside_two_busy_processes_space_plays_after_a_click_and_what_is_said_to_be_cut_is_cut(
    desk, song, key, _late, words, moment, plays_on
) -> None:
    desk.get_by_label("Loop the section", exact=True).click()
    desk.get_by_label("Loop the section", exact=True).click()
    play(desk)
    desk.keyboard.press(key)
    expect(desk.locator("[data-monitoring]")).to_contain_text(words)
    heard_cut(desk, song, moment, plays_on)


def heard_cut(desk, song, moment: str, plays_on: tuple[str, ...]) -> int:
    """Hear the song up to the moment of the cut, and only what rings on from when the page says so; return that moment."""
    said = desk.evaluate("window.highHall.player.sample")
    end, told = desk.evaluate(f"(({{ player }}) => {moment})(window.highHall)")
    wait_for_sample(desk, said + RATE // 2)
    plan = plan_of(song.head_id)
    whole, ringing = parts(song, plan), parts(song, plan, tracks_end=end)
    before = sum(whole.values())
    cut = sum((whole if lane in plays_on else ringing)[lane] for lane in whole)
    heard = aligned(recorded(desk), before, RATE // 4)
    assert end <= told <= said
    assert apart(heard, before, slice(FADE_IN, end)) < EXACT
    assert apart(heard, cut, slice(told, said + RATE // 4)) < EXACT
    assert apart(before, cut, slice(end, said + RATE // 4)) > 0.01
    return end


DECAY = "#field-hall-effectreverbdecay_s"


@pytest.mark.parametrize("tracks", [(), ("voice",)], ids=["whole song", "a track alone"])
def test_a_typed_value_is_heard_before_the_server_has_the_edit_and_taken_back_if_that_is_refused(
    desk, song, tracks
) -> None:
    desk.goto(f"/songs/{song.pk}/song/")
    for track in tracks:
        desk.locator(f"#solo-{track}").click()
    desk.goto(f"/songs/{song.pk}/returns/?open=hall")
    play(desk)
    with desk.expect_response(lambda answer: "proposal:" in answer.url and "/hall/" in answer.url):
        desk.locator(DECAY).fill("0.4")
    edit = Held(desk, "/set/$")
    begun = desk.evaluate("window.highHall.player.sample")
    desk.locator(DECAY).press("Enter")
    wait_for_sample(desk, begun + 3 * RATE // 2)
    assert song.revisions.count() == 1
    edit.refuse()
    back = settled(desk)
    plan = alone(plan_of(song.head_id), frozenset(tracks)) if tracks else plan_of(song.head_id)
    first, last = printed(song, plan), printed(song, set_effect(plan, "hall", "reverb", params={"decay_s": 0.4}))
    heard = aligned(recorded(desk), first, RATE // 4)
    assert nearest(heard, last, first, begun - RATE // 2) < 0.002
    assert apart(heard, first, back) < EXACT
    assert song.revisions.count() == 1


def test_what_a_handle_is_dragged_to_is_heard_where_the_hand_rests_and_taken_back_by_escape(desk, song) -> None:
    desk.goto(f"/songs/{song.pk}/returns/?open=hall")
    play(desk)
    handle = desk.get_by_role("region", name="hall").get_by_role("slider", name="Decay", exact=True)
    field = desk.locator(DECAY)
    before = field.input_value()
    box = handle.bounding_box()
    desk.mouse.move(box["x"] + 12, box["y"] + 12)
    desk.mouse.down()
    with desk.expect_response(lambda answer: "proposal:" in answer.url and "/hall/" in answer.url):
        desk.mouse.move(box["x"] + 60, box["y"] + 12)
    expect(field).not_to_have_value(before)
    decay_s = float(field.input_value())
    beats = desk.locator("label", has=field).locator("[data-hint]").inner_text()
    assert handle.get_attribute("aria-valuetext").endswith(f" s, {beats}")
    begun = desk.evaluate("window.highHall.player.sample")
    wait_for_sample(desk, begun + 3 * RATE // 2)
    desk.keyboard.press("Escape")
    desk.mouse.up()
    expect(field).to_have_value(before)
    back = settled(desk)
    plan = plan_of(song.head_id)
    first, last = printed(song, plan), printed(song, set_effect(plan, "hall", "reverb", params={"decay_s": decay_s}))
    heard = aligned(recorded(desk), first, RATE // 4)
    assert nearest(heard, last, first, begun - RATE // 2) < 0.002
    assert apart(heard, first, back) < EXACT
    assert song.revisions.count() == 1


LIVE = {
    "mute a track": ("#mute-voice", None, lambda p: set_tracks(p, ["voice"], mute=True)),
    "level of a track": ("#track-level-voice", "-9", lambda p: set_tracks(p, ["voice"], level_db=-9.0)),
    "pan of a track": ("#track-pan-voice", "80", lambda p: set_tracks(p, ["voice"], pan=0.8)),
    "mute a group": ("#group-mute-band", None, lambda p: set_group(p, "band", mute=True)),
    "level of a group": ("#group-level-band", "-9", lambda p: set_group(p, "band", level_db=-9.0)),
}


@pytest.mark.parametrize(("control", "typed", "edit"), LIVE.values(), ids=LIVE)
def test_a_track_or_group_is_heard_as_it_is_set_before_the_server_has_answered(
    desk, song, control, typed, edit
) -> None:
    desk.goto(f"/songs/{song.pk}/song/")
    play(desk)
    desk.locator(control).hover()
    wait_for_sample(desk, RATE)
    answer = Held(desk, "/set/$")
    if typed is None:
        desk.locator(control).click()
    else:
        desk.locator(control).fill(typed)
        desk.locator(control).press("Enter")
    begun = held(desk)
    wait_for_sample(desk, begun + RATE // 2)
    assert song.revisions.count() == 1
    answer.let_go()
    expect(desk.locator("#history")).to_contain_text("revision 2")
    exact = settled(desk)
    plan = plan_of(song.revisions.get(number=1).pk)
    old, new = parts(song, plan), parts(song, edit(plan))
    heard = aligned(recorded(desk), sum(old.values()), RATE // 4)
    at_once = {"dry", "plate"} if "group" in control else {"dry"}  # the plate goes out to the group
    expected = sum(new[lane] if lane in at_once else old[lane] for lane in old)
    promised = slice(begun + RATE // 5, begun + RATE // 2 - RATE // 20)
    change = apart(expected, sum(old.values()), promised)
    assert change > 0.01
    assert apart(heard, expected, promised) < 0.002 * change + EXACT
    assert apart(heard, sum(new.values()), exact) < EXACT


def test_a_source_is_heard_farther_away_as_it_is_dragged_in_the_hall_and_as_it_was_when_let_go(desk, song) -> None:
    desk.goto(f"/songs/{song.pk}/hall/?section=b")
    wait_until(desk, "Boolean(window.highHall?.player.manifest)")
    token = desk.locator("[data-token=voice]")
    expect(token).to_be_visible()
    play(desk)
    wait_for_sample(desk, round(4.1 * RATE))
    box = token.locator("circle").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    desk.mouse.move(x, y)
    desk.mouse.down()
    desk.mouse.move(x, y - 40, steps=3)
    metres = float(desk.locator(".hall-drag text").text_content().split()[0])
    begun = held(desk)
    wait_for_sample(desk, begun + 2 * RATE + RATE // 10)
    desk.mouse.up()
    expect(desk.locator("#hall-apply")).to_be_enabled()
    exact = settled(desk)
    assert song.revisions.count() == 1
    plan, stems = plan_of(song.head.pk), open_stems(song_sounds(song.pk), RATE)
    model = DepthModel(plan, StemTable.of(plan, sounds_of(plan, stems)))
    asked = place(model, {("voice", "b"): metres}).plan
    was, proposed = printed(song, plan), printed(song, asked)
    heard = aligned(recorded(desk), was, RATE // 4)
    assert nearest(heard, proposed, was, begun) < 0.03
    assert apart(heard, was, exact) < EXACT


def test_playing_has_no_gap_while_findings_are_looked_for(desk, song) -> None:
    play(desk)
    desk.locator("a[data-view=findings]").click()
    expect(desk.locator("#screen-state[data-view=findings]")).to_be_attached()
    wait_for_sample(desk, 6 * RATE)
    whole = printed(song, plan_of(song.revisions.get().pk))
    heard = aligned(recorded(desk), whole, RATE // 4)[:, : 6 * RATE - 4800]
    assert np.abs(heard - whole[:, : heard.shape[1]])[:, FADE_IN:].max() < EXACT
    expect(desk.locator(".findings-foot")).to_contain_text("Looked at after", timeout=60_000)
