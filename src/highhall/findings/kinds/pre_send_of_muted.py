"""A track that is muted or closed, yet heard through a send before its fader.

No limit but that: a pre-fader send does not hear mute and fader. Sometimes meant (a source that is heard as its space
alone), more often what was left from trying.
"""

from collections.abc import Iterator

from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan.edits import set_send
from highhall.wording import figure


def _look(heard: Heard) -> Iterator[Finding]:
    closed = {
        track.id: "muted" if track.mute else "closed"
        for track in heard.plan.tracks
        if track.mute or track.level_db is None
    }
    for send in heard.plan.sends:
        if send.source in closed and send.send_point == "pre" and send.on and send.level_db is not None:
            track = heard.plan.track(send.source)
            if not heard.sounds(track, 0.0, heard.plan.song.end_sample / heard.plan.song.sample_rate):
                continue
            source, target = heard.names[send.source], heard.names[send.target]
            yield Finding(
                kind=KIND.name,
                title=f"{source} sounds through the {target}",
                sentence=(
                    f"{source} is {closed[send.source]}, and its send before the fader still feeds the {target} at {figure(send.level_db)} dB."
                ),
                figure=send.level_db,
                unit="dB",
                limit=-60.0,
                excess=0.0,
                source=send.source,
                return_id=send.target,
                evidence=Evidence(
                    shape="flow", figures={"here": send.level_db}, names=[source, closed[send.source], target]
                ),
            )


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    source, target = heard.names[finding.source], heard.names[finding.return_id]
    yield Mending(
        words=f"{source} to {target} after the fader",
        keeps="its level stays; it is silent as long as the fader is",
        plan=set_send(heard.plan, finding.source, finding.return_id, send_point="post"),
    )


KIND = Kind(
    name="pre-send-of-muted",
    label="Muted, yet heard",
    looks_at="sends before the faders of muted and closed tracks",
    look=_look,
    mend=_mend,
    least=LOOK,
    most=LOOK,
)
