"""`highhall findings`: what is likely to be a mistake in a plan, and what mends it."""

import argparse
import json
from pathlib import Path
from typing import Any

from highhall.cli.depths import ids, opened_model, require_other, write_edited
from highhall.errors import CoreError
from highhall.findings import KINDS, SEVERITIES, STRICTNESS, Finding, look, take
from highhall.findings.hearing import heard_of
from highhall.plan import Plan


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--only", type=ids, metavar="KIND,...", help="kinds to look for; else all")
    parser.add_argument("--strictness", choices=STRICTNESS, default="usual", help="from where on something is told")
    parser.add_argument("--take", metavar="ID", help="write the plan with what a finding proposes, to --out")
    parser.add_argument("--out", type=Path, metavar="PLAN2")
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    if (options.take is None) != (options.out is None):
        raise CoreError("--take needs --out, and --out needs --take")
    if options.out:
        require_other(options.out, options.plan)
    wanted = [options.take.split("/")[0]] if options.take else options.only
    is_rendered = any(kind.is_rendered for kind in KINDS.values() if wanted is None or kind.name in wanted)
    with opened_model(options.plan) as (model, stems):
        heard = heard_of(model, stems, rendered=is_rendered)
        if options.take:
            mending = take(heard, options.take)
            write_edited(mending.plan, options.out)
            print(json.dumps({"taken": options.take, "proposal": mending.words}) if options.json else mending.words)
            return 0
        found = look(heard, only=options.only, strictness=options.strictness)
    if options.json:
        print(json.dumps([_row(model.plan, finding) for finding in found]))
    else:
        _print(found, len(options.only or KINDS))
    return 0


def _row(plan: Plan, finding: Finding) -> dict[str, Any]:
    first = finding.places[0] if finding.places else (0.0, plan.song.end_sample / plan.song.sample_rate)
    start, end = (str(plan.song.time.position_at_sample(round(max(s, 0.0) * plan.song.sample_rate))) for s in first)
    return {
        "id": finding.id,
        "kind": finding.kind,
        "severity": finding.severity,
        "source": finding.source or None,
        "return": finding.return_id or None,
        "section": finding.section,
        "from": start,
        "to": end,
        "figure": round(finding.figure, 3),
        "unit": finding.unit,
        "limit": round(finding.limit, 3),
        "sentence": finding.sentence,
        "proposal": finding.proposal or None,
    }


def _print(found: list[Finding], kinds: int) -> None:
    for finding in found:
        print(f"{SEVERITIES[finding.severity]}: {finding.title} ({finding.figures})")
        print(f"  {finding.sentence}")
        print(f"  {finding.proposal or 'no proposal: it has to be mended by hand'}   [{finding.id}]")
    if not found:
        print(f"looked for {kinds} kind{'s' if kinds != 1 else ''}, found nothing")
