"""A space that has not rung out when both the bar and the phrase have gone on.

Limit: the longer of a bar and of the gap that three of four phrases of its loudest source leave, against the time
until the tail is 40 dB under that source's dry sound: there it lies under what is played, as for echoes that run on.
A tail that is never down before it is fed again turns into a bed that says nothing about the room; one gap in four
may be shorter.
"""

from collections.abc import Iterator

from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.measure.predictions import tail_end_s
from highhall.plan import Return
from highhall.plan.edits import set_effect
from highhall.plan.kinds import KINDS as EFFECTS
from highhall.timing import Position
from highhall.wording import figure, seconds_in_words

_DOWN_DB = -40.0
_STEP = 0.5


def _look(heard: Heard) -> Iterator[Finding]:
    time = heard.plan.song.time
    for return_ in heard.spaces:
        feeder = heard.feeder(return_.id)
        gap_s = heard.gap_s(feeder)
        if feeder is None or gap_s is None:
            continue
        bar_s = time.seconds_at(Position(2)) - time.seconds_at(Position(1))
        line, limit = _tail(heard, feeder.id, return_), max(bar_s, gap_s)
        end_s = line[1][0]
        if end_s < limit * (1 - 0.5 * _STEP):
            continue
        what = "the gap that three of four of its phrases leave" if gap_s >= bar_s else "a bar"
        yield Finding(
            kind=KIND.name,
            title=f"{return_.name} rings into itself",
            sentence=(
                f"Its tail is {figure(-_DOWN_DB, 0)} dB under {feeder.name} only after {seconds_in_words(end_s)}; that goes on after "
                f"{seconds_in_words(gap_s)}, and a bar is {seconds_in_words(bar_s)}. Longer than {what}, a tail is a bed and no room."
            ),
            figure=end_s,
            unit="s",
            limit=limit,
            excess=(end_s / limit - 1) / _STEP,
            source=feeder.id,
            return_id=return_.id,
            evidence=Evidence(
                shape="slope",
                figures={"here": end_s, "limit": limit, "bar": bar_s, "gap": gap_s},
                lines={"tail": line},
            ),
        )


def _tail(heard: Heard, source: str, return_: Return) -> list[tuple[float, float]]:
    """Return how a tail falls from its loudest until it is far enough down, as (s, dB over the dry sound of its source)."""
    fall_db = min(_DOWN_DB - heard.share_db(source, return_.id), -1.0)
    return [(0.0, _DOWN_DB - fall_db), (tail_end_s(return_, heard.plan.song, Position(1), fall_db), _DOWN_DB)]


def _mended(heard: Heard, finding: Finding) -> Evidence:
    line = _tail(heard, finding.source, heard.plan.return_(finding.return_id))
    return Evidence(shape="slope", figures={"here": line[1][0]}, lines={"tail": line})


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    return_ = heard.plan.return_(finding.return_id)
    reverb = next((effect for effect in return_.chain if effect.on and effect.kind == "reverb"), None)
    if reverb is None:
        return
    before, least = reverb.number("decay_s"), EFFECTS["reverb"].parameter("decay_s").low
    for share in (0.98, 0.9, 0.75, 0.5):
        after = round(before * share * finding.limit / finding.figure, 2)
        if after >= least:
            yield Mending(
                words=f"{return_.name}, decay {seconds_in_words(before)} to {seconds_in_words(after)}",
                keeps="its pre-delay, colour and level stay",
                plan=set_effect(heard.plan, return_.id, reverb.id, params={"decay_s": after}),
            )


KIND = Kind(
    name="decay-too-long",
    label="Decay too long",
    looks_at="decays of all spaces against bar and phrases",
    look=_look,
    mend=_mend,
    evidence=_mended,
    most=LOOK,
)
