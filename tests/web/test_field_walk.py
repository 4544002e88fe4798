"""A walk over the table of kinds: every value has a field on the Returns screen that shows it and sets it."""

from typing import Any

import pytest
from django.urls import reverse

from hallweb.songs.actions import edit_plan
from highhall.plan.edits import effect_of_kind, set_return
from tests.core.test_table_walk import ALIVE, ROWS, Row, two_values
from tests.web.factories import stored_plan


def path_of(row: Row) -> str:
    name = row.parameter.name
    return f"filter/it/0/{name}" if row.is_filter else f"effect/it/{name}"


def value_in(plan: Any, row: Row) -> Any:
    effect = plan.return_("hall").effect("it")
    return getattr(effect.filters[0], row.parameter.name) if row.is_filter else effect.value(row.parameter.name)


SET_BY_FIELD = [
    row
    for row in ROWS
    if row.parameter is not row.kind.filters  # its filters have fields of their own
    and not (
        row.is_filter and row.parameter.name in ("shape", "on")
    )  # chosen when it is added; switched by removing it
]


@pytest.mark.parametrize("row", SET_BY_FIELD, ids=[f"{row.kind.name}-{row.parameter.name}" for row in SET_BY_FIELD])
def test_it_has_a_field_that_shows_and_sets_it(signed_in, song, row: Row) -> None:
    params = dict(ALIVE.get(row.kind.name, {}))
    if row.parameter.name == "slope_db_oct":
        params = {"bands": [{"shape": "low_cut", "hz": 300}]}
    if row.kind.response:
        params["ir"] = "responses/stairwell.flac"
    chain = (effect_of_kind("offset", "offset", {}), effect_of_kind(row.kind.name, "it", params))
    edit_plan(song.pk, 1, "Fill", lambda plan: set_return(plan, "hall", chain=chain))
    page = signed_in.get(reverse("returns:show", args=[song.pk]), {"open": "hall"}).content.decode()
    label = row.parameter.label + (
        f", {row.parameter.symbol}" if row.parameter.symbol and not row.parameter.is_chosen else ""
    )
    field = page.partition(f'id="field-hall-{path_of(row).replace("/", "").replace("_", "_")}"')[2].partition(
        "</label>"
    )[0]
    assert f'aria-label="{label}"' in field, "it has no field"

    before = value_in(stored_plan(song), row)
    typed = next(
        t
        for t in (row.parameter.figure(as_plan(row, v)) for v in two_values(row.parameter))
        if row.parameter.read(t) != before
    )
    if row.kind.response and row.parameter is row.kind.response:
        typed = next(path for path in responses(page) if path != before)
    answer = signed_in.post(
        reverse("returns:set-return", args=[song.pk, "hall"]),
        {"revision": 2, "path": path_of(row), "value": typed},
        headers={"HX-Request": "true"},
    )
    assert answer.status_code == 200, answer.content.decode()
    assert value_in(stored_plan(song), row) == row.parameter.read(typed)


def as_plan(row: Row, value: Any) -> Any:
    """Return a value of a document as the plan holds it."""
    if row.is_filter:
        return value
    return effect_of_kind(row.kind.name, "it", {**ALIVE.get(row.kind.name, {}), row.parameter.name: value}).value(
        row.parameter.name
    )


def responses(page: str) -> list[str]:
    field = page.partition('id="field-hall-effectitir"')[2].partition("</select>")[0]
    return [part.partition('"')[0] for part in field.split('<option value="')[1:]]
