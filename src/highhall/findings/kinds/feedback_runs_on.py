"""An echo that does not come to an end.

Limit: a repeat still over -40 dB after 8 bars or after 12 s, whichever is sooner. By then every section has gone on
at least once in most songs, and 40 dB down a repeat lies under what is played; a loop that does not fall at all is a
fault however it sounds now.
"""

from collections.abc import Iterator
from math import log10

from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Effect
from highhall.plan.edits import set_effect
from highhall.timing import Position
from highhall.wording import figure, seconds_in_words

LEVEL_DB = -40.0
BARS, SECONDS = 8, 12.0
_STEP = 0.5
_NEVER_S = 600.0


def _look(heard: Heard) -> Iterator[Finding]:
    time = heard.plan.song.time
    limit = min(time.seconds_at(Position(1 + BARS)), SECONDS)
    for return_ in heard.plan.returns:
        for effect in return_.chain:
            if not effect.on or effect.kind != "echo" or not effect.number("feedback"):
                continue
            lasts_s, repeat_s = _lasts_s(heard, effect)
            if lasts_s < limit * (1 - 0.5 * _STEP):
                continue
            falls = lasts_s < _NEVER_S
            when = f"only after {seconds_in_words(lasts_s)}" if falls else "never"
            yield Finding(
                kind=KIND.name,
                title=f"{return_.name} runs on",
                sentence=(
                    f"With a feedback of {figure(100 * effect.number('feedback'), 0)} % its repeats are 40 dB down {when}; "
                    f"after {seconds_in_words(limit)} they belong to another part of the song."
                ),
                figure=lasts_s,
                unit="s",
                limit=limit,
                excess=(lasts_s / limit - 1) / _STEP if falls else 9.0,
                return_id=return_.id,
                evidence=Evidence(
                    shape="slope",
                    figures={"here": lasts_s, "limit": limit, "repeat": repeat_s},
                    lines={"tail": [(0.0, 0.0), (lasts_s, LEVEL_DB)]},
                    names=[effect.id],
                ),
            )


def _mended(heard: Heard, finding: Finding) -> Evidence:
    chain = heard.plan.return_(finding.return_id).chain
    lasts_s = max(_lasts_s(heard, effect)[0] for effect in chain if effect.id in finding.evidence.names)
    return Evidence(shape="slope", figures={"here": lasts_s}, lines={"tail": [(0.0, 0.0), (lasts_s, LEVEL_DB)]})


def _lasts_s(heard: Heard, effect: Effect) -> tuple[float, float]:
    """Return how long repeats are over the level, in closed form, and how far apart they are; in seconds."""
    time = heard.plan.song.time
    repeat_s = max(time.seconds_of(effect.time(side), Position(1)) for side in ("left", "right"))
    feedback = effect.number("feedback")
    if feedback >= 1:
        return _NEVER_S, repeat_s
    return min(repeat_s * (1 + LEVEL_DB / (20 * log10(feedback))), _NEVER_S), repeat_s


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    return_ = heard.plan.return_(finding.return_id)
    for effect in return_.chain:
        if effect.on and effect.kind == "echo" and effect.number("feedback"):
            lasts_s, repeat_s = _lasts_s(heard, effect)
            if lasts_s < finding.limit or repeat_s >= finding.limit:
                continue
            feedback = 10 ** (LEVEL_DB / 20 / (finding.limit / repeat_s - 1))
            after = max(int(100 * feedback) / 100 - 0.01, 0.0)
            before, to = (f"{figure(100 * value, 0)} %" for value in (effect.number("feedback"), after))
            yield Mending(
                words=f"{return_.name}, feedback {before} to {to}",
                keeps="its times and level stay",
                plan=set_effect(heard.plan, return_.id, effect.id, params={"feedback": after}),
            )


KIND = Kind(
    name="feedback-runs-on",
    label="Feedback runs on",
    looks_at="how long echoes go on",
    look=_look,
    mend=_mend,
    evidence=_mended,
    least=LOOK,
)
