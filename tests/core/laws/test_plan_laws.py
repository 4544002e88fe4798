"""Laws of the plan: loss-free, and never anything but a plan or a refusal."""

import json

import jsonschema
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.plan import PlanRefusedError, Problem, document_of, parse_plan, plan_from_document, write_plan
from highhall.plan.format import plan_schema
from tests.core.laws.strategies import damaged, documents
from tests.core.plans import example, make_document

VALIDATOR = jsonschema.Draft202012Validator(plan_schema())


@settings(derandomize=True, max_examples=120, deadline=None)
@given(document=documents())
def test_any_plan_is_read_and_written_without_loss_and_satisfies_the_schema(document: dict) -> None:
    plan = plan_from_document(document)
    assert parse_plan(write_plan(plan)) == plan
    assert document_of(parse_plan(write_plan(plan))) == document_of(plan)
    VALIDATOR.validate(document_of(plan))


@settings(derandomize=True, max_examples=400, deadline=None)
@given(document=st.one_of(damaged(example()), damaged(make_document())))
def test_a_damaged_plan_is_read_or_refused_with_a_sentence_for_each_fault(document: object) -> None:
    problems: tuple[Problem, ...] = ()
    try:
        plan = plan_from_document(document)
    except PlanRefusedError as refusal:
        problems = refusal.problems
        plan = None
    if plan is not None:
        assert plan_from_document(document_of(plan)) == plan
        return
    assert problems
    assert all(problem.text and "\n" not in problem.text for problem in problems)


@settings(derandomize=True, max_examples=200, deadline=None)
@given(text=st.one_of(st.text(max_size=80), st.text(alphabet='{}[]",:0123456789.e-', max_size=60)))
def test_any_text_is_a_plan_or_refused(text: str) -> None:
    try:
        json.loads(text)
        parse_plan(text)
    except (PlanRefusedError, ValueError, RecursionError):
        return
    raise AssertionError(f"this is no plan: {text!r}")
