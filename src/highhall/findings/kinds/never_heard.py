"""A send, a value of a section or a throw that acts only where its source is silent.

No limit but that: the stem lies 30 dB or more under its own mean there (or under -70 LUFS). It does nothing now, and
will surprise whoever moves a part later.
"""

from collections.abc import Iterator

from highhall.findings.finding import NOTE, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Move, Plan, SendTarget, Throw, Track
from highhall.plan.edits import remove_send
from highhall.plan.edits.moves import clear_cells
from highhall.plan.edits.throws import remove_throws

_EDGE_S = 0.1


def _look(heard: Heard) -> Iterator[Finding]:
    tracks = {track.id: track for track in heard.plan.tracks}
    end_s = heard.plan.song.end_sample / heard.plan.song.sample_rate
    for send in heard.plan.sends:
        track = tracks.get(send.source)
        if track is None or track.mute:
            continue
        move = _level_move(heard.plan, send.source, send.target)
        if not heard.sounds(track, 0.0, end_s):
            if send.on and send.level_db is not None:
                yield _finding(heard, track, send.target, [], "its send", [(0.0, end_s)])
            continue
        idle = _idle(heard, track, move) if move else []
        if idle:
            what = [name for name, _ in idle]
            yield _finding(heard, track, send.target, what, _words(what), [place for _, place in idle])


def _level_move(plan: Plan, source: str, target: str) -> Move | None:
    return plan.move(SendTarget(source=source, target=target, param="level_db"))


def _idle(heard: Heard, track: Track, move: Move) -> list[tuple[str, tuple[float, float]]]:
    """Return what of a move acts only where its track is silent: "throw" or a section's id, and where."""
    throws = [("throw", place) for throw in move.throws if not heard.sounds(track, *(place := _span(heard, throw)))]
    values = [
        (value.section, span)
        for value in move.sections
        if not heard.sounds(track, *(span := _section_span(heard, value.section)))
    ]
    return throws + values


def _section_span(heard: Heard, section: str) -> tuple[float, float]:
    start, end = heard.span(section)
    return start + _EDGE_S, end - _EDGE_S


def _span(heard: Heard, throw: Throw) -> tuple[float, float]:
    start = heard.seconds_at(throw.at)
    return start, start + heard.plan.song.time.seconds_of(throw.length, throw.at)


def _words(what: list[str]) -> str:
    throws, values = what.count("throw"), sum(name != "throw" for name in what)
    parts = [f"{n} {name}{'s' if n != 1 else ''}" for n, name in ((throws, "throw"), (values, "value")) if n]
    return " and ".join(parts)


def _finding(
    heard: Heard, track: Track, target: str, what: list[str], words: str, places: list[tuple[float, float]]
) -> Finding:
    name = heard.names[target]
    return Finding(
        kind=KIND.name,
        title=f"{track.name} to {name}: nothing to hear",
        sentence=f"{words[:1].upper()}{words[1:]} into the {name} act only where {track.name} is silent.",
        figure=float(max(len(what), 1)),
        unit="places",
        limit=1.0,
        excess=0.0,
        source=track.id,
        return_id=target,
        places=tuple(places),
        evidence=Evidence(shape="flow", names=[f"{track.name}, silent", words, name]),
    )


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    track, plan = heard.plan.track(finding.source), heard.plan
    target = SendTarget(source=finding.source, target=finding.return_id, param="level_db")
    move = plan.move(target)
    end_s = plan.song.end_sample / plan.song.sample_rate
    name = heard.names[finding.return_id]
    if not heard.sounds(track, 0.0, end_s):
        yield Mending(words=f"{track.name} to {name} goes", plan=remove_send(plan, finding.source, finding.return_id))
        return
    if move is None:
        return
    idle = _idle(heard, track, move)
    sections = [key for key, _ in idle if key != "throw"]
    throws = [throw.at for throw in move.throws if not heard.sounds(track, *_span(heard, throw))]
    if sections:
        plan = clear_cells(plan, [(target, key) for key in sections])
    if throws:
        plan = remove_throws(plan, target, throws)
    yield Mending(
        words=f"{_words([key for key, _ in idle])} of {track.name} to {name} go",
        keeps="nothing that sounds changes",
        plan=plan,
    )


KIND = Kind(
    name="never-heard",
    label="Nothing to hear",
    looks_at="every send, value and throw against where its source sounds",
    look=_look,
    mend=_mend,
    most=NOTE,
)
