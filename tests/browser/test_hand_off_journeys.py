"""Hand-off by hand: some parts of one section as an archive, a print that is cancelled, and the sheet turned by key."""

import hashlib
import json
import re
import zipfile

from playwright.sync_api import expect

from tests.browser.worker import run_worker


def hand_off(desk, song):
    desk.goto(f"/songs/{song.pk}/hand-off/")
    expect(desk.get_by_role("heading", name="Hand-off")).to_be_visible()
    return desk


def test_chosen_parts_of_a_section_come_as_one_archive_whose_hashes_agree(desk, song, tmp_path) -> None:
    page = hand_off(desk, song)
    for part in ("dry", "returns/plate", "returns/hall"):
        page.locator(f"[name=part][value='{part}']").uncheck()
    page.locator("[name=part][value='tracks/voice']").check()
    page.get_by_label("Range").select_option("b")
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
