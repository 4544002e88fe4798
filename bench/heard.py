"""How long an edit takes from Enter to changed sound in the browser, on the demo song of a running bin/demo.

Usage: bin/bench heard [--url http://localhost:8000] [--edits 20] [--busy]

With --busy two processes beside it keep both processors busy. The moment is that at which the page starts the changed
segment, or moves a gain, on the clock of its audio output; what the sound card adds is the same for every program. Values are
typed digit by digit, eight a second; before it presses, the hand rests for a fifth of a second, as hands do.
"""

import argparse
import multiprocessing
import random
import re
import statistics
import time
from collections.abc import Callable
from functools import partial

from playwright.sync_api import Page, sync_playwright

REST_MS, DIGIT_MS = 200, 125
TRACK_LEVEL = re.compile("^Level of (?!group)")

PROBE = """
window.changes = [];
const context = () => window.highHall.player.mixer.context;
const noted = (at) => window.changes.push(performance.now() + Math.max(at - context().currentTime, 0) * 1000);
const { start } = AudioBufferSourceNode.prototype;
AudioBufferSourceNode.prototype.start = function (...at) {
  if (window.isWatched && at[0] - context().currentTime < 1.5) noted(at[0]); // what only goes on is scheduled longer before
  return start.apply(this, at);
};
const { setTargetAtTime } = AudioParam.prototype;
AudioParam.prototype.setTargetAtTime = function (value, at, ...more) {
  if (window.isWatched && Math.abs(value - this.value) > 1e-3) noted(at);
  return setTargetAtTime.call(this, value, at, ...more);
};
for (const type of ["keydown", "click"]) document.addEventListener(type, (event) => {
  if (event.key === "Enter" || event.type === "click") window.pressedAt ??= performance.now();
}, { capture: true });
"""

NEARLY_OVER = (
    "(({ sample, manifest }) => sample > manifest.endSample - 15 * manifest.sampleRate)(window.highHall.player)"
)


def spin() -> None:
    while True:
        sum(range(10000))


def heard_ms(page: Page, press: Callable[[], None]) -> float:
    """Return the milliseconds from a press to the first change of what is heard."""
    if page.evaluate(NEARLY_OVER):
        to_refrain(page)
    page.wait_for_timeout(
        random.uniform(2600, 4600)
    )  # so that what was scheduled is settled, and anywhere in a segment
    page.evaluate("window.changes.length = 0; window.pressedAt = null; window.isWatched = true")
    press()
    page.wait_for_function("window.pressedAt && window.changes.some((at) => at > window.pressedAt)", timeout=20_000)
    value: float = page.evaluate("window.changes.find((at) => at > window.pressedAt) - window.pressedAt")
    page.evaluate("window.isWatched = false")
    return value


def typed(page: Page, label: str | re.Pattern[str], around: float, digits: int = 4) -> Callable[[int], None]:
    """Return what types a value near another, never the same twice: what was rendered once would be there at once."""
    fresh = random.Random(time.time())

    def press(_: int) -> None:
        field = page.get_by_label(label, exact=isinstance(label, str)).first
        field.fill("")
        field.press_sequentially(f"{around * fresh.uniform(0.95, 1.05):.{digits}f}", delay=DIGIT_MS)
        page.wait_for_timeout(REST_MS)
        field.press("Enter")

    return press


def clicked(page: Page, selector: str) -> Callable[[int], None]:
    """Return what rests on a button and clicks it."""

    def press(_: int) -> None:
        page.locator(selector).first.hover()
        page.wait_for_timeout(REST_MS)
        page.locator(selector).first.click()

    return press


def to_refrain(page: Page) -> None:
    """Go to the first refrain, in which everything is fed."""
    page.locator("[data-section-box]").nth(2).press("Enter")


def open_screen(page: Page, screen: str) -> None:
    page.goto(page.url.split("?")[0].rsplit("/", 2)[0] + f"/{screen}")
    page.wait_for_function("window.highHall?.player.manifest")
    page.evaluate(PROBE)
    to_refrain(page)
    page.evaluate("void window.highHall.player.play()")
    page.wait_for_function("window.highHall.player.isPlaying && !window.highHall.player.isWaiting")


def measure(page: Page, edits: int) -> None:
    base = page.url.split("?")[0]
    print(
        f"{'edit':40} {'median':>8} {'least':>8} {'most':>8}   ms from Enter or click to changed sound, {edits} edits"
    )
    measure_returns(page, base, edits)
    hear_alone(page, base)
    measure_returns(page, base, edits, ", a track alone")
    hear_alone(page, base)
    for screen, name, press in (
        ("returns/?open=near-room", "mute a return", clicked(page, "#mute-silver-plate")),
        ("returns/?open=near-room", "solo a return", clicked(page, "[data-solo=long-hall]")),
        ("song/", "mute a track", clicked(page, "tr[data-track] [data-mute]")),
        ("song/", "level of a track", typed(page, TRACK_LEVEL, -6.0, 2)),
        ("song/", "solo a track", clicked(page, "[data-solo-track]")),
        ("song/", "mute a group", clicked(page, "[id^=group-mute-]")),
    ):
        page.goto(base)
        open_screen(page, screen)
        report(name, [heard_ms(page, partial(press, n)) for n in range(edits)])


def measure_returns(page: Page, base: str, edits: int, how: str = "") -> None:
    for key, label, around in (
        ("near-room", "Decay, s", 0.6), ("silver-plate", "Decay, s", 1.6), ("dotted-echo", "Feedback, %", 40.0),
        ("long-hall", "Decay, s", 3.8),
    ):  # fmt: skip
        page.goto(base)
        open_screen(page, f"returns/?open={key}")
        press = typed(page, label, around)
        report(f"{key}: {label}{how}", [heard_ms(page, partial(press, n)) for n in range(edits)])


def hear_alone(page: Page, base: str) -> None:
    """Hear one track alone, which feeds all four; again, the whole song."""
    page.goto(base)
    open_screen(page, "song/")
    page.locator("[data-solo-track]").first.click()


def report(name: str, values: list[float]) -> None:
    print(f"{name:40} {statistics.median(values):8.0f} {min(values):8.0f} {max(values):8.0f}", flush=True)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--url", default="http://localhost:8000")
    parser.add_argument("--edits", type=int, default=20)
    parser.add_argument("--busy", action="store_true")
    options = parser.parse_args()
    busy = [multiprocessing.Process(target=spin, daemon=True) for _ in range(2 if options.busy else 0)]
    for each in busy:
        each.start()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell",
            args=["--no-sandbox", "--autoplay-policy=no-user-gesture-required"],
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
        page.goto(options.url)
        page.fill("#id_login", "demo")
        page.fill("#id_password", "lantern")
        page.keyboard.press("Enter")
        page.locator(".song-name").first.click()
        page.wait_for_url("**/songs/*/**")
        measure(page, options.edits)
        browser.close()
    for each in busy:
        each.terminate()


if __name__ == "__main__":
    main()
