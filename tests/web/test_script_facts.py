"""What scripts are told: the page has it, and the tests of scripts run on the same."""

import json
from pathlib import Path

import pytest
from django.urls import reverse

from hallweb.screens.common.script_facts import script_facts

FACTS = Path(__file__).parents[1] / "scripts" / "facts.json"


def test_the_tests_of_scripts_have_the_facts_of_pages() -> None:
    assert json.loads(FACTS.read_text()) == script_facts(), "write them anew: python -m tests.web.test_script_facts"


def test_a_page_tells_them(signed_in, song) -> None:
    page = signed_in.get(reverse("sends:show", args=[song.pk])).content.decode()
    told = page.partition('<script id="facts" type="application/json">')[2].partition("</script>")[0]
    assert json.loads(told) == script_facts()


def test_the_pan_law_keeps_the_power() -> None:
    left = script_facts()["pan"]
    assert (left[0], left[200]) == (pytest.approx(1), pytest.approx(0))
    assert [a * a + b * b for a, b in zip(left, reversed(left), strict=True)] == pytest.approx([1] * 201)


if __name__ == "__main__":
    FACTS.write_text(json.dumps(script_facts(), indent=1) + "\n")
