"""An axe run over every screen and its states, by day and by night: no serious findings."""

from pathlib import Path

import pytest
from playwright.sync_api import expect

from hallweb.screens.returns.drawers import DRAWERS
from tests.browser.listening import wait_until

AXE = Path(__file__).parent / "vendor" / "axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]


@pytest.fixture
def context(browser, live_server, song):
    """Return a context in which a script of the test may run beside the page's own."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url, bypass_csp=True)
    context.set_default_timeout(15_000)
    expect.set_options(timeout=15_000)
    yield context
    context.close()


def serious_findings(page) -> list[str]:
    page.add_script_tag(path=AXE)
    found = page.evaluate("rules => axe.run(document, { runOnly: rules, resultTypes: ['violations'] })", RULES)
    return [
        f"{each['id']}: {node['html'][:160]} {node['failureSummary'][:300]}"
        for each in found["violations"]
        if each["impact"] in ("serious", "critical")
        for node in each["nodes"]
    ]


SCREENS = {
    "song": "/songs/{}/song/?panel=time",
    "returns": "/songs/{}/returns/?open=hall",
    "sets": "/songs/{}/returns/?open=none&panel=sets",
    "a group": "/songs/{}/returns/?open=band",
    "sends": "/songs/{}/sends/",
    "hand-off": "/songs/{}/hand-off/",
    "versions": "/songs/{}/versions/",
    "moves": "/songs/{}/moves/?by=return:hall",
    "the song at a glance": "/songs/{}/moves/?by=song",
}


@pytest.mark.parametrize("theme", ["day", "night"])
def test_no_screen_has_serious_findings(desk, song, theme: str) -> None:
    if theme == "night":
        desk.get_by_role("button", name="Day").click()
    findings = {}
    for name, address in SCREENS.items():
        desk.goto(address.format(song.pk))
        wait_until(desk, "Boolean(window.highHall?.player.manifest)")
        findings[name] = serious_findings(desk)
    desk.goto(SCREENS["returns"].format(song.pk))
    for drawer in DRAWERS:
        desk.locator(f"#drawer-{drawer}").click()
        expect(desk.locator(f"#drawer-{drawer}")).to_have_attribute("aria-expanded", "true")
        findings[drawer] = serious_findings(desk)
    desk.goto("/")
    findings["songs"] = serious_findings(desk)
    listed = "\n".join(f"{name}: {each}" for name, found in findings.items() for each in found)
    assert not listed, listed


def test_the_way_in_has_no_serious_findings(page) -> None:
    page.goto("/")
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    assert serious_findings(page) == []
