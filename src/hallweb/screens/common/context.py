"""What every screen of a song needs: the frame's context, and answers to edits."""

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse

from hallweb.access import LISTENS_ONLY, may_change, require_editable, song_for, user_of, viewable_song
from hallweb.audition.ahead import segments_ahead
from hallweb.audition.monitoring import Monitoring
from hallweb.audition.proposals import keep_rehearsal
from hallweb.inputs import Inputs, inputs
from hallweb.screens.common.charts import SONG_STRIP_WIDTH, section_boxes, styles
from hallweb.screens.common.htmx import (
    nothing_to_show,
    say_changed_elsewhere,
    say_plan_changed,
    vary_on_part,
    wants_part,
)
from hallweb.screens.common.key_sheet import KEY_GROUPS
from hallweb.screens.common.script_facts import script_facts
from hallweb.songs.actions import SongState, StaleRevisionError, edit_plan
from hallweb.songs.models import Revision, Song, SongQuerySet
from hallweb.songs.revisions import plan_of
from highhall.errors import CoreError
from highhall.plan import Edit, PlanRefusedError
from highhall.plan import Song as PlanSong
from highhall.timing import Position

PLAYING = "Play-Sample"
"""The header of an edit that says which sample of the song is heard."""

HEARD = "Play-As"
"""The header that says how the plan is heard, as the address of the list of segments does."""

REHEARSED = "Rehearse"
"""The header of an edit that is being typed: its sound is got ready, and nothing is stored."""

_SAMPLE_DIGITS = 12


def open_song(request: HttpRequest, song_id: int) -> SongState:
    """Return a song that the user may see, and change if the request does not only read; else answer 404 or 403."""
    return _opened(song_for(request, song_id, _with_heads()))


def open_heard_song(request: HttpRequest, song_id: int) -> SongState:
    """Return a song for what whoever may hear it may do, be the request one that reads or not; else answer 404."""
    return _opened(viewable_song(request, song_id, _with_heads()))


def _with_heads() -> SongQuerySet:
    return Song.objects.select_related("head__parent").defer("head__document", "head__parent__document")


def _opened(song: Song) -> SongState:
    if song.head is None:
        raise LookupError(f"song {song.pk} has no revision")
    return SongState(song, song.head, plan_of(song.head.pk))


def play_position(values: Inputs, song: PlanSong) -> Position:
    """Return where the song is played, as the dock tells with every request; its beginning if that makes no sense."""
    try:
        position = Position.parse(values.text("at"))
        song.time.seconds_at(position)
    except CoreError:
        return Position(1)
    return min(position, song.end)


def frame_context(opened: SongState, view: str) -> dict[str, Any]:
    """Return what rail, bar and dock show."""
    song = opened.plan.song
    later = opened.revision.children.order_by("-number").values_list("label", flat=True).first()
    tempo = song.tempos[0]
    return {
        "song": opened.song,
        "plan": opened.plan,
        "revision": opened.revision,
        "undo_label": opened.revision.label if opened.revision.parent_id else "",
        "redo_label": later or "",
        "view": view,
        "set_url": reverse("sends:set-send", args=[opened.song.pk]),
        "tempo": tempo,
        "is_dotted": tempo.beat.mark == ".",
        "meter": song.meters[0],
        "song_strip": {"sections": section_boxes(song), "width": SONG_STRIP_WIDTH},
        "last_bar": song.time.position_at_sample(song.end_sample).bar,
        "styles": styles(opened.plan.returns),
        "facts": script_facts(),
        "key_groups": KEY_GROUPS,
    }


def show_screen(
    request: HttpRequest, opened: SongState, view: str, template: str, context: dict[str, Any]
) -> HttpResponse:
    """Render a whole document, or only its page when htmx asks for that."""
    full = {**frame_context(opened, view), **context, "is_part": wants_part(request)}
    if wants_part(request):
        return vary_on_part(render(request, f"{template}#page", full))
    listens_only = "" if may_change(request, opened.song) else LISTENS_ONLY
    return vary_on_part(render(request, template, {**full, "listens_only": listens_only}))


