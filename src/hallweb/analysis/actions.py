"""Edits that depend on what stems are like: tracks made of new stems, and a song as long as they are."""

from collections import ChainMap
from collections.abc import Collection, Iterable
from dataclasses import replace

from hallweb.analysis.stems import stored_analysis
from hallweb.analysis.tasks import ask_to_analyse
from hallweb.songs.actions import SongState, edit_plan
from hallweb.songs.files import song_folder
from hallweb.songs.models import Song, Stem
from highhall.interchange.folder import propose_tracks
from highhall.interchange.stem_names import name_order
from highhall.plan import Edit, Plan
from highhall.plan.edits import add_tracks, lengthen


def take_stems(song_id: int, base_revision: int, paths: Collection[str]) -> SongState:
    """Make tracks of stems that have none yet, in the order of their names, as one edit; the first ones also set the song's sample rate."""
    song = Song.objects.get(pk=song_id)
    folder = song_folder(song_id)
    stems = sorted(Stem.objects.filter(song=song, path__in=paths).values_list("path", flat=True), key=name_order)

    def edit(plan: Plan) -> Plan:
        used = {track.stem for track in plan.tracks}
        new = [folder / path for path in stems if path not in used]
        proposal = propose_tracks(new, folder, plan, _earlier_groups(song.owner_id))
        if not plan.tracks:
            plan = replace(plan, song=replace(plan.song, sample_rate=proposal.sample_rate))
        return lengthen(add_tracks(plan, proposal.tracks, proposal.groups), proposal.seconds)

    count = len(stems)
    state = edit_plan(song_id, base_revision, f"Add {count} stem{'s' * (count != 1)}", edit)
    ask_to_analyse(Stem.objects.filter(song=song, path__in=stems), state.plan.song.sample_rate)
    return state


def _earlier_groups(owner_id: int) -> dict[str, str]:
    """Return the groups that a user has put tracks into so far, by track name, the newest song last."""
    songs = Song.objects.filter(owner_id=owner_id).order_by("pk").values_list("groups_by_track", flat=True)
    return dict(ChainMap(*reversed(songs)))


def edit_time(song_id: int, base_revision: int, label: str, edit: Edit) -> SongState:
    """Apply an edit of a song's time; should the stems be longer than the song then, it gets more bars."""
    stems = {stem.path: stem for stem in Stem.objects.filter(song_id=song_id)}

    def edit_and_lengthen(plan: Plan) -> Plan:
        edited = edit(plan)
        return lengthen(edited, stems_end_s(edited, stems.values()))

    return edit_plan(song_id, base_revision, label, edit_and_lengthen)


def stems_end_s(plan: Plan, stems: Iterable[Stem]) -> float:
    """Return when the last stem of a song has ended, in seconds from 1|1, as far as they were listened to."""
    seconds = {}
    for stem in stems:
        analysis = stored_analysis(stem, plan.song.sample_rate)
        seconds[stem.path] = analysis.seconds if analysis else 0.0
    return max((track.start_s + seconds.get(track.stem, 0.0) for track in plan.tracks), default=0.0)
