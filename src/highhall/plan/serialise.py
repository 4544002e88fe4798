"""From the plan to JSON. Reading what was written gives an equal plan."""

import json
from typing import Any

from highhall.plan.model import (
    Band,
    Move,
    ParameterValue,
    Plan,
    Return,
    ReturnTarget,
    SendTarget,
    Song,
    Step,
    StepTarget,
    Target,
)
from highhall.plan.parse import FORMAT, VERSION
from highhall.timing import Milliseconds, NoteValue, TimeValue

Document = dict[str, Any]


def write_plan(plan: Plan) -> str:
    """Return the plan as indented JSON text."""
    return json.dumps(document_of(plan), ensure_ascii=False, indent=2, allow_nan=False) + "\n"


def document_of(plan: Plan) -> Document:
    """Return the plan as a JSON document."""
    return {
        "format": FORMAT,
        "version": VERSION,
        "song": _song(plan.song),
        "groups": [
            {"id": g.id, "name": g.name, "level_db": g.level_db, "mute": g.mute, "tone": {"bands": [band_document(b) for b in g.tone]}}
            for g in plan.groups
        ],
        "tracks": [
            {"id": t.id, "name": t.name, "group": t.group, "stem": t.stem, "start_s": t.start_s, "level_db": t.level_db, "pan": t.pan, "mute": t.mute}
            for t in plan.tracks
        ],
        "returns": [_return(return_) for return_ in plan.returns],
        "sends": [
            {"from": s.source, "to": s.target, "level_db": s.level_db, "tap": s.tap, "pan": s.pan, "on": s.on}
            for s in plan.sends
        ],
        "moves": [move_document(move) for move in plan.moves],
    }  # fmt: skip


def _song(song: Song) -> Document:
    return {
        "title": song.title,
        "sample_rate": song.sample_rate,
        "meters": [{"bar": m.bar, "beats": m.beats, "unit": m.unit} for m in song.meters],
        "tempos": [{"at": str(t.at), "bpm": t.bpm, "beat": str(t.beat), "ramp": t.ramp} for t in song.tempos],
        "sections": [{"id": s.id, "name": s.name, "start": str(s.start), "end": str(s.end)} for s in song.sections],
        "end": str(song.end),
    }  # fmt: skip


def _return(r: Return) -> Document:
    return {
        "id": r.id, "name": r.name, "level_db": r.level_db, "width": r.width, "pan": r.pan, "mute": r.mute,
        "output": r.output, "chain": [step_document(step) for step in r.chain],
    }  # fmt: skip


def step_document(step: Step) -> Document:
    """Return one step as it stands in a chain."""
    params = {name: value_document(value) for name, value in step.params.items()}
    return {"id": step.id, "kind": step.kind, "on": step.on, "params": params}


def value_document(value: ParameterValue) -> Any:  # noqa: ANN401 - JSON is any value
    """Return a parameter's or moved value as JSON."""
    if isinstance(value, (NoteValue, Milliseconds)):
        return str(value)
    if isinstance(value, tuple):
        return [band_document(band) for band in value]
    return value


def band_document(band: Band) -> Document:
    """Return one band."""
    return {"shape": band.shape, "hz": band.hz, "gain_db": band.gain_db, "q": band.q, "slope_db_oct": band.slope_db_oct, "on": band.on}  # fmt: skip


def target_document(target: Target) -> Document:
    """Return what a move moves."""
    match target:
        case SendTarget():
            return {"send": [target.source, target.target], "param": target.param}
        case ReturnTarget():
            return {"return": target.target, "param": target.param}
        case StepTarget():
            return {"return": target.target, "step": target.step, "param": target.param}


def move_document(move: Move) -> Document:
    """Return one move."""
    return {
        "target": target_document(move.target),
        "sections": [
            {"section": s.section, "value": value_document(s.value), **_lengths(ramp=s.ramp), "ramp_side": s.ramp_side}
            for s in move.sections
        ],
        "points": [{"at": str(p.at), "value": value_document(p.value), "shape": p.shape} for p in move.points],
        "throws": [
            {"at": str(t.at), "length": str(t.length), "value": value_document(t.value), **_lengths(ramp_in=t.ramp_in, ramp_out=t.ramp_out)}
            for t in move.throws
        ],
    }  # fmt: skip


def _lengths(**lengths: TimeValue | None) -> Document:
    return {name: str(length) for name, length in lengths.items() if length is not None}