def base_revision(request: HttpRequest) -> int:
    """Return the revision that an edit was made on; -1 if the form does not say."""
    text = inputs(request).text("revision")
    return int(text) if text.isdecimal() else -1


def refused(request: HttpRequest, text: str, status: int = 422) -> HttpResponse:
    """Answer with a notice in the corner, leaving the screen as it is."""
    if rehearses(request):
        return nothing_to_show()
    response = render(request, "common/notice.html", {"text": text}, status=status)
    response["HX-Retarget"], response["HX-Reswap"] = "#notices", "innerHTML"
    return response


def edited(
    request: HttpRequest,
    song_id: int,
    label: str,
    edit: Edit,
    answer: Callable[[SongState], HttpResponse],
    refuse: Callable[[CoreError], HttpResponse] | None = None,
    *,
    later: str = "",
) -> HttpResponse:
    """Apply an edit and answer with the changed part, or say why it was refused: by `refuse`, or in the corner.

    later: where the changed part can be asked for. While the song plays the answer names it and what is heard next, and
    nothing has to be drawn before that is heard.
    """
    if rehearses(request):
        return rehearsed(request, song_id, edit)

    def change(song_id: int, base: int) -> SongState:
        return edit_plan(song_id, base, label, edit, user_of(request))

    return changed(request, song_id, change, answer, refuse, later=later)


def changed(
    request: HttpRequest,
    song_id: int,
    change: Callable[[int, int], SongState],
    answer: Callable[[SongState], HttpResponse],
    refuse: Callable[[CoreError], HttpResponse] | None = None,
    *,
    later: str = "",
) -> HttpResponse:
    """Do what `change` does to a song that the user may change, on the revision it was made on; answer as `edited` does."""
    require_editable(request, song_id)
    if rehearses(request):  # of something else than an edit of the plan
        return nothing_to_show()
    try:
        state = change(song_id, base_revision(request))
    except StaleRevisionError as error:
        return say_changed_elsewhere(refused(request, str(error), 409))
    except CoreError as error:
        return refuse(error) if refuse else refused(request, sentence_of(error))
    ahead = _ahead(request, state.revision)
    if ahead and later and not state.is_merged:
        drawn = HttpResponse(status=204)
        return say_plan_changed(drawn, ahead, later=later, revision=state.revision.number)
    response = say_plan_changed(answer(state), ahead)
    return say_changed_elsewhere(response) if state.is_merged else response


def rehearses(request: HttpRequest) -> bool:
    """Whether an edit is only being typed yet."""
    return REHEARSED in request.headers


def rehearsed(request: HttpRequest, song_id: int, edit: Edit) -> HttpResponse:
    """Have the sound of an edit that is being typed got ready, and answer which segments that are; nothing if it makes none."""
    require_editable(request, song_id)
    revision = Revision.objects.defer("document").filter(song=song_id, number=base_revision(request)).first()
    if revision is None:
        return nothing_to_show()
    try:
        plan = edit(plan_of(revision.pk))
    except CoreError:  # what is half typed
        return nothing_to_show()
    ahead = _ahead(request, revision, keep_rehearsal(plan, song_id, user_of(request).pk))
    return JsonResponse(ahead) if ahead else nothing_to_show()


def _ahead(request: HttpRequest, revision: Revision, proposal: str = "") -> dict[str, Any] | None:
    """Return what is heard next, if the song is played and that can be told: what cannot sound is said where it is asked for."""
    playing = request.headers.get(PLAYING, "")
    if not playing.isdecimal() or len(playing) >= _SAMPLE_DIGITS:
        return None
    heard = request.headers.get(HEARD, "")
    said = Monitoring.of_query(heard)
    monitoring = Monitoring(alone=said.alone, plain=said.plain, proposal=proposal)
    try:
        return {"heard": heard, **segments_ahead(revision, int(playing), monitoring)}
    except CoreError:
        return None


def sentence_of(error: CoreError) -> str:
    """Return an error of the core as a sentence for users: what is wrong, without the document's paths."""
    text = error.problems[0].text if isinstance(error, PlanRefusedError) else str(error)
    return f"{text[:1].upper()}{text[1:].rstrip('.')}."
