"""Edits that depend on what stems are like: tracks made of new stems, and a song as long as they are."""

from collections import ChainMap
from collections.abc import Collection, Iterable
from dataclasses import dataclass

from django.contrib.auth.models import User

from hallweb.analysis.stems import stored_analysis
from hallweb.analysis.tasks import ask_to_analyse
from hallweb.songs.actions import SongState, edit_plan
from hallweb.songs.files import song_folder
from hallweb.songs.models import Song, Stem
from hallweb.songs.sounds import song_sounds
from highhall.interchange.again import counted, known_by_name, record_of, with_stems_as_now
from highhall.interchange.stem_names import name_order
from highhall.plan import Edit, Plan
from highhall.plan.edits import lengthen


@dataclass(frozen=True, slots=True)
class Taken:
    """What became of files that came in: the song as it is now, how many are what, and what has changed in starts and lengths."""

    state: SongState
    summary: str
    told: list[str]


def take_stems(song_id: int, base_revision: int, paths: Collection[str], author: User) -> Taken:
    """Bring stems that have come in into the song, as one edit.

    A stem takes the place of the one that has its name, and all that is built on its track stays; one that the song plays
    already stays as it is; the others become tracks in the order of their names. The first ones also set the song's sample rate.
    """
    song = Song.objects.get(pk=song_id)
    folder, hashes = song_folder(song_id), dict(song_sounds(song_id).stems)
    came = [path for path in sorted(hashes, key=name_order) if path in paths]
    counts: dict[str, int] = {}
    told: list[str] = []

    def edit(plan: Plan) -> Plan:
        used = {track.stem for track in plan.tracks}
        other = known_by_name(plan, [path for path in came if path not in used])
        new = [path for path in came if path not in used and path not in other.values()]
        before = record_of([folder / path for path in sorted(used)], folder, hashes)
        kept = [other.get(path, path) for path in sorted(used)]
        now = record_of([folder / path for path in (*kept, *new)], folder, hashes)
        found, sentences = with_stems_as_now(
            plan, folder, before=before, now=now, other=other, new=new, earlier_groups=_earlier_groups(author.pk)
        )
        counts.update({"replaced": len(other), "new": len(new), "the same": len(set(came) & used)})
        told[:] = sentences
        return found

    count = len(came)
    state = edit_plan(song_id, base_revision, f"Import {count} stem{'s' * (count != 1)}", edit, author)
    ask_to_analyse(Stem.objects.filter(song=song, path__in=came), state.plan.song.sample_rate)
    return Taken(state, counted(counts), told)


def _earlier_groups(owner_id: int) -> dict[str, str]:
    """Return the groups that a user has put tracks into so far, by track name, the newest song last."""
    songs = Song.objects.filter(owner_id=owner_id).order_by("pk").values_list("groups_by_track", flat=True)
    return dict(ChainMap(*reversed(songs)))


def edit_time(song_id: int, base_revision: int, label: str, edit: Edit, author: User) -> SongState:
    """Apply an edit of a song's time; should the stems be longer than the song then, it gets more bars."""
    stems = {stem.path: stem for stem in Stem.objects.filter(song_id=song_id)}

    def edit_and_lengthen(plan: Plan) -> Plan:
        edited = edit(plan)
        return lengthen(edited, stems_end_s(edited, stems.values()))

    return edit_plan(song_id, base_revision, label, edit_and_lengthen, author)


def stems_end_s(plan: Plan, stems: Iterable[Stem]) -> float:
    """Return when the last stem of a song has ended, in seconds from 1|1, as far as they were listened to."""
    seconds = {}
    for stem in stems:
        analysis = stored_analysis(stem, plan.song.sample_rate)
        seconds[stem.path] = analysis.seconds if analysis else 0.0
    return max((track.start_s + seconds.get(track.stem, 0.0) for track in plan.tracks), default=0.0)
