"""What a stem's file name says: the track's name, its side of a pair, and a group it may belong to."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from types import MappingProxyType

# Words as engineers write them in file names; the first group with a match is proposed.
GROUP_WORDS: dict[str, tuple[str, ...]] = {
    "Voices": ("vox", "vocal", "vocals", "voice", "voices", "choir", "bv", "bvs", "bvox", "backing", "harmony", "sing", "lv"),
    "Drums": (
        "kick", "kik", "bd", "snare", "sd", "hat", "hihat", "hh", "tom", "toms", "overhead", "overheads", "oh", "drum",
        "drums", "cymbal", "ride", "crash", "percussion", "perc", "shaker", "shakers", "tambourine", "clap", "claps", "conga",
        "congas", "room",
    ),
    "Bass": ("bass", "sub"),
    "Guitars": ("guitar", "guitars", "gtr", "gtrs", "gt", "banjo", "mandolin", "ukulele"),
    "Keys": ("piano", "keys", "organ", "synth", "pad", "pads", "epiano", "harmonium", "accordion"),
    "Strings": ("strings", "violin", "violins", "viola", "cello", "celli", "fiddle", "harp"),
    "Winds": ("flute", "whistle", "clarinet", "oboe", "sax", "trumpet", "trombone", "horn", "horns", "brass"),
}  # fmt: skip
_INSTRUMENTS = {word for words in GROUP_WORDS.values() for word in words}
_SIDES = {"l", "r", "left", "right", ""}
_SIDE = re.compile(r"^(?P<name>.+?)[ ._-]+(?P<side>l|r|left|right)$", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class StemName:
    """A track's name, its pan if it is one side of a pair of mono files, and the group proposed for it."""

    name: str
    pan: float
    group: str | None


def name_order(path: str) -> list[str | int]:
    """Return a key that sorts file names as people do: `2 hat` before `10 room`, whatever their case."""
    parts = enumerate(re.split(r"([0-9]+)", path))
    return [int(part) if index % 2 else part.casefold() for index, part in parts]


def read_stem_names(file_names: Sequence[str], earlier: Mapping[str, str] = MappingProxyType({})) -> list[StemName]:
    """Read the names of stems that belong together; what all of them begin with is left out.

    `earlier` are groups that the user has put tracks into, by track name: the same name, or a word that only
    ever went into one group, decides before the common words do.

    `LanternSong_03 lead vox.wav` beside other `LanternSong_` files becomes "Lead Vox" in "Voices"; `Piano L`
    and `Piano R` keep their names and go to the sides, if both are there.
    """
    bare = [PurePosixPath(name).stem for name in file_names]
    shared = _shared_words(bare) if len(bare) > 1 else 0
    cleaned = [_spaced(name[shared:]) or _spaced(name) for name in bare]
    chosen = _chosen_words(earlier)
    return [StemName(_titled(name), _side_of(name, cleaned), _group_of(name, chosen)) for name in cleaned]


def _shared_words(names: Sequence[str]) -> int:
    """Return how many characters all names begin with, up to the end of a word."""
    same = 0
    for characters in zip(*names, strict=False):
        if len(set(characters)) > 1:
            break
        same += 1
    return max((i + 1 for i in range(same) if names[0][i] in " _-."), default=0)


def _spaced(text: str) -> str:
    without_number = re.sub(r"^\d{1,3}[ ._-]+", "", text.strip())
    return re.sub(r"[\s_.]+|(?<=[a-z])-(?=[a-z])", " ", without_number).strip(" -")


def _titled(name: str) -> str:
    return name.title() if name.islower() else name


def _side_of(name: str, all_names: Sequence[str]) -> float:
    match = _SIDE.match(name)
    if match is None:
        return 0.0
    is_left = match["side"].lower().startswith("l")
    others = (_SIDE.match(other) for other in all_names)
    has_partner = any(
        other and other["name"].lower() == match["name"].lower() and other["side"].lower().startswith("l") != is_left
        for other in others
    )
    return (-1.0 if is_left else 1.0) if has_partner else 0.0


def _group_of(name: str, chosen: Mapping[str, str]) -> str | None:
    """Return the group of a name: what the user did with the whole name or its instrument, then what is common.

    A word such as "lead" says less than an instrument does, whatever the user did with it.
    """
    words = _words(name)
    instruments = [word for word in words if word in _INSTRUMENTS]
    by_user = (chosen[text] for text in (" ".join(words), *instruments) if text in chosen)
    by_custom = (group for group, known in GROUP_WORDS.items() if set(words) & set(known))
    by_other_words = (chosen[word] for word in words if word in chosen)
    return next(by_user, next(by_custom, next(by_other_words, None)))


def _words(name: str) -> list[str]:
    return re.findall(r"[^\W\d_]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).lower())


def _chosen_words(earlier: Mapping[str, str]) -> dict[str, str]:
    """Return the groups that whole names and single words stand for; a word of two groups stands for none."""
    groups: dict[str, set[str]] = {}
    for name, group in earlier.items():
        words = _words(name)
        for text in {" ".join(words), *words} - _SIDES:
            groups.setdefault(text, set()).add(group)
    return {text: found.pop() for text, found in groups.items() if len(found) == 1}
