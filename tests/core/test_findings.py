"""Findings: planted faults are found, clean songs have none, and what is proposed mends what was found."""

import dataclasses
import json
from pathlib import Path

import numpy as np
import pytest

from highhall.errors import CoreError
from highhall.findings import FAULT, KINDS, NOTE, Evidence, Finding, Heard, look, take
from highhall.findings.bands import between, curve, share_db
from highhall.findings.kinds.dry_leaks import correlation
from highhall.findings.kinds.mono_loss import losses_db
from highhall.findings.reference import with_table
from highhall.measure.lanes import peaks_of
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.plan.edits import set_return, set_send
from tests.core.planted import PLANTS, Base, base, heard, planted
from tests.core.signals import RATE

SHAPES = {"metres", "levels", "spectrum", "thirds", "grid", "tail", "slope", "flow"}


DRAWN = {name for name, kind in KINDS.items() if kind.evidence}


def off_limit(evidence: Evidence, finding: Finding) -> float:
    """Return how far the figure that a picture shows lies past the limit that it shows, as it was found."""
    shown = finding.evidence.figures
    limit = shown.get("limit", shown.get("note", 0.0))
    direction = 1.0 if shown["here"] >= limit else -1.0
    return direction * (evidence.figures["here"] - limit)


def heard_song(song: Base, kind: str = "") -> Heard:
    return heard(song.document, song.stems, rendered=bool(kind) and KINDS[kind].is_rendered)


@pytest.fixture(scope="module")
def clean() -> Heard:
    song = base(np.random.default_rng(3))
    return heard(song.document, song.stems, rendered=True)


def test_a_song_with_nothing_wrong_has_no_finding(clean) -> None:
    assert look(clean) == []


@pytest.mark.parametrize("kind", PLANTS)
def test_a_planted_fault_is_found_and_what_is_proposed_mends_it(kind: str) -> None:
    _, faulty = planted(kind, 100 * list(KINDS).index(kind) + 7)
    there = heard_song(faulty, kind)
    found = look(there, only=[kind])
    assert found
    (first, *_) = found
    assert first.kind == kind
    assert first.evidence.shape in SHAPES
    assert first.sentence.endswith(".")
    assert first.proposal
    assert NOTE <= first.severity <= FAULT
    assert first.is_worse_than(first.figure) is False
    json.dumps(dataclasses.asdict(first))
    if kind in DRAWN:
        assert first.proposed is not None
        assert first.proposed.lines.keys() <= first.evidence.lines.keys()
        assert off_limit(first.proposed, first) < off_limit(first.evidence, first)
    mending = take(there, first.id)
    assert mending.words == first.proposal
    mended = there.edited(mending.plan)
    if KINDS[kind].is_rendered:
        mended = dataclasses.replace(mended, peaks=peaks_of(mending.plan, faulty.stems))
    before = {each.id: each.severity for each in look(there)}
    after = {each.id: each.severity for each in look(mended)}
    assert first.id not in after
    assert [
        key for key, severity in after.items() if severity > before.get(key, 0) and severity >= first.severity
    ] == []


def test_findings_come_the_most_severe_first_and_strictness_decides_how_many() -> None:
    song = base(np.random.default_rng(3))
    for plant in ("too-wet", "echo-off-grid", "unfed-return"):
        song = PLANTS[plant](song, 0.6, np.random.default_rng(1))
    there = heard(song.document, song.stems)
    usual = look(there)
    assert [each.severity for each in usual] == sorted((each.severity for each in usual), reverse=True)
    lenient, strict = (look(there, strictness=name) for name in ("lenient", "strict"))
    ids = [{each.id for each in found} for found in (lenient, usual, strict)]
    assert ids[0] < ids[1] <= ids[2]
    assert all(each.excess >= 1 for each in lenient)


def test_what_is_not_there_is_refused_in_a_sentence(clean) -> None:
    with pytest.raises(CoreError, match='there is no kind of finding "loud"; there are clips, '):
        look(clean, only=["loud"])
    with pytest.raises(CoreError, match='there is no strictness "very"; there are lenient, usual, strict'):
        look(clean, strictness="very")
    with pytest.raises(CoreError, match='there is no finding "too-wet///verse" in this plan; look again'):
        take(clean, "too-wet///verse")
    with pytest.raises(CoreError, match='there is no finding "nonsense"'):
        take(clean, "nonsense")


def test_looking_gives_way_before_every_kind(clean) -> None:
    calls = []
    look(clean, give_way=lambda: calls.append(1))
    assert len(calls) == len(KINDS) == 21
    calls.clear()
    found = look(clean.edited(set_return(clean.plan, "hall", width=2.0)), give_way=lambda: calls.append(1))
    assert len(calls) == len(KINDS) + len(found)


def test_what_was_not_rendered_is_not_looked_at_for_what_needs_rendering(clean) -> None:
    song = PLANTS["clips"](base(np.random.default_rng(3)), 1.0, np.random.default_rng(1))
    assert look(heard(song.document, song.stems), only=["clips"]) == []
    assert look(heard(song.document, song.stems, rendered=True), only=["clips"])


