"""Names of printed files: by a pattern, safe on every file system, each once."""

import re
import unicodedata
from collections.abc import Iterable, Sequence

from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.plan.edits import id_from_name
from highhall.prints.parts import Part

FIELDS = ("title", "kind", "name", "bpm", "section")
_KINDS = {"returns": "return", "groups": "group", "tracks": "track"}
_FORBIDDEN = re.compile(r'[<>:"/\\|?*\x00-\x1f\x7f]')
_FIELD = re.compile(r"\{([^{}]*)\}")
_DEVICES = {"con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in range(10))}
_LONGEST_BYTES = 200


def file_names(
    plan: Plan, parts: Sequence[Part], pattern: str | None = None, *, bpm: float = 0.0, section: str = ""
) -> dict[str, str]:
    """Return where each part is printed, by its key, without a suffix.

    pattern: text with fields in braces; None puts each kind into a folder of its own, by the names that parts have now. bpm: the tempo
    at the start of what is printed, in beats a minute. section: the name of the section that is printed, if it is just one.

    Raises
    ------
    CoreError
        If the pattern has an unknown field, gives no name, or gives two parts the same.
    """
    if pattern is None:
        return _in_folders(parts)
    unknown = [name for name in _FIELD.findall(pattern) if name not in FIELDS]
    if unknown or re.search("[{}]", _FIELD.sub("", pattern)):
        what = f"{{{unknown[0]}}}" if unknown else "a brace without its other"
        raise CoreError(f'the pattern "{pattern}" has {what}; there are {", ".join(f"{{{name}}}" for name in FIELDS)}')
    found: dict[str, str] = {}
    owners: dict[str, Part] = {}
    for part in parts:
        is_whole = part.key == part.kind
        values = {
            "title": plan.song.title,
            "kind": _KINDS.get(part.kind, part.kind),
            "name": "" if is_whole and "{kind}" in pattern else part.name,
            "bpm": f"{bpm:g}",
            "section": section,
        }
        name = safe_name(pattern.format_map(values))
        if not name:
            raise CoreError(f'the pattern "{pattern}" gives no name for {part.name}; add {{name}}')
        other = owners.setdefault(name.casefold(), part)
        if other is not part:
            raise CoreError(
                f'the pattern "{pattern}" gives {other.name} and {part.name} the same name, "{name}"; add {{kind}} or {{name}}'
            )
        found[part.key] = name
    return found


def safe_name(text: str) -> str:
    """Return text as a file name that every file system takes: no separators, no device names, at most 200 bytes."""
    name = _FORBIDDEN.sub("-", unicodedata.normalize("NFC", text))
    name = re.sub(r"\s+", " ", name).strip(" .")
    name = name.encode()[:_LONGEST_BYTES].decode(errors="ignore").strip(" .")
    return f"{name}_" if name.split(".")[0].casefold() in _DEVICES else name


def _in_folders(parts: Iterable[Part]) -> dict[str, str]:
    found: dict[str, str] = {}
    taken: dict[str, set[str]] = {}
    for part in parts:
        if part.key == part.kind:
            found[part.key] = part.kind
            continue
        name = id_from_name(part.name, taken.setdefault(part.kind, set()))
        taken[part.kind].add(name)
        found[part.key] = f"{part.kind}/{name}"
    return found
