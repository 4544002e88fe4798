"""`highhall measure`: what a plan sounds like in figures."""

import argparse
import json
from collections.abc import Mapping
from itertools import groupby
from pathlib import Path
from typing import Any

from highhall.cli.depths import opened_model
from highhall.depth import DepthModel
from highhall.depth.sources import sections_of
from highhall.depth.spills import LOWEST_DB, spills_of
from highhall.findings.hearing import in_song
from highhall.measure import StemAnalysis, analysis_of
from highhall.measure.lanes import lanes_of
from highhall.measure.pictures import picture_of
from highhall.plan import Plan, Track
from highhall.render import Stems
from highhall.wording import figure


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    with opened_model(options.plan) as (model, stems):
        lanes = lanes_of(model.plan, stems)
        found = {
            "loudness": _loudness(model.plan, lanes),
            "decay": _decays(model.plan, stems),
            "spill": [row for track in model.plan.tracks for row in _spills(model, stems, track)],
        }
    if options.json:
        print(json.dumps(found))
    else:
        _print(model.plan, found)
    return 0


def _loudness(plan: Plan, lanes: Mapping[str, StemAnalysis]) -> list[dict[str, Any]]:
    time = plan.song.time
    spans = (
        {s.id: (time.seconds_at(s.start), time.seconds_at(s.end)) for s in sections_of(plan)}
        if plan.song.sections
        else {}
    )
    rows = []
    for part, analysis in lanes.items():
        for section, span in [*spans.items(), (None, (0.0, analysis.seconds))]:
            lufs = analysis.loudness_lufs(*span)
            rows.append({"part": part, "section": section, "lufs": None if lufs is None else round(lufs, 2)})
    return rows


def _decays(plan: Plan, stems: Stems) -> list[dict[str, Any]]:
    found = []
    for return_ in plan.returns:
        picture = picture_of(return_, plan.song, stems.responses)
        octaves = picture.decays if picture else ()
        seconds = {f"{d.centre_hz:g}": None if d.t30_s is None else round(d.t30_s, 3) for d in octaves}
        found.append({"return": return_.id, "t30_s": seconds})
    return found


def _spills(model: DepthModel, stems: Stems, track: Track) -> list[dict[str, Any]]:
    song = model.plan.song
    phrases = in_song(track, analysis_of(stems.samples(track), song.sample_rate).phrases())

    def place(seconds: float) -> str:
        return str(song.time.position_at_sample(round(max(seconds, 0.0) * song.sample_rate)))

    return [
        {
            "source": spill.source, "return": spill.return_id, "phrase_end": place(spill.end_s),
            "next_phrase": place(spill.next_s), "spill_db": round(spill.level_db, 1),
        }
        for spill in spills_of(model, track.id, phrases)
    ]  # fmt: skip


def _print(plan: Plan, found: Mapping[str, list[dict[str, Any]]]) -> None:
    names = plan.names
    sections = {section.id: section.name for section in plan.song.sections}
    print("Loudness")
    for part, rows in groupby(found["loudness"], key=lambda row: row["part"]):
        levels = (f"{sections.get(r['section'], 'whole song')} {_level(r['lufs'])}" for r in rows)
        print(f"  {names.get(part, part)}: {', '.join(levels)}")
    print("Decay to -60 dB by octave")
    for row in found["decay"]:
        times = (f"{hz} Hz {'-' if t is None else figure(t, 2)} s" for hz, t in row["t30_s"].items())
        print(f"  {names[row['return']]}: {', '.join(times) or 'silent'}")
    print("What is left of a phrase when the next one begins, against that one")
    for row in found["spill"]:
        if row["spill_db"] > LOWEST_DB:
            where = f"{row['phrase_end']} to {row['next_phrase']}"
            print(f"  {names[row['source']]} in {names[row['return']]}, {where}: {figure(row['spill_db'])} dB")


def _level(lufs: float | None) -> str:
    return "silent" if lufs is None else f"{figure(lufs)} LUFS"
