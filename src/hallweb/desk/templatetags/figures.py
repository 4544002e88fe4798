"""How figures are written: typographic minus, fixed decimals, units where they belong."""

from django import template

register = template.Library()

MINUS = "\N{MINUS SIGN}"


def figure(value: float, decimals: int = 1) -> str:
    """Return a number with a real minus sign; never minus zero."""
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


@register.filter
def level(value: float | None) -> str:
    """Return a level in dB as it stands in a cell; None is silence."""
    return f"{MINUS}\N{INFINITY}" if value is None else figure(float(value), 1)


@register.filter
def px(value: float) -> str:
    """Return a coordinate for SVG."""
    return f"{value:.2f}".rstrip("0").rstrip(".")
