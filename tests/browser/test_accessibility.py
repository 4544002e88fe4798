"""An axe run over every screen and its states, by day and by night: no serious findings."""

from pathlib import Path

import pytest
from playwright.sync_api import expect

from hallweb.screens.returns.drawers import DRAWERS
from hallweb.songs.actions import edit_plan
from highhall.plan.edits import set_return
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
    options = {"runOnly": RULES, "resultTypes": ["violations"], "rules": {"target-size": {"enabled": True}}}
    found = page.evaluate("options => axe.run(document, options)", options)
    return [
        f"{each['id']}: {node['html'][:160]} {node['failureSummary'][:300]}"
        for each in found["violations"]
        if each["impact"] in ("serious", "critical")
        for node in each["nodes"]
    ]


SCREENS = {
    "song": "/songs/{}/song/?panel=time",
    "returns": "/songs/{}/returns/?open=hall",
    "presets": "/songs/{}/returns/?open=none&panel=presets",
    "responses": "/songs/{}/returns/?open=none&panel=responses",
    "a group": "/songs/{}/returns/?open=band",
    "sends": "/songs/{}/sends/",
    "hand-off": "/songs/{}/hand-off/",
    "versions": "/songs/{}/versions/",
    "sharing": "/songs/{}/sharing/",
    "moves": "/songs/{}/moves/?by=return:hall",
    "the song at a glance": "/songs/{}/moves/?by=song",
    "hall": "/songs/{}/hall/?section=b&source=voice&asked=6",
    "a proposed hall": "/songs/{}/hall/propose/",
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
    desk.keyboard.press("?")
    expect(desk.get_by_role("dialog", name="Keys")).to_be_visible()
    findings["keys"] = serious_findings(desk)
    desk.goto("/")
    desk.keyboard.press("n")
    findings["songs"] = serious_findings(desk)
    listed = "\n".join(f"{name}: {each}" for name, found in findings.items() for each in found)
    assert not listed, listed


OFF_SCREEN = """() => {
  const isScrolled = (element) => {
    for (let each = element.parentElement; each && each.id !== "page"; each = each.parentElement) {
      const { overflowX } = getComputedStyle(each);
      if (["auto", "scroll"].includes(overflowX) && each.scrollWidth > each.clientWidth) return true;
    }
    return false;
  };
  const wide = document.documentElement.clientWidth;
  const found = [...document.querySelectorAll("button, a, input, select")].filter((element) => {
    const { left, right, width } = element.getBoundingClientRect();
    return width && !element.closest(".visually-hidden, .skip, .modal") && (left < -1 || right > wide + 1) && !isScrolled(element);
  });
  const page = document.getElementById("page");
  const isSideways = document.documentElement.scrollWidth > wide || page.scrollWidth > page.clientWidth;
  return [...found.map((element) => element.outerHTML.slice(0, 120)), ...(isSideways ? ["the page scrolls sideways"] : [])];
}"""


@pytest.mark.parametrize(("width", "height"), [(900, 800), (640, 400)])  # the latter is 1280 x 800 at 200 %
def test_nothing_is_out_of_reach_on_a_narrow_screen(desk, song, width: int, height: int) -> None:
    desk.set_viewport_size({"width": width, "height": height})
    found = {}
    for name, address in {**SCREENS, "songs": "/"}.items():
        desk.goto(address.format(song.pk))
        expect(desk.locator("#page")).to_be_visible()
        found[name] = desk.evaluate(OFF_SCREEN)
    assert {name: each for name, each in found.items() if each} == {}
    desk.goto(SCREENS["returns"].format(song.pk))
    desk.keyboard.press("Tab")
    expect(desk.get_by_role("link", name="To the page")).to_be_focused()
    desk.keyboard.press("Enter")
    wait_until(desk, "document.activeElement.id === 'page'")


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (900, 800), (640, 400)])
def test_an_open_finding_has_no_serious_findings_and_is_within_reach_by_day_and_night(
    desk, song, width: int, height: int
) -> None:
    edit_plan(song.pk, 1, "Wide", lambda plan: set_return(plan, "hall", width=2.0))
    desk.set_viewport_size({"width": width, "height": height})
    desk.goto(f"/songs/{song.pk}/findings/?open=mono-loss//hall")
    expect(desk.locator("#take-it")).to_be_visible(timeout=60_000)
    assert desk.evaluate(OFF_SCREEN) == []
    assert serious_findings(desk) == []
    desk.locator("[data-theme-toggle]").click()
    assert serious_findings(desk) == []


def test_the_way_in_has_no_serious_findings(page) -> None:
    page.goto("/")
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    assert serious_findings(page) == []


def test_the_pages_of_an_account_have_no_serious_findings(desk) -> None:
    for name in ("password/change", "email", "2fa", "sessions"):
        desk.goto(f"/accounts/{name}/")
        expect(desk.get_by_role("navigation", name="Account")).to_be_visible()
        assert serious_findings(desk) == [], name
