"""Journeys on the Song screen: analysis comes in, gets its time and its order, and is heard."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from hallweb.songs.models import Song
from highhall.interchange.midi import write_midi
from highhall.plan import Section, Tempo
from highhall.plan import Song as PlanSong
from highhall.timing import Meter, Position
from tests.browser.listening import wait_for_silence, wait_for_sound, wait_until
from tests.browser.signing_in import sign_in
from tests.browser.worker import run_worker
from tests.core.plans import write_stem
from tests.web.factories import stored_plan


@pytest.fixture
def analysis(desk, song):
    """Return the page on the song's Song screen, its stems listened to."""
    run_worker()
    desk.get_by_role("link", name="Song", exact=True).click()
    expect(desk.get_by_role("heading", name="Song", exact=True)).to_be_visible()
    expect(desk.locator("#track-voice")).to_contain_text("LUFS")
    return desk


def rooms(song) -> list[tuple[str, str, str]]:
    return [(s.name, str(s.start), str(s.end)) for s in stored_plan(Song.objects.get(pk=song.pk)).song.sections]


def order(song) -> list[str]:
    return [t.id for t in stored_plan(Song.objects.get(pk=song.pk)).tracks]


DROP = """async (zone, files) => {
  const transfer = new DataTransfer();
  for (const { name, bytes } of files) transfer.items.add(new File([Uint8Array.from(atob(bytes), (c) => c.charCodeAt(0))], name));
  for (const kind of ["dragover", "drop"]) zone.dispatchEvent(new DragEvent(kind, { dataTransfer: transfer, bubbles: true, cancelable: true }));
}"""


def drop(page, *paths, on: str = "[data-stem-drop]") -> None:
    from base64 import b64encode

    files = [{"name": path.name, "bytes": b64encode(path.read_bytes()).decode()} for path in paths]
    page.locator(on).evaluate(DROP, files)


def stem(folder, name: str, *, channels: int = 1, seconds: float = 6):
    rng = np.random.default_rng(sum(name.encode()))
    write_stem(folder / name, 0.1 * rng.standard_normal((channels, int(seconds * 48000))))
    return folder / name


def test_stems_and_a_map_dropped_on_the_list_make_a_song(page, song, tmp_path) -> None:
    sign_in(page)
    expect(page.get_by_role("heading", name="Songs")).to_be_visible()
    page.wait_for_load_state()
    made = PlanSong(
        title="m", sample_rate=48000, meters=(Meter(bar=1, beats=3, unit=4),),
        tempos=(Tempo(at=Position(1), bpm=90.0),), end=Position(5),
    )  # fmt: skip
    write_midi(tmp_path / "map.mid", made)
    files = [stem(tmp_path, name, seconds=2) for name in ("Kelp Road_voice.wav", "Kelp Road_harp.wav")]
    drop(page, *files, tmp_path / "map.mid", on="[data-songs-drop]")
    expect(page.get_by_role("heading", name="Kelp Road")).to_be_visible()
    expect(page.locator("[data-track]")).to_have_count(2)
    expect(page.locator("#tempo")).to_contain_text("90")
    expect(page.locator("#tempo")).to_contain_text("3/4")
    page.get_by_role("link", name="High Hall").click()
    row = page.get_by_role("row", name="Kelp Road")
    expect(row.get_by_role("img", name="all dry")).to_be_visible()
    row.locator(".song-name").focus()
    page.keyboard.press("F2")
    page.keyboard.type("Kelp Way")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status")).to_contain_text("Kelp Road is called Kelp Way now")
    page.get_by_role("link", name="Kelp Way", exact=True).focus()
    page.keyboard.press("Delete")
    expect(page.get_by_role("link", name="Kelp Way", exact=True)).to_have_count(0)
    page.get_by_role("button", name="Bring it back").click()
    expect(page.get_by_role("link", name="Kelp Way", exact=True)).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("harp")
    expect(page.get_by_role("link", name="Test", exact=True)).to_be_visible()
    page.keyboard.type("sichord")
    expect(page.get_by_text("No song has")).to_be_visible()


