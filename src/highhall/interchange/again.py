"""Stems that come again: what is the same, what was replaced, and what that means for a plan in which much has been decided.

Beside a plan lies a record of its stems: hash, length and time stamp of each, as they were when they were imported last.
"""

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from types import MappingProxyType

from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash, sound_facts, written_whole
from highhall.interchange.folder import propose_tracks, stamped_starts_s
from highhall.plan import Plan, Track
from highhall.plan.edits import add_tracks, checked, lengthen

_SAME_S = 0.001


@dataclass(frozen=True, slots=True)
class StemRecord:
    """A stem as it was imported: its hash, its length, and where it started by its time stamp, in seconds."""

    sha256: str
    seconds: float
    start_s: float


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
        return ", ".join(f"{count} {word}" for word, count in counts.items() if count) or "no stems"


def record_path(plan_path: Path) -> Path:
    """Return where the record of a plan's stems lies."""
    return plan_path.with_name(f".{plan_path.name}.stems")


def record_of(paths: Sequence[Path], plan_folder: Path) -> dict[str, StemRecord]:
    """Return the record of some stems, by their paths from the plan's folder."""
    facts = [sound_facts(path) for path in paths]
    starts = stamped_starts_s(paths, facts)
    return {
        path.resolve().relative_to(plan_folder.resolve()).as_posix(): StemRecord(
            content_hash(path), each.seconds, start_s
        )
        for path, each, start_s in zip(paths, facts, starts, strict=True)
    }


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

    A stem is known by its path, or by its hash under another name. Where a stem starts is taken from its time stamp only if nobody has moved
    the track since. New stems become tracks; of stems that are gone the tracks stay, and are told.

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
    told: list[str] = []
    tracks = [_now(track, renamed.get(track.stem, track.stem), now, before, told) for track in plan.tracks]
    found = checked(replace(plan, tracks=tuple(tracks)))
    if new:
        proposal = propose_tracks([plan_folder / path for path in new], plan_folder, found)
        found = add_tracks(found, proposal.tracks, proposal.groups)
    ends = [track.start_s + now[track.stem].seconds for track in found.tracks if track.stem in now]
    longer = lengthen(found, max(ends, default=0.0))
    if longer.song.end != found.song.end:
        told.append(f"the song ends at {longer.song.end} instead of {found.song.end}: a stem is longer than it was")
    return Again(
        plan=longer,
        record=now,
        replaced=changed,
        new=new,
        same=[path for path in now if path in used and path not in changed],
        renamed=renamed,
        gone=sorted(missing - set(renamed)),
        told=told,
    )


def _now(
    track: Track, stem: str, now: Mapping[str, StemRecord], before: Mapping[str, StemRecord], told: list[str]
) -> Track:
    """Return a track on its stem as it is now, and tell what is different about that."""
    old, new = before.get(track.stem), now.get(stem)
    if old is None or new is None:
        return replace(track, stem=stem)
    if abs(new.seconds - old.seconds) > _SAME_S:
        word = "longer" if new.seconds > old.seconds else "shorter"
        told.append(f'"{stem}" is {abs(new.seconds - old.seconds):.3f} s {word} than it was')
    if abs(new.start_s - old.start_s) <= _SAME_S:
        return replace(track, stem=stem)
    way = f"from {old.start_s:.3f} to {new.start_s:.3f} s"
    if abs(track.start_s - old.start_s) > _SAME_S:
        told.append(
            f'the time stamp of "{stem}" has moved {way}; {track.name} stays at {track.start_s:.3f} s, where it was put'
        )
        return replace(track, stem=stem)
    told.append(f'"{stem}" has moved {way} by its time stamp, and {track.name} with it')
    return replace(track, stem=stem, start_s=new.start_s)
