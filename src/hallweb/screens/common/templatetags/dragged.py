"""Levels and pans that are heard as they are dragged."""

from django import template
from django.utils.html import format_html
from django.utils.safestring import SafeString

from highhall.plan.kinds import LEVEL, PAN

register = template.Library()

_DRAGGED = {"level": LEVEL, "pan": PAN}


@register.simple_tag
def dragged(drag: str) -> SafeString:
    """Return the attributes of a field whose figure can be dragged: a `level` or `pan`, and its limits."""
    parameter = _DRAGGED[drag]
    limits = (f"{limit * parameter.unit.factor:g}" for limit in (parameter.low, parameter.high))
    return format_html('data-drag="{}" data-low="{}" data-high="{}"', drag, *limits)
