"""Findings by hand and by keyboard: go there, hear it, take it, undo, set aside, marks on other screens."""

import re

import pytest
from playwright.sync_api import expect

from hallweb.songs.actions import edit_plan
from highhall.plan.edits import add_return, effect_of_kind, set_return
from tests.browser.listening import sample, wait_for_sound, wait_until
from tests.web.factories import stored_plan


@pytest.fixture
def findings(desk, song):
    def faulty(plan):
        space = effect_of_kind("reverb", "space", {"space": "room", "decay_s": 0.5})
        return add_return(set_return(plan, "hall", width=2.0), "Idle", (space,))[0]

    edit_plan(song.pk, 1, "Faulty", faulty)
    desk.goto(f"/songs/{song.pk}/findings/")
    wait_until(desk, "Boolean(window.highHall?.player.manifest)")
    expect(row(desk, "unfed-return//idle")).to_be_visible(timeout=60_000)
    expect(desk.locator("[data-findings-wait]")).to_have_count(0, timeout=60_000)
    return desk


def row(page, finding: str):
    return page.locator(f".finding-open[data-open-finding='{finding}']")


def test_a_finding_is_opened_gone_to_heard_taken_and_brought_back_by_undo(findings, song) -> None:
    row(findings, "mono-loss//hall").click()
    expect(findings.locator("#take-it")).to_be_visible()
    assert findings.locator("[data-open-band] .evidence path").count() > 5
    findings.locator("#go-there").click()
    wait_for_sound(findings)
    assert findings.evaluate("window.highHall.player.loop.name") == findings.locator("[data-open-band]").get_attribute(
        "data-loop-name"
    )
    alone = findings.locator("#hear-alone")
    alone.click()
    expect(alone).to_have_attribute("aria-pressed", "true")
    expect(findings.locator("[data-monitoring]")).to_contain_text("Only hall, nothing else")
    findings.keyboard.press("s")
    expect(alone).to_have_attribute("aria-pressed", "false")
    findings.locator("#hear-it").click()
    wait_until(findings, "window.highHall.player.side === 'b' && !window.highHall.player.isBehind")
    findings.locator("#hear-it").click()
    wait_until(findings, "window.highHall.player.side === 'a'")
    findings.locator("#take-it").click()
    expect(findings.locator("#history")).to_contain_text("revision 3")
    assert stored_plan(song).return_("hall").width < 2.0
    title = findings.locator(".finding-open", has_text="hall thins in mono")
    expect(title).to_have_count(0, timeout=60_000)
    findings.keyboard.press("Control+z")
    expect(findings.locator("#history")).to_contain_text("revision 2")
    expect(title).to_be_visible(timeout=60_000)  # open, as it was


def test_by_keyboard_alone_a_finding_is_reached_opened_and_set_aside_and_stays_so(findings, song) -> None:
    findings.keyboard.press("ArrowDown")
    for _ in range(8):
        if findings.evaluate("document.activeElement.dataset.openFinding") == "unfed-return//idle":
            break
        findings.keyboard.press("ArrowDown")
    findings.keyboard.press("Enter")
    expect(findings.locator("#set-aside")).to_be_visible()
    wait_until(findings, "document.activeElement.getAttribute('aria-expanded') === 'true'")
    findings.locator("#reason").select_option("not now")
    findings.locator("[data-open-band] .finding-open").focus()
    findings.keyboard.press("x")
    expect(findings.get_by_text("1 set aside")).to_be_visible()
    findings.reload()
    expect(findings.get_by_text("1 set aside")).to_be_visible()
    expect(row(findings, "unfed-return//idle")).to_have_count(0)
    findings.get_by_text("1 set aside").click()
    findings.get_by_role("button", name="Bring back").click()
    expect(row(findings, "unfed-return//idle")).to_be_visible()
    assert song.revisions.count() == 2


def test_a_proposal_is_heard_from_its_row(findings) -> None:
    findings.locator("[data-hear-row='mono-loss//hall']").click()
    expect(findings.locator("[data-open-band]")).to_contain_text("hall thins in mono")
    wait_until(findings, "window.highHall.player.side === 'b' && window.highHall.player.isPlaying")


def test_several_are_chosen_and_taken_as_one_edit(findings, song) -> None:
    for finding in ("mono-loss//hall", "unfed-return//idle"):
        findings.locator(f"[data-several-choice][value='{finding}']").check()
    findings.locator("#take-several").click()
    expect(findings.locator("#history")).to_contain_text("Mended: 2 findings")
    plan = stored_plan(song)
    assert [return_.id for return_ in plan.returns] == ["plate", "hall"]
    assert plan.return_("hall").width < 2.0


def test_findings_are_marked_on_other_screens_and_lead_back(findings) -> None:
    findings.locator("a[data-view=returns]").click()
    mark = findings.locator("[data-marks-return=idle] .finding-mark")
    expect(mark).to_be_visible()
    expect(mark).to_have_attribute("title", re.compile(r"^Finding \d+: Idle is fed by nothing"))
    mark.click()
    expect(findings.locator("[data-open-band]")).to_contain_text("Idle is fed by nothing")
    assert sample(findings) == 0
    findings.keyboard.press("Escape")
    expect(findings.locator("[data-open-band]")).to_have_count(0)
