"""Levels and pans that are heard as they are dragged."""

from django import template
from django.utils.html import format_html
from django.utils.safestring import SafeString

from hallweb.desk.entry import is_percent
from highhall.plan.kinds import LEVEL, PAN

register = template.Library()

_DRAGGED = {"level": LEVEL, "pan": PAN}


@register.simple_tag
def held(kind: str, whose: str, drag: str) -> SafeString:
    """Return the attributes of a field whose figure can be dragged: the `level` or `pan` of a `track` or `return`."""
    parameter = _DRAGGED[drag]
    scale = 100 if is_percent(parameter) else 1
    limits = (f"{limit * scale:g}" for limit in (parameter.low, parameter.high))
    return format_html('data-held="{}/{}" data-drag="{}" data-low="{}" data-high="{}"', kind, whose, drag, *limits)
