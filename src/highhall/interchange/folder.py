"""A plan from a folder of stems."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from types import MappingProxyType

from highhall.errors import CoreError
from highhall.interchange.audio_files import SoundFacts, sound_facts
from highhall.interchange.broadcast_wave import time_reference_samples
from highhall.interchange.channels import ManyChannels, to_stereo
from highhall.interchange.sound_check import checked_sound
from highhall.interchange.stem_names import name_order, read_stem_names
from highhall.plan.edits import add_tracks, id_from_name, lengthen
from highhall.plan.model import MAIN, SAMPLE_RATES, Group, Plan, Song, Track

SUFFIXES = frozenset({".wav", ".wave", ".rf64", ".bwf", ".aif", ".aiff", ".flac", ".ogg", ".mp3"})
_FALLBACK_RATE = 48000


class StemFolderError(CoreError):
    """A folder holds nothing to make a song of, or lies outside of the plan's folder."""


def stem_paths(folder: Path) -> list[Path]:
    """Return the sound files in a folder and below, hidden ones left out, in the order of their names."""
    found = (path for path in folder.rglob("*") if path.suffix.lower() in SUFFIXES and path.is_file())
    shown = (path for path in found if not any(part.startswith(".") for part in path.relative_to(folder).parts))
    return sorted(shown, key=lambda path: name_order(str(path)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """Tracks for some stems, the groups that have to be made for them, and what the song needs for them.

    `sample_rate` is the most common one of the stems that a plan allows; `seconds` is when the last has ended.
    """

    tracks: tuple[Track, ...]
    groups: tuple[Group, ...]
    sample_rate: int
    seconds: float


def propose_tracks(
    paths: Sequence[Path],
    plan_folder: Path,
    present: Plan | None = None,
    earlier_groups: Mapping[str, str] = MappingProxyType({}),
    origin_s: float | None = None,
) -> Proposal:
    """Return a track for each stem: names, groups, sides of pairs and time stamps are read.

    Groups of `present` are used where they have the proposed name, and its ids are not taken again.
    `earlier_groups` are the user's own choices, as `read_stem_names` takes them. `origin_s` is the time stamp at
    which the song begins; None is the earliest of these stems.

    Raises
    ------
    AudioFileError
        If a stem cannot be used.
    """
    facts = [sound_facts(path) for path in paths]
    starts_s = _starts_s([stamp_s(path, fact) for path, fact in zip(paths, facts, strict=True)], origin_s)
    names = read_stem_names([path.name for path in paths], earlier_groups)
    known = {group.name: group.id for group in present.groups} if present else {}
    taken = {MAIN, *known.values()}
    if present:
        taken |= {item.id for items in (present.tracks, present.returns) for item in items}
    made: dict[str, str] = {}
    for group_name in sorted({n.group for n in names if n.group} - set(known)):
        made[group_name] = id_from_name(group_name, taken)
        taken.add(made[group_name])
    tracks = []
    for path, name, start_s in zip(paths, names, starts_s, strict=True):
        track_id = id_from_name(name.name, taken)
        taken.add(track_id)
        stem = path.resolve().relative_to(plan_folder.resolve()).as_posix()
        group = {**known, **made}.get(name.group) if name.group else None
        tracks.append(Track(id=track_id, name=name.name[:120], group=group, stem=stem, start_s=start_s, pan=name.pan))
    rates = Counter(fact.sample_rate for fact in facts if fact.sample_rate in SAMPLE_RATES)
    return Proposal(
        tracks=tuple(tracks),
        groups=tuple(Group(id=group_id, name=group_name) for group_name, group_id in made.items()),
        sample_rate=rates.most_common(1)[0][0] if rates else _FALLBACK_RATE,
        seconds=max((start + fact.seconds for start, fact in zip(starts_s, facts, strict=True)), default=0.0),
    )


def plan_from_folder(
    folder: Path, plan_folder: Path, song: Song, many_channels: ManyChannels = ManyChannels.REFUSE
) -> Plan:
    """Return a plan with a track for every stem in a folder; see `propose_tracks`.

    `song` gives title and time; it is made long enough for the longest stem. There are no returns yet. Every
    stem is read from end to end first. What has more than two channels is refused, or made a stereo file in
    `plan_folder`/stereo.

    Raises
    ------
    StemFolderError
        If there is no stem, or the folder does not lie in `plan_folder`.
    AudioFileError
        If a stem cannot be used.
    """
    paths = stem_paths(folder)
    if not paths:
        kinds = ", ".join(sorted(suffix[1:] for suffix in SUFFIXES))
        raise StemFolderError(f'"{folder}" holds no sound files; expected some of {kinds}')
    require_inside(folder, plan_folder)
    stems = [_stereo_stem(path, plan_folder, many_channels) for path in paths]
    proposal = propose_tracks(stems, plan_folder)
    empty = Plan(song=replace(song, sample_rate=proposal.sample_rate))
    return lengthen(add_tracks(empty, proposal.tracks, proposal.groups), proposal.seconds)


def require_inside(folder: Path, plan_folder: Path) -> None:
    """Require that a folder of stems lies in the plan's folder, or is it; StemFolderError if not."""
    if not folder.resolve().is_relative_to(plan_folder.resolve()):
        raise StemFolderError(f'the stems must lie in the plan\'s folder "{plan_folder}" or below it, got "{folder}"')


def _stereo_stem(path: Path, plan_folder: Path, many_channels: ManyChannels) -> Path:
    if checked_sound(path).channels <= 2:
        return path
    target = plan_folder / "stereo" / f"{path.stem}.wav"
    to_stereo(path, target, many_channels)
    return target


def stamp_s(path: Path, facts: SoundFacts) -> float | None:
    """Return the time stamp of a sound file, in seconds; None if it has none."""
    stamp = time_reference_samples(path)
    return None if stamp is None else stamp / facts.sample_rate


def _starts_s(stamps: Sequence[float | None], origin_s: float | None) -> list[float]:
    """Return where each stem starts by its time stamp; 0 for a stem without one."""
    first = min((stamp for stamp in stamps if stamp is not None), default=0.0) if origin_s is None else origin_s
    return [0.0 if stamp is None else round(stamp - first, 9) for stamp in stamps]
