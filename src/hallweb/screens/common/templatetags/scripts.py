"""The scripts of a page, all named in it: else a browser would learn of most only from those that import them, one after another."""

import posixpath
import re
from functools import cache
from pathlib import Path

from django import template
from django.contrib.staticfiles import finders
from django.templatetags.static import static
from django.utils.html import format_html_join
from django.utils.safestring import SafeString

register = template.Library()

_IMPORTED = re.compile(r'(?:from|import) "(\.[^"]+)"')


@register.simple_tag
def scripts(*screens: str) -> SafeString:
    """Return the elements that load the main scripts of some screens, and all that these import."""
    names = [f"{screen}/js/main.js" for screen in screens]
    return format_html_join(
        "\n", '<link rel="modulepreload" href="{}">', ([static(name)] for name in imported_by(*names))
    ) + format_html_join("\n", '<script type="module" src="{}"></script>', ([static(name)] for name in names))


@cache
def imported_by(*names: str) -> list[str]:
    """Return the names of all scripts that some import, or that those import; LookupError if one is not there."""
    found = list(names)
    for name in found:  # it grows by what they import
        path = finders.find(name)
        if path is None:
            raise LookupError(f"there is no script {name}")
        for at in _IMPORTED.findall(Path(path).read_text()):
            imported = posixpath.normpath(posixpath.join(posixpath.dirname(name), at))
            if imported not in found:
                found.append(imported)
    return found[len(names) :]
