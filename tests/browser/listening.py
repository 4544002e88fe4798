"""What the page's own meters hear."""

LEVEL = """(name) => 10 ** ((window.highHall.player.hasSound ? window.highHall.player.mixer.readings[name]?.rms ?? -999 : -999) / 10)"""


def power(page, name: str) -> float:
    return page.evaluate(LEVEL, name)


def wait_until(page, expression: str) -> None:
    """Poll an expression; Playwright's own wait evaluates text in the page, which our policy forbids."""
    for _ in range(300):
        if page.evaluate(expression):
            return
        page.wait_for_timeout(50)
    raise AssertionError(f"never became true: {expression}")


def wait_for_sound(page, name: str = "sum") -> None:
    wait_until(page, f"window.highHall.player.isPlaying && ({LEVEL})('{name}') > 1e-8")


def wait_for_silence(page, name: str) -> None:
    wait_until(page, f"({LEVEL})('{name}') < 1e-12")


def sample(page) -> int:
    return page.evaluate("window.highHall.player.sample")


def wait_for_sample(page, beyond: int) -> None:
    wait_until(page, f"window.highHall.player.sample > {beyond}")
