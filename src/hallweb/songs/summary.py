"""What lists of songs tell of a plan without reading it."""

from typing import Any

from highhall.plan import Plan


def summary_of(plan: Plan) -> dict[str, Any]:
    """Return the fields of a `Song` that repeat its plan in short; they are written with every revision."""
    names, first, meter = plan.names, plan.song.tempos[0], plan.song.meters[0]
    return {
        "title": plan.song.title,
        "sample_rate": plan.song.sample_rate,
        "bpm": first.bpm,
        "beat": str(first.beat),
        "seconds": plan.song.end_sample / plan.song.sample_rate,
        "meter": f"{meter.beats}/{meter.unit}",
        "track_names": "\n".join(track.name for track in plan.tracks),
        "track_count": len(plan.tracks),
        "return_count": len(plan.returns),
        "groups_by_track": {track.name: names[track.group] for track in plan.tracks if track.group is not None},
    }
