"""The plan format: reading with every check, writing, and the JSON Schema; see `docs/plan-format.md`."""

import json
from typing import Any

from highhall.plan.design import Plan
from highhall.plan.json.codecs import DEFINITIONS, Schema, exactly
from highhall.plan.json.reader import Node, load_json
from highhall.plan.json.records import Record
from highhall.plan.problems import PlanRefusedError, Problem
from highhall.plan.references import reference_problems

Document = dict[str, Any]

FORMAT = "high-hall-plan"
VERSION = 1
_PLAN = Record(
    Plan,
    header={
        "format": (exactly(FORMAT, f'"{FORMAT}"'), FORMAT),
        "version": (exactly(VERSION, f"version {VERSION}"), VERSION),
    },
)


def parse_plan(text: str) -> Plan:
    """Read a plan from JSON text.

    Raises
    ------
    PlanRefusedError
        With every fault that was found, each with its path.
    """
    return plan_from_document(load_json(text))


def plan_from_document(document: Any) -> Plan:  # noqa: ANN401 - JSON is any value
    """Read a plan from a parsed JSON document; see `parse_plan`."""
    version = document.get("version") if isinstance(document, dict) else None
    if isinstance(version, int) and version > VERSION:
        newer = f"plan version {version} is newer than {VERSION}, the newest this program reads"
        raise PlanRefusedError([Problem("version", newer)])
    problems: list[Problem] = []
    plan = _PLAN.read(Node(document, "", problems))
    if not problems:
        problems = reference_problems(plan)
    if problems:
        raise PlanRefusedError(problems)
    return plan


def document_of(plan: Plan) -> Document:
    """Return the plan as a JSON document. Reading it gives an equal plan."""
    document: Document = _PLAN.write(plan)
    return document


def write_plan(plan: Plan) -> str:
    """Return the plan as indented JSON text."""
    return json.dumps(document_of(plan), ensure_ascii=False, indent=2, allow_nan=False) + "\n"


def plan_schema() -> Schema:
    """Return the JSON Schema of a plan (draft 2020-12).

    It says what one value may be; what holds between values (ids, loops, tempo) only `parse_plan` checks.
    """
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "High Hall plan",
        **_PLAN.schema,
        "$defs": DEFINITIONS,
    }