def test_stems_are_dropped_become_tracks_and_sound(page, song, tmp_path) -> None:
    """A new song; three stems, one of six channels and a text file by drop: tracks, a choice, a refusal, and sound."""
    sign_in(page)
    expect(page.get_by_role("heading", name="Songs")).to_be_visible()
    page.wait_for_load_state()
    page.get_by_role("button", name="New song").click()
    form = page.get_by_role("form", name="New song")
    form.get_by_label("Title").fill("Brought In")
    form.get_by_role("button", name="Make the song").click()
    expect(page.get_by_role("heading", name="No stems yet")).to_be_visible()
    wait_until(page, "Boolean(window.highHall?.player.manifest)")
    (tmp_path / "broken.wav").write_text("no sound")
    files = [stem(tmp_path, name) for name in ("lead vox.wav", "kick.wav", "harp.flac")]
    drop(page, *files, stem(tmp_path, "pad.wav", channels=6, seconds=1), tmp_path / "broken.wav")
    expect(page.get_by_text('"pad.wav" has 6 channels; a stem has one or two.')).to_be_visible()
    page.get_by_role("button", name="Fold down to stereo").click()
    expect(page.locator("#track-pad")).to_be_visible()
    expect(page.get_by_label("Group of Kick")).to_have_value("drums")
    expect(page.get_by_text('"broken.wav" cannot be read as sound')).to_be_visible()
    run_worker()
    expect(page.locator("#track-lead-vox")).to_contain_text("LUFS")
    page.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(page, "dry")
    page.keyboard.press("Control+z")
    page.get_by_role("button", name="Make tracks of 4 stems that came in before").click()
    expect(page.locator("#track-harp")).to_contain_text("LUFS")


def test_an_upload_that_broke_off_goes_on_after_a_reload(analysis, song, tmp_path, faults) -> None:
    page, path = analysis, stem(tmp_path, "cello.wav", seconds=60)
    assert 8 << 20 < path.stat().st_size < 12 << 20  # three parts
    sent: list[str] = []

    def second_breaks(route) -> None:
        offset = route.request.headers.get("x-offset")
        sent.append(offset)
        if offset == "0" or len(sent) > 2:
            route.continue_()
        else:
            route.abort()

    page.route(re.compile(r"/uploads/\d+/$"), second_breaks)
    page.get_by_label("Import stems").set_input_files(path)
    expect(page.get_by_text("The connection broke. Bring the file in again")).to_be_visible()
    page.reload()
    expect(page.get_by_text(re.compile(r"cello.wav")).first).to_be_visible()
    expect(page.get_by_text(re.compile("broke off at [1-9][0-9] %"))).to_be_visible()
    wait_until(page, "Boolean(window.highHall?.player.manifest)")
    page.get_by_label("Import stems").set_input_files(path)
    expect(page.locator("#track-cello")).to_be_visible()
    assert sent == ["0", str(4 << 20), str(4 << 20), str(8 << 20)]
    faults[:] = [fault for fault in faults if "ERR_FAILED" not in fault]


def test_sections_by_keyboard_alone(analysis, song) -> None:
    page = analysis
    page.locator("#room-a").focus()
    page.keyboard.press("Alt+ArrowLeft")
    expect(page.locator("#room-a")).to_have_attribute("data-end", "2|1")
    assert rooms(song) == [("Verse", "1|1", "2|1"), ("Refrain", "2|1", "5|1")]
    wait_until(page, "document.activeElement.id === 'room-a'")
    page.keyboard.press("ArrowRight")
    wait_until(page, "document.activeElement.id === 'room-b'")
    page.keyboard.press("Enter")
    name = page.get_by_label("Name", exact=True)
    expect(name).to_have_value("Refrain")
    name.focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("Chorus of All")
    page.keyboard.press("Enter")
    expect(page.locator("#room-b")).to_have_attribute("aria-label", re.compile("Chorus of All"))
    page.locator("#section-split").focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Enter")
    expect(page.locator("#room-chorus-of-all-b")).to_be_visible()
    assert rooms(song)[1:] == [("Chorus of All", "2|1", "4|1"), ("Chorus of All b", "4|1", "5|1")]
    page.locator("#room-chorus-of-all-b").focus()
    page.keyboard.press("Delete")
    expect(page.locator("#room-chorus-of-all-b")).to_have_count(0)
    for _ in range(4):
        with page.expect_response(lambda r: "/undo/" in r.url):
            page.keyboard.press("Control+z")
    expect(page.locator("#room-a")).to_have_attribute("data-end", "3|1")
    assert rooms(song) == [("Verse", "1|1", "3|1"), ("Refrain", "3|1", "5|1")]


def drag(page, source, dx: float, dy: float) -> None:
    box = source.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2)
    page.mouse.move(x + dx, y + dy)
    page.mouse.up()


