"""Findings: hits and false alarms of every kind on planted songs, and how long looking takes.

Usage: bin/bench findings [--planted 20] [--write] | --speed

Every kind is planted into so many songs at random tempos, sources and strengths, from just over its limit to gross; the same songs
without it are looked at too. With --write the table goes into docs/findings.md. With --speed it is timed how long all of it takes for
a song of 4 minutes with 24 stems and 8 returns: the first time, its stems known already as in the application, and after an edit of a send.
"""

import argparse
import re
import time
from pathlib import Path

import numpy as np
from bench.common import song_plan
from bench.edit import CHAINS, SENDS, TRACKS, make_stems
from tests.core.planted import PLANTS, heard, model_of, planted

from highhall.findings import KINDS, look
from highhall.findings.hearing import heard_of
from highhall.measure.lanes import peaks_of
from highhall.plan.edits import set_send

DOCS = Path(__file__).parent.parent / "docs" / "findings.md"


def hits(kind: str, count: int) -> tuple[int, int, int]:
    """Return in how many planted songs a kind is found, in how many clean ones, and how many of those found have a proposal."""
    found = alarms = mended = 0
    for seed in range(count):
        clean, faulty = planted(kind, 1000 * list(KINDS).index(kind) + seed)
        rendered = KINDS[kind].is_rendered
        seen = look(heard(faulty.document, faulty.stems, rendered=rendered), only=[kind])
        found += bool(seen)
        mended += any(finding.proposal for finding in seen)
        alarms += bool(look(heard(clean.document, clean.stems, rendered=rendered), only=[kind]))
    return found, alarms, mended


def speed() -> None:
    plan = song_plan(minutes=4, tracks=TRACKS, chains=CHAINS, sends=SENDS)
    stems = make_stems(plan)
    start = time.perf_counter()
    there = heard_of(model_of(plan, stems), stems, rendered=False)
    print(f"  stems listened to, once and for all      {time.perf_counter() - start:6.1f} s")
    predicted = [kind.name for kind in KINDS.values() if not kind.is_rendered]
    edited = there.edited(set_send(plan, "t3", "r2", level_db=-15.0))
    for name, song in (("looked at for the first time", there), ("looked at again after an edit of a send", edited)):
        start = time.perf_counter()
        found = look(song, only=predicted, strictness="strict")
        print(f"  {name:40} {time.perf_counter() - start:6.1f} s, {len(found)} findings near or over their limits")
    start = time.perf_counter()
    peaks_of(plan, stems)
    print(f"  rendered for its peaks                   {time.perf_counter() - start:6.1f} s")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--planted", type=int, default=20, metavar="N")
    parser.add_argument("--only", metavar="KIND")
    parser.add_argument("--write", action="store_true")
    parser.add_argument("--speed", action="store_true")
    options = parser.parse_args()
    if options.speed:
        speed()
        return
    rows = []
    for kind in PLANTS:
        if options.only in (None, kind):
            start = time.perf_counter()
            found, alarms, mended = hits(kind, options.planted)
            rows.append(f"| {kind} | {found} of {options.planted} | {alarms} of {options.planted} | {mended} |")
            print(f"{rows[-1]}   {time.perf_counter() - start:.0f} s", flush=True)
    if options.write:
        table = "\n".join(["| kind | planted, found | clean, found | with a proposal |", "|---|---|---|---|", *rows])
        text = DOCS.read_text(encoding="utf-8")
        DOCS.write_text(
            re.sub(r"(?s)(<!-- planted -->\n).*?(\n<!-- /planted -->)", rf"\1{table}\2", text), encoding="utf-8"
        )


if __name__ == "__main__":
    np.seterr(all="ignore")
    main()
