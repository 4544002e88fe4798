"""Sharing by hand: a listener finds the fields closed; a guest hears two versions by a link and says what they hear, where they hear it."""

import re

from playwright.sync_api import expect

from hallweb.sharing.models import Comment
from hallweb.songs.actions import edit_plan
from hallweb.songs.models import Membership
from hallweb.songs.versions import keep_version
from highhall.plan.edits import set_return
from tests.browser.listening import wait_until
from tests.browser.worker import run_worker
from tests.web.factories import make_user, stored_plan


def test_a_guest_hears_versions_by_a_link_and_comments_at_a_beat(desk, song) -> None:
    keep_version(song, 1, "Wet")
    edit_plan(song.pk, 1, "Drier", lambda plan: set_return(plan, "hall", level_db=-20.0))
    keep_version(song, 2, "Dry")
    desk.goto(f"/songs/{song.pk}/sharing/")
    desk.get_by_label("Name of the link").fill("The label")
    for name in ("Wet", "Dry"):
        desk.get_by_role("checkbox", name=f"{name} version").check()
    desk.get_by_role("button", name="Make a link").click()
    address = desk.get_by_label("Copy this address now").input_value()
    run_worker()
    guest = desk.context.browser.new_context().new_page()
    guest.goto(address)
    expect(guest.get_by_role("heading", name="Dry")).to_be_visible()
    guest.keyboard.press("Space")
    expect(guest.locator("[data-state]")).to_have_text("You hear Wet.")
    guest.keyboard.press("2")
    expect(guest.locator("[data-state]")).to_have_text("You hear Dry.")
    wait_until(guest, "document.querySelector('[data-place]').textContent !== '1|1'")
    guest.keyboard.press("Space")
    expect(guest.get_by_role("button", name="Play", exact=True)).to_be_visible()
    place = guest.locator("[data-place]").inner_text()
    guest.get_by_label("Your name").fill("Kit")
    guest.get_by_label("What you hear there").fill("the tail is long")
    guest.keyboard.press("Enter")
    expect(guest.locator("#comments")).to_contain_text("the tail is long")
    row = Comment.objects.get()
    assert (row.at, row.heard, row.name) == (place, "Dry", "Kit")
    guest.get_by_role("button", name="Play", exact=True).click()
    guest.get_by_label("At", exact=True).fill("2|1")
    guest.get_by_label("Your name").focus()
    wait_until(guest, f"document.querySelector('[data-place]').textContent !== '{place}'")
    expect(guest.get_by_label("At", exact=True)).to_have_value("2|1")  # what was typed stays, though the song goes on
    guest.get_by_label("What you hear there").fill("too near")
    guest.keyboard.press("Enter")
    expect(guest.locator("#comments")).to_contain_text("too near")
    assert Comment.objects.get(text="too near").at == "2|1"
    desk.reload()
    expect(desk.locator(".comment").first).to_contain_text("the tail is long")
    wait_until(desk, "Boolean(window.highHall?.player.manifest)")
    desk.get_by_role("button", name=place, exact=True).click()
    assert desk.evaluate("window.highHall.player.sample") > 0
    desk.get_by_role("button", name="Close it").click()
    expect(desk.locator("#links-title ~ ul")).to_contain_text("closed")
    guest.reload()
    expect(guest.get_by_role("heading", name="Nothing here")).to_be_visible()
    guest.context.close()


def test_a_listener_hears_the_song_and_finds_its_fields_closed(page, song) -> None:
    owner = song.owner
    song.owner = make_user("other")
    song.save()
    Membership.objects.create(song=song, user=owner, role=Membership.Role.LISTENER)
    before = stored_plan(song)
    page.goto("/")
    page.get_by_label("Name").fill("ada")
    page.get_by_label("Password").fill("a long secret")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name="Test", exact=True).click()
    expect(page.get_by_text("You listen only")).to_be_visible()
    wait_until(page, "Boolean(window.highHall?.player.manifest)")
    page.get_by_role("link", name="Song", exact=True).click()
    expect(page.locator("tr[data-track] input[name=value]").first).to_be_disabled()
    page.evaluate(
        f"window.htmx.ajax('POST', '/songs/{song.pk}/sends/set/', {{source: '#edits', target: '#page', values: {{}}}})"
    )
    expect(page.locator("#notices")).to_contain_text(re.compile("You may listen to this song, not change it"))
    assert stored_plan(song) == before
