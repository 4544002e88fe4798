"""Stems that come again: what is the same, what was replaced, and what that means for a plan in which much has been decided.

Beside a plan lies a record of its stems: hash, length and time stamp of each, as they were when they were imported last.
"""

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path, PurePosixPath
from types import MappingProxyType

from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash, sound_facts, written_whole
from highhall.interchange.folder import propose_tracks, stamp_s
from highhall.plan import Plan, Track
from highhall.plan.edits import add_tracks, checked, lengthen

_SAME_S = 0.001


@dataclass(frozen=True, slots=True)
class StemRecord:
    """A stem as it was imported: its hash, its length and its time stamp in seconds, if it has one."""

    sha256: str
    seconds: float
    stamp_s: float | None


NOTHING_KNOWN: Mapping[str, StemRecord] = MappingProxyType({})


@dataclass(frozen=True, slots=True, kw_only=True)
class Again:
    """A plan with the stems as they are now, and what has changed, by paths; `told` are sentences about starts and lengths.

    record: of the stems as they are now.
    """

    plan: Plan
    record: Mapping[str, StemRecord]
    replaced: Sequence[str]
    new: Sequence[str]
    same: Sequence[str]
    renamed: Mapping[str, str]
    gone: Sequence[str]
    told: Sequence[str]

    @property
    def summary(self) -> str:
        """How many stems are what, in words."""
        counts = {
            "replaced": len(self.replaced),
            "new": len(self.new),
            "renamed": len(self.renamed),
            "the same": len(self.same),
            "gone": len(self.gone),
        }
        return counted(counts)


def counted(counts: Mapping[str, int]) -> str:
    """Return how many stems are what, in words; what there is none of is left out."""
    return ", ".join(f"{count} {word}" for word, count in counts.items() if count) or "no stems"


def record_path(plan_path: Path) -> Path:
    """Return where the record of a plan's stems lies."""
    return plan_path.with_name(f".{plan_path.name}.stems")


def record_of(
    paths: Sequence[Path], plan_folder: Path, hashes: Mapping[str, str] = MappingProxyType({})
) -> dict[str, StemRecord]:
    """Return the record of some stems, by their paths from the plan's folder; of those in `hashes` the SHA-256 is known.

    Raises
    ------
    AudioFileError
        If a stem cannot be used.
    """
    found = {}
    for path in paths:
        facts, relative = sound_facts(path), path.resolve().relative_to(plan_folder.resolve()).as_posix()
        sha256 = hashes.get(relative) or content_hash(path)
        found[relative] = StemRecord(sha256, facts.seconds, stamp_s(path, facts))
    return found


def write_record(plan_path: Path, record: Mapping[str, StemRecord]) -> None:
    """Write the record of a plan's stems."""
    with written_whole(record_path(plan_path)) as temporary:
        rows = {path: asdict(each) for path, each in record.items()}
        temporary.write_text(json.dumps(rows, indent=1) + "\n", encoding="utf-8")


def read_record(plan_path: Path) -> dict[str, StemRecord]:
    """Return the record of a plan's stems; an empty one if there is none.

    Raises
    ------
    CoreError
        If it cannot be read.
    """
    path = record_path(plan_path)
    if not path.exists():
        return {}
    try:
        return {key: StemRecord(**row) for key, row in json.loads(path.read_text(encoding="utf-8")).items()}
    except (ValueError, TypeError, AttributeError):
        raise CoreError(f"{path} cannot be read; remove it, and all stems count as known") from None


def imported_again(plan: Plan, paths: Sequence[Path], plan_folder: Path, before: Mapping[str, StemRecord]) -> Again:
    """Return a plan over stems as they are now; every decision in it stays.

    A stem is known by its path, or by its hash under another name. New stems become tracks; of stems that are gone the tracks stay, and
    are told.

    Raises
    ------
    CoreError
        If a stem cannot be used.
    """
    now = record_of(paths, plan_folder)
    used = {track.stem for track in plan.tracks}
    missing = {path for path in used if path not in now}
    by_hash = {before[path].sha256: path for path in missing if path in before}
    renamed = {by_hash[each.sha256]: path for path, each in now.items() if path not in used and each.sha256 in by_hash}
    new = [path for path in now if path not in used and path not in renamed.values()]
    changed = [path for path in now if path in used and path in before and before[path].sha256 != now[path].sha256]
    found, told = with_stems_as_now(plan, plan_folder, before=before, now=now, other=renamed, new=new)
    return Again(
        plan=found,
        record=now,
        replaced=changed,
        new=new,
        same=[path for path in now if path in used and path not in changed],
        renamed=renamed,
        gone=sorted(missing - set(renamed)),
        told=told,
    )