def finding(**fields: object) -> Finding:
    plain: dict[str, object] = dict.fromkeys(("kind", "title", "sentence", "unit"), "")
    return Finding(
        **{
            **plain,
            "figure": 0.0,
            "limit": 0.0,
            "excess": 0.0,
            "severity": 1,
            "evidence": Evidence(shape="flow"),
            **fields,
        }
    )  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("unit", "limit", "now", "before", "is_worse"),
    [
        ("dB", -20.0, -14.0, -16.5, True),
        ("dB", -20.0, -15.0, -16.5, False),
        ("dB", -4.0, -8.0, -5.5, True),
        ("dB", -4.0, -5.0, -8.0, False),
        ("s", 2.0, 3.1, 2.5, True),
        ("s", 2.0, 2.9, 2.5, False),
    ],
)
def test_worse_is_2_db_or_a_fifth(unit: str, limit: float, now: float, before: float, is_worse: bool) -> None:
    assert finding(unit=unit, limit=limit, figure=now).is_worse_than(before) is is_worse


def test_a_finding_is_called_by_its_kind_and_where_it_is() -> None:
    assert finding(kind="clips").id == "clips"
    assert finding(kind="tail-spills", source="voice", return_id="hall").id == "tail-spills/voice/hall"
    assert finding(kind="too-wet", section="verse").id == "too-wet///verse"


def test_the_docs_have_every_kind_as_its_module_describes_it() -> None:
    page = (Path(__file__).parents[2] / "docs" / "findings.md").read_text()
    assert with_table(page) == page, "run bin/docs"
    assert page.count("\n| `") == len(KINDS)


# rules against closed forms


def test_shares_are_in_db_over_all_else_that_is_heard() -> None:
    powers = np.zeros(len(CENTRES_HZ))
    powers[10], powers[20] = 2.0, 1.0  # 250 Hz and 2.5 kHz
    assert share_db(powers, between(160, 400)) == pytest.approx(10 * np.log10(2))
    assert share_db(powers, between(2000, 5000)) == pytest.approx(-10 * np.log10(2))
    assert share_db(np.zeros(len(CENTRES_HZ)), between(160, 400)) == -np.inf
    levels = dict(curve(powers, between(160, 400)))
    assert levels[CENTRES_HZ[10]] == pytest.approx(share_db(powers, between(160, 400)), abs=0.01)
    assert levels[CENTRES_HZ[20]] == pytest.approx(0.0, abs=0.01)


def test_a_mono_sum_gains_3_db_from_one_side_for_both_none_from_strangers_and_all_is_lost_from_opposites() -> None:
    middle, side = np.array([1.0, 1.0, 0.0, 1e-6]), np.array([0.0, 1.0, 1.0, 0.0])
    lost = losses_db(np.stack([middle, side]))
    assert lost[:2] == pytest.approx([10 * np.log10(2), 0.0])
    assert lost[2] < -100
    assert np.isnan(lost[3])  # 60 dB under the others


def test_correlation_at_no_delay_is_1_for_a_wire_0_for_what_comes_later_and_half_power_in_between() -> None:
    wire, late = np.zeros((2, RATE), np.float32), np.zeros((2, RATE), np.float32)
    wire[:, 0], late[:, RATE // 3] = 1, 1
    assert correlation(wire, RATE) == pytest.approx(1)
    assert abs(correlation(late, RATE)) < 0.02
    assert correlation(wire + late, RATE) == pytest.approx(0.5**0.5, abs=0.02)


def test_a_return_is_as_wide_as_it_is_set_before_its_mono_sum_is_looked_at(clean) -> None:
    wide = clean.edited(set_return(clean.plan, "hall", width=2.0))
    (found,) = look(wide, only=["mono-loss"])
    middle_over_side = 1 / 4  # a diffuse space with its side doubled
    # of all thirds it is the one that loses most, and low ones have few modes
    assert found.figure == pytest.approx(10 * np.log10(2 * middle_over_side / (1 + middle_over_side)), abs=2.5)


def test_slaps_and_doublings_in_milliseconds_are_no_misses(clean) -> None:
    plan = clean.plan
    for left, feedback, is_miss in (("120ms", 0.0, False), ("50ms", 0.4, False)):
        chain = [{"kind": "echo", "params": {"left": left, "right": left, "feedback": feedback}}]
        song = base(np.random.default_rng(3))
        song.document["returns"][2]["chain"] = chain
        assert bool(look(heard(song.document, song.stems), only=["echo-off-grid"])) is is_miss
    assert plan == clean.plan


def test_a_lead_with_a_target_at_the_back_is_not_pushed_back(clean) -> None:
    song = PLANTS["front-pushed-back"](base(np.random.default_rng(3)), 0.5, np.random.default_rng(1))
    assert look(heard(song.document, song.stems), only=["front-pushed-back"])
    song.document["depth"] = {"targets": [{"source": "voice", "distance_m": 6.0}]}
    assert look(heard(song.document, song.stems), only=["front-pushed-back"]) == []


def test_a_ramp_makes_a_jump_no_finding_and_a_silent_edge_neither(clean) -> None:
    song = PLANTS["sudden-depth"](base(np.random.default_rng(3)), 0.5, np.random.default_rng(1))
    assert look(heard(song.document, song.stems), only=["sudden-depth"])
    song.document["moves"][0]["sections"][0]["ramp"] = "1/4"
    assert look(heard(song.document, song.stems), only=["sudden-depth"]) == []


def test_an_edit_elsewhere_leaves_a_finding_what_it_was(clean) -> None:
    wide = clean.edited(set_return(clean.plan, "hall", width=2.0))
    (found,) = look(wide, only=["mono-loss"])
    other = wide.edited(set_send(wide.plan, "drum", "room", level_db=-20.0))
    assert look(other, only=["mono-loss"]) == [found]
