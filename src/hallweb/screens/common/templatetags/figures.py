"""How figures are written: typographic minus, fixed decimals, units where they belong."""

from django import template

from highhall.plan.kinds import LEVEL
from highhall.timing import Position
from highhall.wording import position_in_words

register = template.Library()


@register.filter
def level(value: float | None) -> str:
    """Return a level in dB as it stands in a cell; None is silence."""
    return LEVEL.figure(value)


@register.filter
def px(value: float) -> str:
    """Return a coordinate for SVG."""
    return f"{value:.2f}".rstrip("0").rstrip(".")


@register.filter
def place(position: Position) -> str:
    """Return a bar and a beat, near enough to read."""
    return position_in_words(position)


@register.filter
def clock(seconds: float) -> str:
    """Return a length in minutes and seconds, as 3:07."""
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02}"