def known_by_name(plan: Plan, arrived: Sequence[str]) -> dict[str, str]:
    """Return which stem of a plan each arrived file takes the place of, by path; no file that could be meant for two is among them.

    A file is known by its name, in whatever folder it lies; if there is none of that name, by its name without what tells its format.
    """
    found: dict[str, str] = {}
    for path in arrived:
        stems = {track.stem for track in plan.tracks} - {path}
        of_name = [stem for stem in stems if _file_name(stem) == _file_name(path)]
        of_base = [
            stem for stem in stems if PurePosixPath(_file_name(stem)).stem == PurePosixPath(_file_name(path)).stem
        ]
        meant = of_name or of_base
        if len(meant) == 1 and meant[0] not in found:
            found[meant[0]] = path
    return found


def _file_name(path: str) -> str:
    return PurePosixPath(path).name.casefold()


def with_stems_as_now(
    plan: Plan,
    plan_folder: Path,
    *,
    before: Mapping[str, StemRecord],
    now: Mapping[str, StemRecord],
    other: Mapping[str, str],
    new: Sequence[str],
    earlier_groups: Mapping[str, str] = MappingProxyType({}),
) -> tuple[Plan, list[str]]:
    """Return a plan over stems as they are now, and sentences about starts and lengths that have changed.

    before, now: what is known of the stems, by path. other: paths that take the place of paths in the plan. new: paths that
    become tracks. Where a stem starts is taken from its time stamp only if nobody has moved the track since; stamps that have all
    moved alike have another origin, and nothing moves.

    Raises
    ------
    CoreError
        If a stem cannot be used.
    """
    told: list[str] = []
    origin_s = min((each.stamp_s for each in before.values() if each.stamp_s is not None), default=None)
    pairs = [(before[stem], now[path]) for stem in before if (path := other.get(stem, stem)) in now]
    moved_s = _moved_alike_s(pairs)
    tracks = []
    for track in plan.tracks:
        path = other.get(track.stem, track.stem)
        track_now = replace(track, stem=path)
        if track.stem in before and path in now:
            told += _length_told(path, before[track.stem], now[path])
            track_now = _placed(track_now, before[track.stem], now[path], origin_s or 0.0, moved_s, told)
        tracks.append(track_now)
    found = checked(replace(plan, tracks=tuple(tracks)))
    if new:
        start_s = None if origin_s is None else origin_s + moved_s
        proposal = propose_tracks([plan_folder / path for path in new], plan_folder, found, earlier_groups, start_s)
        if not found.tracks:
            found = replace(found, song=replace(found.song, sample_rate=proposal.sample_rate))
        found = add_tracks(found, proposal.tracks, proposal.groups)
    ends = [track.start_s + now[track.stem].seconds for track in found.tracks if track.stem in now]
    longer = lengthen(found, max(ends, default=0.0))
    if plan.tracks and longer.song.end != found.song.end:
        told.append(f"the song ends at {longer.song.end} instead of {found.song.end}: a stem goes on after that")
    return longer, told


def _moved_alike_s(pairs: Sequence[tuple[StemRecord, StemRecord]]) -> float:
    """Return by how much the stamps of all stems, at least two, have moved, if that is the same for all; else 0."""
    shifts = [new.stamp_s - old.stamp_s for old, new in pairs if old.stamp_s is not None and new.stamp_s is not None]
    is_alike = len(shifts) > 1 and max(shifts) - min(shifts) <= _SAME_S
    return shifts[0] if is_alike else 0.0


def _length_told(path: str, old: StemRecord, new: StemRecord) -> list[str]:
    if abs(new.seconds - old.seconds) <= _SAME_S:
        return []
    word = "longer" if new.seconds > old.seconds else "shorter"
    return [f'"{path}" is {abs(new.seconds - old.seconds):.3f} s {word} than it was']


def _placed(track: Track, old: StemRecord, new: StemRecord, origin_s: float, moved_s: float, told: list[str]) -> Track:
    """Return a track where its stem starts now, and tell if that is elsewhere."""
    if old.stamp_s is None or new.stamp_s is None:
        return track
    was_s, is_s = old.stamp_s - origin_s, new.stamp_s - origin_s - moved_s
    if abs(is_s - was_s) <= _SAME_S:
        return track
    way = f"from {was_s:.3f} to {is_s:.3f} s"
    if abs(track.start_s - was_s) > _SAME_S:
        told.append(
            f'the time stamp of "{track.stem}" has moved {way}; {track.name} stays at {track.start_s:.3f} s, where it was put'
        )
        return track
    told.append(f'"{track.stem}" has moved {way} by its time stamp, and {track.name} with it')
    return replace(track, start_s=round(is_s, 9))
