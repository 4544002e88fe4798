"""An echo in milliseconds that just misses a note value.

Limit: 1 to 8 % off the nearest plain, dotted or triplet value, longer than 60 ms. Under 1 % nobody hears it as early
or late (tempo is told apart from 1 to 2 % on, Drake and Botte 1993); over 8 % it is a time of its own. A single
repeat (slap) and what is shorter are heard with their source, not as rhythm.
"""

from collections.abc import Iterator
from dataclasses import replace

from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Effect
from highhall.plan.edits import set_effect
from highhall.timing import LADDER, Milliseconds, NoteValue, Position
from highhall.wording import figure

LEAST, MOST = 0.01, 0.08
SHORTEST_MS = 60.0
_SLAP_MS = 180.0
_STEP = 0.04
_SIDES = ("left", "right")


def _look(heard: Heard) -> Iterator[Finding]:
    for return_ in heard.plan.returns:
        for effect in return_.chain:
            if effect.on and effect.kind == "echo":
                found = {side: miss for side in _SIDES if (miss := _miss(heard, effect, side)) is not None}
                if found:
                    yield _finding(heard, return_.id, effect, found)


def _miss(heard: Heard, effect: Effect, side: str) -> tuple[NoteValue, float, float] | None:
    """Return the note that a side misses, its length and the side's in ms."""
    time = effect.time(side)
    is_slap = not effect.number("feedback") and isinstance(time, Milliseconds) and time.ms < _SLAP_MS
    if not isinstance(time, Milliseconds) or time.ms <= SHORTEST_MS or is_slap:
        return None
    lengths = {note: 1000 * heard.plan.song.time.seconds_of(note, Position(1)) for note in LADDER}
    nearest = min(lengths, key=lambda note: abs(lengths[note] - time.ms))
    off = abs(time.ms / lengths[nearest] - 1)
    return (nearest, lengths[nearest], time.ms) if LEAST < off <= MOST else None


def _finding(heard: Heard, return_id: str, effect: Effect, found: dict[str, tuple[NoteValue, float, float]]) -> Finding:
    side = max(found, key=lambda key: abs(found[key][2] / found[key][1] - 1))
    note, note_ms, own_ms = found[side]
    off = abs(own_ms / note_ms - 1)
    when = "late" if own_ms > note_ms else "early"
    return Finding(
        kind=KIND.name,
        title=f"{heard.names[return_id]} just misses {note}",
        sentence=(
            f"Its {side} side repeats after {figure(own_ms)} ms, {figure(abs(own_ms - note_ms))} ms {when} of {note} ({figure(note_ms)} ms), "
            f"{figure(100 * off)} % off: too near to be a time of its own, too far to be in time."
        ),
        figure=100 * off,
        unit="%",
        limit=100 * LEAST,
        excess=(off - LEAST) / _STEP,
        return_id=return_id,
        evidence=Evidence(
            shape="grid",
            figures={"here": own_ms, "note": note_ms},
            lines={"notes": [(1000 * heard.plan.song.time.seconds_of(each, Position(1)), 0.0) for each in LADDER]},
            names=[str(note), effect.id],
        ),
    )


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    return_ = heard.plan.return_(finding.return_id)
    for effect in return_.chain:
        if effect.on and effect.kind == "echo":
            found = {side: miss for side in _SIDES if (miss := _miss(heard, effect, side)) is not None}
            if found:
                words = ", ".join(
                    f"{side} {figure(own)} to {figure(ms)} ms, {note}" for side, (note, ms, own) in found.items()
                )
                params = {side: note for side, (note, _, _) in found.items()}
                yield Mending(
                    words=f"{return_.name}, {words}",
                    keeps="it follows the tempo from then on",
                    plan=set_effect(heard.plan, return_.id, effect.id, params=params),
                )


KIND = Kind(
    name="echo-off-grid",
    label="Echo off the grid",
    looks_at="echoes in milliseconds against note values",
    look=_look,
    mend=_mend,
    evidence=lambda _, finding: replace(finding.evidence, figures={"here": finding.evidence.figures["note"]}),
    most=LOOK,
)
