"""`highhall place`: sources put where they are wanted, by the levels of their sends."""

import argparse
import dataclasses
import json
from pathlib import Path

from highhall.cli.depths import ids, metres, opened_model, require_other, require_section, write_edited
from highhall.depth.confirming import place_heard
from highhall.depth.drift import alike_sections
from highhall.depth.placing import Placed, Proposal
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.wording import figure


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--source", type=ids, required=True, metavar="ID[,ID]", help="tracks or groups")
    parser.add_argument("--distance", type=metres, required=True, metavar="M")
    where = parser.add_mutually_exclusive_group()
    where.add_argument("--section", metavar="ID", help="in one section; else in the whole song")
    where.add_argument("--alike", metavar="ID", help="in all sections that are called like this one")
    parser.add_argument(
        "--free", type=ids, metavar="RETURN,...", help="the returns whose sends may change; else all spaces"
    )
    parser.add_argument("--keep-loudness", action="store_true", help="let the fader make up for what the space adds")
    parser.add_argument("--out", type=Path, required=True, metavar="PLAN2")
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    require_other(options.out, options.plan)
    with opened_model(options.plan) as (model, stems):
        returns = {return_.id for return_ in model.plan.returns}
        for return_id in options.free or ():
            if return_id not in returns:
                raise CoreError(f'there is no return "{return_id}"; there are {", ".join(sorted(returns))}')
        wishes = {
            (source, section): options.distance
            for source in options.source
            for section in _sections(model.plan, options)
        }
        proposal, _ = place_heard(model, stems, wishes, free=options.free, keeps_loudness=options.keep_loudness)
    write_edited(proposal.plan, options.out)
    if options.json:
        placed, changes = ([dataclasses.asdict(each) for each in of] for of in (proposal.placed, proposal.changes))
        print(json.dumps({"placed": placed, "changes": changes}))
    else:
        _print_words(model.plan, proposal)
    return 0


def _sections(plan: Plan, options: argparse.Namespace) -> list[str | None]:
    chosen = options.section or options.alike
    if chosen is None:
        return [None]
    require_section(plan, chosen)
    return [*alike_sections(plan, chosen)] if options.alike else [chosen]


def _print_words(plan: Plan, proposal: Proposal) -> None:
    for placed in proposal.placed:
        print(f"{plan.names[placed.source]}{_where(plan, placed.section)}: {_words(placed)}")
    for change in proposal.changes:
        before, after = (
            "silence" if level is None else f"{figure(level)} dB" for level in (change.before_db, change.after_db)
        )
        pair = f"{plan.names[change.source]} to {plan.names[change.target]}"
        print(f"  {pair}{_where(plan, change.section)}: {before} to {after}")


def _where(plan: Plan, section: str | None) -> str:
    return "" if section is None else f" in {plan.song.section(section).name}"


def _words(placed: Placed) -> str:
    words = (
        f"{figure(placed.distance_m)} m" if not placed.reason else f"{placed.reason}; wanted at {placed.wanted_m:g} m"
    )
    return f"{words}, fader {placed.trim_db:+.1f} dB" if placed.trim_db else words
