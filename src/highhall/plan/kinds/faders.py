"""The values of tracks, groups, sends and returns, and what several kinds of effect share."""

from collections.abc import Mapping

from highhall.plan.kinds.parameter import Parameter
from highhall.plan.kinds.rows import choice, level, number, switch
from highhall.wording import LEFT_RIGHT, PERCENT, SECONDS

LEVEL = level(
    "level_db", "Level", -120, 24, "level; null is silence", default=0.0, may_be_null=True, step=0.5,
    advice="Raise it until it is too much, then back off.",
)  # fmt: skip
PAN = number("pan", "Pan", LEFT_RIGHT, -1, 1, "from left (-1) to right (1)", default=0.0, step=0.05)
WIDTH = number("width", "Width", PERCENT, 0, 2, "level of the side against the middle", default=1.0, step=0.05)
ON = switch("on", "On", "whether it acts", default=True, closes=False)
MUTE = switch("mute", "Mute", "silenced", default=False, closes=True)
SEND_POINT = choice(
    "tap", "Send point", ("post", "pre"), "whether the send leaves its source behind the fader or before it",
    default="post",
)  # fmt: skip
START = number(
    "start_s", "Start", SECONDS, -36000, 36000, "where the stem begins; what lies before the song is not heard",
    moves=False, default=0.0, step=0.1,
)  # fmt: skip

MIX = number(
    "mix", "Mix", PERCENT, 0, 1, "share of processed sound; 1 in a return's first effect", default=1, step=0.05,
    typical="1", advice="Keep it at 1 on a return; lower it only behind another effect.",
)  # fmt: skip

SEND_MOVABLE: Mapping[str, Parameter] = {parameter.name: parameter for parameter in (LEVEL, ON, PAN)}
RETURN_MOVABLE: Mapping[str, Parameter] = {parameter.name: parameter for parameter in (LEVEL, PAN, WIDTH, MUTE)}


def read_level(text: str) -> float | None:
    """Read a typed level in dB; None is silence. It raises EntryError as `LEVEL.read` does."""
    value = LEVEL.read(text)
    return float(value) if isinstance(value, (int, float)) else None


def read_pan(text: str) -> float:
    """Read a typed pan in per cent. It raises EntryError as `PAN.read` does."""
    value = PAN.read(text)
    return float(value) if isinstance(value, (int, float)) else 0.0