def test_a_wall_is_dragged_and_snaps_to_the_bar(analysis, song) -> None:
    bar = 440 / 4
    drag(analysis, analysis.locator("#room-a [data-edge=end]"), bar * 0.8, 0)
    expect(analysis.locator("#room-a")).to_have_attribute("data-end", "4|1")
    assert rooms(song) == [("Verse", "1|1", "4|1"), ("Refrain", "4|1", "5|1")]
    analysis.locator("#room-b").click()
    expect(analysis.get_by_label("Name", exact=True)).to_have_value("Refrain")
    analysis.get_by_role("button", name="Delete").click()
    expect(analysis.locator("#room-b")).to_have_count(0)
    ruler = analysis.locator("[data-time-ruler]").bounding_box()
    analysis.mouse.move(ruler["x"] + bar * 3.05, ruler["y"] + 26)
    analysis.mouse.down()
    analysis.mouse.move(ruler["x"] + bar * 3.9, ruler["y"] + 26)
    analysis.mouse.up()
    expect(analysis.locator("#room-section-2")).to_be_visible()
    assert rooms(song) == [("Verse", "1|1", "4|1"), ("Section 2", "4|1", "5|1")]


def test_a_midi_file_gives_the_song_its_time(analysis, song, tmp_path) -> None:
    sections = (
        Section(id="in", name="In", start=Position(1), end=Position(2)),
        Section(id="rest", name="Rest", start=Position(2), end=Position(5)),
    )
    made = PlanSong(title="m", sample_rate=48000, meters=(Meter(1, 3, 4),), tempos=(Tempo(at=Position(1), bpm=93.0),), end=Position(5), sections=sections)  # fmt: skip
    write_midi(tmp_path / "map.mid", made)
    analysis.get_by_role("button", name="Tempo and meter").click()
    analysis.get_by_label("Take a map from a file").set_input_files(tmp_path / "map.mid")
    expect(analysis.locator("#tempo")).to_contain_text("93 3/4")
    expect(analysis.locator("#room-rest")).to_be_visible()
    analysis.get_by_label("Tempo 1, beats a minute").fill("186")
    analysis.get_by_label("Tempo 1, beats a minute").press("Enter")
    expect(analysis.locator("#tempo")).to_contain_text("186 3/4")
    assert rooms(song)[0] == ("In", "1|1", "2|1")
    for _ in range(5):
        analysis.get_by_role("button", name="Tap", exact=True).click()
    expect(analysis.get_by_text("a minute, ±")).to_be_visible()


def test_tracks_are_put_in_order_and_into_groups_by_mouse_and_by_keyboard(analysis, song) -> None:
    page = analysis
    drag(page, page.locator("#track-drum [data-grip]"), 4, -100)
    expect(page.locator("#history")).to_contain_text("Order, drum")
    assert order(song) == ["drum", "voice", "harp"]
    page.get_by_label("Choose voice").focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Alt+ArrowUp")
    expect(page.locator("#history")).to_contain_text("Order, voice")
    assert order(song) == ["voice", "drum", "harp"]
    expect(page.get_by_text("1 track", exact=True)).to_be_visible()  # still chosen
    page.get_by_label("Choose drum").check()
    page.get_by_label("Name of a new group").fill("Front")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Group of drum")).to_have_value("front")
    box = page.get_by_role("group", name="Put the chosen tracks into").get_by_role("button", name="Main").bounding_box()
    grip = page.locator("#track-voice [data-grip]").bounding_box()
    page.mouse.move(grip["x"] + 5, grip["y"] + 5)
    page.mouse.down()
    page.mouse.move(grip["x"] + 5, grip["y"] - 30)
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.up()
    expect(page.get_by_label("Group of drum")).to_have_value("")
    expect(page.get_by_label("Group of voice")).to_have_value("")


def test_a_track_is_heard_alone_with_what_it_feeds(analysis) -> None:
    page = analysis
    page.get_by_role("button", name="Play", exact=True).click()
    wait_for_sound(page, "dry")
    page.get_by_role("button", name="Hear only harp").click()
    expect(page.get_by_role("status").filter(has_text="Full mix of harp alone")).to_be_visible()
    page.get_by_role("button", name="Mute harp").click()
    wait_for_silence(page, "dry")
    page.get_by_role("button", name="Mute harp").click()
    wait_for_sound(page, "dry")
    page.get_by_role("button", name="Hear only harp").click()
    expect(page.get_by_role("status").filter(has_text=re.compile("^Full mix$"))).to_be_visible()
    wait_for_sound(page, "dry")
    wait_for_sound(page, "wet")


def test_the_threshold_of_a_stem_is_moved_and_seen(analysis) -> None:
    page = analysis
    page.get_by_role("button", name="More about voice").click()
    slider = page.get_by_role("slider", name="Threshold of voice, dBFS")
    expect(slider).to_be_visible()
    slider.fill("-1")
    expect(page.get_by_text("your choice")).to_be_visible()
    expect(page.locator("#track-voice")).to_contain_text("0 phrases")
    page.get_by_role("button", name=re.compile("Back to .*, as found")).click()
    expect(page.locator("#track-voice")).to_contain_text("1 phrase")
    page.get_by_role("button", name="More about voice").click()
    expect(slider).to_have_count(0)
