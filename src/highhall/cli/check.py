"""`highhall check`: say what is wrong with a plan."""

import argparse
import dataclasses
import json
from pathlib import Path

from highhall.cli.plans import read_plan
from highhall.plan import PlanRefusedError


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    try:
        plan = read_plan(options.plan)
    except PlanRefusedError as error:
        if options.json:
            print(json.dumps([dataclasses.asdict(problem) for problem in error.problems]))
        else:
            print("\n".join(map(str, error.problems)))
        return 1
    print("[]" if options.json else f"{options.plan}: a valid plan of {len(plan.returns)} returns")
    return 0
