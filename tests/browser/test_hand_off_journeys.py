"""Hand-off by hand: parts of a section or the loop, a print that is cancelled, the sheet by key, a song saved and opened, stems again."""

import hashlib
import json
import re
import zipfile

from playwright.sync_api import expect

from hallweb.handoff.models import PrintJob
from hallweb.songs.files import song_folder
from hallweb.songs.models import Song
from tests.browser.listening import wait_until
from tests.browser.worker import run_worker
from tests.web.factories import stored_plan
from tests.web.stems import sound


def hand_off(desk, song):
    desk.goto(f"/songs/{song.pk}/hand-off/")
    expect(desk.get_by_role("heading", name="Hand-off")).to_be_visible()
    return desk


def test_chosen_parts_of_a_section_come_as_one_archive_whose_hashes_agree(desk, song, tmp_path) -> None:
    page = hand_off(desk, song)
    for part in ("dry", "returns/plate", "returns/hall"):
        page.locator(f"[name=part][value='{part}']").uncheck()
    page.locator("[name=part][value='tracks/voice']").check()
    page.get_by_label("Range").select_option("section b")
    page.get_by_role("button", name="Print 2 parts").click()
    expect(page.locator("#prints")).to_contain_text("Waiting")
    run_worker()
    expect(page.locator("#prints")).to_contain_text("Done, 2 files")
    with page.expect_download() as download:
        page.locator("#prints").get_by_role("link", name="ZIP").click()
    download.value.save_as(tmp_path / "all.zip")
    with zipfile.ZipFile(tmp_path / "all.zip") as archive:
        manifest = json.loads(archive.read("prints.json"))
        assert manifest["starts_at"] == "3|1"
        assert [row["part"] for row in manifest["files"]] == ["main", "tracks/voice"]
        for row in manifest["files"]:
            assert hashlib.sha256(archive.read(row["path"])).hexdigest() == row["sha256"]


def test_a_print_is_cancelled_and_removed(desk, song) -> None:
    page = hand_off(desk, song)
    page.get_by_role("button", name="Print 4 parts").click()
    page.get_by_role("button", name="Cancel").click()
    expect(page.locator("#prints")).to_contain_text("Cancelled")
    run_worker()
    page.on("dialog", lambda dialog: dialog.accept())
    page.get_by_role("button", name="Remove").click()
    expect(page.locator("#prints .print")).to_have_count(0)
    expect(page.locator(".prints-empty")).to_be_visible()


def test_with_nothing_chosen_the_button_says_so(desk, song) -> None:
    page = hand_off(desk, song)
    for part in ("main", "dry", "returns/plate", "returns/hall"):
        page.locator(f"[name=part][value='{part}']").uncheck()
    button = page.locator("[data-print-button]")
    expect(button).to_have_text("Nothing chosen")
    expect(button).to_be_disabled()


def test_the_sheet_is_turned_by_key_and_follows_an_edit(desk, song) -> None:
    page = hand_off(desk, song)
    status = page.locator(".sheet-pane [role=status]")
    expect(status).to_have_text(re.compile(r"^1 of \d+$"), timeout=30_000)
    page.keyboard.press("PageDown")
    expect(status).to_have_text(re.compile(r"^2 of \d+$"))
    expect(page.locator(".leaf h3")).to_have_text("plate")
    page.keyboard.press("PageUp")
    expect(status).to_have_text(re.compile(r"^1 of \d+$"))
    with page.expect_download() as download:
        page.get_by_role("link", name="PDF, A4").click()
    assert download.value.suggested_filename.endswith(".pdf")


def test_the_loop_of_the_dock_can_be_printed(desk, song) -> None:
    page = hand_off(desk, song)
    option = page.locator("[data-loop-range]")
    expect(option).to_have_text("Loop: none is set")
    wait_until(page, "Boolean(window.highHall?.player.manifest)")
    page.keyboard.press("l")
    expect(option).to_have_text("Loop: Verse")
    page.get_by_label("Range").select_option("loop")
    page.get_by_role("button", name="Print 4 parts").click()
    expect(page.locator("#prints")).to_contain_text("Waiting")
    options = PrintJob.objects.get().options
    assert (options["start"], options["end"]) == (0, 4 * 48000)


def test_parts_are_chosen_and_printed_by_keyboard_alone(desk, song) -> None:
    page = hand_off(desk, song)
    for _ in range(40):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.matches('[name=part][value=dry]')"):
            break
    page.keyboard.press("Enter")
    expect(page.locator("[name=part][value=dry]")).not_to_be_checked()
    expect(page.locator("[data-print-button]")).to_have_text("Print 3 parts")
    for _ in range(40):
        page.keyboard.press("Shift+Tab")
        if page.evaluate("document.activeElement.matches('[data-print-button]')"):
            break
    page.keyboard.press("Enter")
    expect(page.locator("#prints")).to_contain_text("Waiting")
    assert "dry" not in PrintJob.objects.get().options["parts"]


def test_a_song_is_saved_as_a_file_and_opened_again(desk, song, tmp_path) -> None:
    desk.goto("/")
    with desk.expect_download() as download:
        desk.get_by_role("link", name=f"Save {song.title} as a file").click()
    saved = tmp_path / "lantern.zip"
    download.value.save_as(saved)
    desk.get_by_label("Open files").set_input_files(saved)
    desk.wait_for_url("**/returns/")
    opened = Song.objects.exclude(pk=song.pk).get()
    assert f"/songs/{opened.pk}/" in desk.url
    expect(desk.locator(".song-title")).to_have_text(f"{song.title} 2")
    desk.goto("/")
    (tmp_path / "broken.zip").write_bytes(saved.read_bytes()[:-100])
    desk.get_by_label("Open files").set_input_files(tmp_path / "broken.zip")
    expect(desk.locator("[data-uploads]")).to_contain_text('"broken.zip" is damaged or no ZIP archive')
    assert Song.objects.count() == 2


def test_stems_that_were_changed_are_dropped_again(desk, song, tmp_path) -> None:
    before = stored_plan(song)
    sound(tmp_path, "voice.wav", seconds=9, rate=48000)
    sound(tmp_path, "shaker.wav", rate=48000)
    (tmp_path / "drum.wav").write_bytes((song_folder(song.pk) / "drum.wav").read_bytes())
    desk.goto(f"/songs/{song.pk}/song/")
    desk.get_by_label("Import stems").set_input_files(
        [tmp_path / f"{name}.wav" for name in ("voice", "shaker", "drum")]
    )
    expect(desk.get_by_role("status").filter(has_text="Stems:")).to_contain_text(
        "Stems: 1 replaced, 1 new, 1 the same."
    )
    expect(desk.locator("#page")).to_contain_text("is 1.000 s longer than it was")
    after = stored_plan(song)
    assert [track.name for track in after.tracks] == [*(track.name for track in before.tracks), "Shaker"]
    assert (after.returns, after.sends, after.moves) == (before.returns, before.sends, before.moves)
    desk.keyboard.press("Control+z")
    expect(desk.locator("tr[data-track]")).to_have_count(len(before.tracks))
    assert stored_plan(song) == before
