"""Impulse responses of returns: what comes out of a chain for a hit, from the hit on."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from highhall.curves import EffectCurves
from highhall.effects import Chain, Response, Signal
from highhall.effects.impulse import LONGEST_S, lead_frames, pink_power
from highhall.interchange.audio_files import written_whole
from highhall.interchange.broadcast_wave import NO_TAGS, BroadcastWave
from highhall.interchange.sound_writer import DEPTHS, encoded
from highhall.plan import Effect, EffectTarget, Plan, Return
from highhall.plan.edits import id_from_name

_HELD: Mapping[str, Mapping[str, float]] = {
    "reverb": {"mod_depth": 0.0},
    "echo": {"wow_depth_ms": 0.0},
    "doubler": {"left_cents": 0.0, "right_cents": 0.0},
    "chorus": {"depth": 0.0},
    "flanger": {"depth": 0.0},
    "autopan": {"depth": 0.0},
}
"""What stands still in a response, by kind of effect."""

_HIT = np.float32(1e-3)
_DOWN = 10 ** (-100 / 20)
_CROSSED = 1e-6


@dataclass(frozen=True, slots=True, kw_only=True)
class SavedResponse:
    """What became of a return: where its response is, or why there is none.

    path: None without a response. note: why there is none, or what was held still. level_db, pre_delay_ms: what an impulse effect, which
    keeps the direct sound, starts at the first sound and has unit power, needs beside the file to sound as the return did.
    """

    return_id: str
    path: Path | None
    note: str = ""
    channels: int = 0
    seconds: float = 0.0
    level_db: float = 0.0
    pre_delay_ms: float = 0.0


def save_responses(plan: Plan, folder: Path, responses: Mapping[str, Response]) -> list[SavedResponse]:
    """Write the response of every return that has one, 32 bit WAV at the song's rate; say of the others why they have none.

    In stereo, left and right each for its own; four channels where a side sends across: left to left, left to right, right to left, right to
    right. Level as fed: a hit of 1 at the first sample. The tempo is that of the song's start.
    """
    taken: set[str] = set()
    found = []
    for return_ in plan.returns:
        name = id_from_name(return_.name, taken)
        taken.add(name)
        found.append(_saved(plan, return_, folder / f"{name}.wav", responses))
    return found


def _saved(plan: Plan, return_: Return, path: Path, responses: Mapping[str, Response]) -> SavedResponse:
    why = next(_reasons(plan, return_), "")
    response = None if why else response_of(plan, return_, responses)
    if response is None:
        return SavedResponse(return_id=return_.id, path=None, note=why or "nothing comes out of it")
    rate = plan.song.sample_rate
    with written_whole(path) as temporary, temporary.open("wb") as file:
        wave = BroadcastWave(
            file, NO_TAGS, sample_rate=rate, channels=response.shape[0], sample_format=3, bits=DEPTHS["32f"]
        )
        wave.write(encoded(response, DEPTHS["32f"]))
        wave.close()
    start = lead_frames(response)
    power = pink_power(response[:, start:].astype(np.float64), rate) / 2
    held = [effect.id for effect in return_.chain if effect.on and _held(effect) is not effect]
    return SavedResponse(
        return_id=return_.id,
        path=path,
        note=f"held still: {', '.join(held)}" if held else "",
        channels=response.shape[0],
        seconds=response.shape[1] / rate,
        level_db=round(10 * float(np.log10(power)), 4),
        pre_delay_ms=round(1000 * start / rate, 4),
    )


def _reasons(plan: Plan, return_: Return) -> Iterator[str]:
    """Yield why a return has no response."""
    for effect in return_.chain:
        if effect.on and not effect.is_linear:
            yield f"{effect.table.label} is not linear"
    for move in plan.moves:
        if isinstance(move.target, EffectTarget) and move.target.target == return_.id:
            yield f"{move.target.param} of {move.target.effect} moves in the song"


def response_of(plan: Plan, return_: Return, responses: Mapping[str, Response]) -> Signal | None:
    """Return a chain's response with its modulation held still, (2 or 4, frames); None if nothing comes out."""
    song = replace(plan.song, tempos=(replace(plan.song.tempos[0], ramp=False),))
    effects = [EffectCurves(_held(effect), song) for effect in return_.chain]
    if Chain(effects, responses).is_silent:
        return None
    sides = []
    for side in (0, 1):
        chain = Chain(effects, responses)
        frames = int(min(chain.memory_s + chain.longest_gap_s + 0.1, LONGEST_S) * song.sample_rate)
        hit = np.zeros((2, frames), np.float32)
        hit[side, 0] = _HIT
        sides.append(chain.process(hit, 0) / _HIT)
    (left, across), (back, right) = sides
    whole = np.stack([left, across, back, right]).astype(np.float32)
    loud = np.flatnonzero(np.abs(whole).max(axis=0) > _DOWN * np.abs(whole).max())
    if not loud.size:
        return None
    whole = whole[:, : int(loud[-1]) + 1]
    is_crossed = np.abs(whole[1:3]).max() > _CROSSED * np.abs(whole).max()
    return whole if is_crossed else whole[[0, 3]]


def _held(effect: Effect) -> Effect:
    still = {name: value for name, value in _HELD.get(effect.kind, {}).items() if effect.value(name) != value}
    return replace(effect, params={**effect.params, **still}) if still else effect
