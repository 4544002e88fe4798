"""The Findings screen over HTTP: what was found, taking it, setting it aside, marks on other screens."""

import dataclasses
import html

import pytest
from django.core.cache import cache
from django.urls import reverse

from hallweb.audition.findings import Looked, looked_at, newest_look
from hallweb.screens.findings.context import marks_of, told
from hallweb.screens.findings.drawing import LARGE, SMALL
from hallweb.screens.findings.pictures import drawn
from hallweb.songs.actions import edit_plan
from hallweb.songs.models import SetAside
from highhall.findings import KINDS, Evidence, Finding
from highhall.plan.edits import add_return, effect_of_kind, set_return, set_send
from tests.web.factories import shown, stored_plan

pytestmark = pytest.mark.django_db

IDLE = "unfed-return//idle"


@pytest.fixture
def faulty(song):
    """The song with a return that nothing feeds."""

    def idle(plan):
        return add_return(plan, "Idle", (effect_of_kind("reverb", "space", {"space": "room", "decay_s": 0.5}),))[0]

    edit_plan(song.pk, 1, "Idle", idle)
    song.refresh_from_db()
    return song


def look(song) -> Looked:
    """Look until all is known; here each look is done at once, and told the next time."""
    for _ in range(4):
        found = looked_at(song.head)
    assert found is not None
    return found


def page(client, song, **said) -> str:
    return html.unescape(shown(client.get(reverse("findings:show", args=[song.pk]), said)))


def post(client, song, name: str, **said):
    song.refresh_from_db()
    address = reverse(f"findings:{name}", args=[song.pk])
    return client.post(
        address, {"revision": song.head.number, "view": "findings", **said}, headers={"HX-Request": "true"}
    )


def test_until_the_song_was_listened_to_the_page_says_so_and_asks_again(signed_in, faulty) -> None:
    first = page(signed_in, faulty)
    assert "The song is being listened to" in first
    assert "data-findings-wait" in first
    second = page(signed_in, faulty)
    assert "Idle is fed by nothing" in second
    assert "peaks are being rendered" in second
    page(signed_in, faulty)
    last = page(signed_in, faulty)
    assert "data-findings-wait" not in last
    assert "Looked at after Idle, revision 2, in " in last


def test_a_finding_is_a_row_with_its_number_figure_place_and_proposal_and_opens_to_its_evidence(
    signed_in, faulty
) -> None:
    look(faulty)
    rows = page(signed_in, faulty)
    assert 'data-open-finding="unfed-return//idle"' in rows
    assert "Fed by nothing; 0 sends" in rows
    assert "Idle goes" in rows
    assert "take-it" not in rows
    band = page(signed_in, faulty, open=IDLE)
    assert "Nothing is sent into it: it makes no sound" in band
    assert 'data-compare-with="proposal:' in band
    assert "predicted from stems and chains" in band
    for part in ("take-it", "hear-it", "go-there", "set-aside"):
        assert f'id="{part}"' in band


def test_what_is_proposed_is_taken_as_one_edit_and_undo_brings_the_finding_back(signed_in, faulty) -> None:
    look(faulty)
    answer = post(signed_in, faulty, "take", finding=IDLE)
    assert answer.status_code == 200
    assert "Taken: <b>Idle goes</b>." in shown(answer)
    faulty.refresh_from_db()
    assert (faulty.head.number, faulty.head.label) == (3, "Mended: Idle is fed by nothing")
    assert [r.id for r in stored_plan(faulty).returns] == ["plate", "hall"]
    assert IDLE not in {finding.id for finding in look(faulty).findings}
    undone = signed_in.post(
        reverse("history:undo", args=[faulty.pk]), {"revision": 3, "view": "findings"}, headers={"HX-Request": "true"}
    )
    assert undone.status_code == 200
    assert "Findings" in shown(undone)
    faulty.refresh_from_db()
    assert IDLE in {finding.id for finding in look(faulty).findings}


def test_several_are_taken_as_one_edit_and_what_is_gone_by_then_is_left_out(signed_in, faulty) -> None:
    edit_plan(faulty.pk, 2, "Wide", lambda plan: set_return(plan, "hall", width=2.0))
    faulty.refresh_from_db()
    ids = [
        finding.id
        for finding in look(faulty).findings
        if finding.proposal and finding.kind in ("unfed-return", "mono-loss")
    ]
    assert len(ids) >= 2
    assert post(signed_in, faulty, "take", finding=[*ids, "too-wet///nowhere"]).status_code == 200
    faulty.refresh_from_db()
    assert faulty.head.label == f"Mended: {len(ids) + 1} findings"
    assert faulty.head.number == 4
    left = {finding.id for finding in look(faulty).findings if finding.excess >= 0}
    assert not left & set(ids)
    refused = post(signed_in, faulty, "take", finding="unfed-return//idle")
    assert refused.status_code == 422
    assert "There is no finding" in html.unescape(shown(refused))


def test_set_aside_it_is_quiet_through_reloads_and_other_edits_and_can_be_brought_back(signed_in, faulty) -> None:
    look(faulty)
    answer = html.unescape(shown(post(signed_in, faulty, "set-aside", finding=IDLE, reason="not now")))
    assert "1 set aside" in answer
    assert 'data-open-finding="unfed-return//idle"' not in answer
    edit_plan(faulty.pk, 2, "Else", lambda plan: set_send(plan, "drum", "plate", level_db=-30.0))
    faulty.refresh_from_db()
    look(faulty)
    assert 'data-open-finding="unfed-return//idle"' not in page(signed_in, faulty)
    back = html.unescape(shown(post(signed_in, faulty, "bring-back", finding=IDLE)))
    assert 'data-open-finding="unfed-return//idle"' in back
    assert not SetAside.objects.exists()
    assert post(signed_in, faulty, "set-aside", finding="nothing/like/it").status_code == 404
    assert post(signed_in, faulty, "set-aside", finding=IDLE, reason="because").status_code == 404


def finding(**fields: object) -> Finding:
    plain = {
        "kind": "too-wet", "title": "Verse is very wet", "sentence": "So.", "figure": -4.0, "unit": "dB", "limit": -6.0, "excess": 0.7,
        "severity": 1, "section": "a", "evidence": Evidence(shape="flow", names=["A"]),
    }  # fmt: skip
    return Finding(**{**plain, **fields})  # type: ignore[arg-type]


def looked(*findings: Finding) -> Looked:
    return Looked(1, "Imported", findings, {}, 1.0, is_whole=True)


def test_set_aside_it_is_told_again_when_it_has_become_worse_by_2_db(song) -> None:
    SetAside.objects.create(
        song=song, finding="too-wet///a", kind="too-wet", title="x", figure=-4.0, reason="it is meant so"
    )
    assert told(song, looked(finding(figure=-3.0)))[0] == []
    worse = finding(figure=-1.9)
    assert told(song, looked(worse)) == ([worse], [])


def test_on_purpose_in_this_section_quiets_its_kind_there_and_nowhere_else(signed_in, song) -> None:
    here, there = finding(), finding(section="b", title="Refrain is very wet")
    other = finding(kind="sudden-depth", source="voice")
    cache.set(f"findings-newest-{song.pk}", looked(here, there, other))
    assert post(signed_in, song, "set-aside", finding=here.id, reason="on purpose in this section").status_code == 200
    alike = finding(source="harp")
    assert told(song, looked(here, alike, there, other))[0] == [there, other]


def test_strictness_is_kept_with_the_song_and_tells_more_or_less(signed_in, song) -> None:
    near, usual, gross = (
        finding(excess=excess, section=None, source=name) for excess, name in ((-0.3, "n"), (0.2, "u"), (1.4, "g"))
    )
    seen = looked(near, usual, gross)
    for strictness, expected in (("strict", 3), ("usual", 2), ("lenient", 1)):
        assert post(signed_in, song, "strictness", strictness=strictness).status_code == 200
        song.refresh_from_db()
        assert len(told(song, seen)[0]) == expected
    assert post(signed_in, song, "strictness", strictness="very").status_code == 404


def test_a_song_with_nothing_wrong_says_what_was_looked_at(signed_in, song) -> None:
    look(song)
    song.refresh_from_db()
    cache.set(f"findings-newest-{song.pk}", looked())
    assert "Nothing here." in page(signed_in, song, kind="clips")
    SetAside.objects.bulk_create(
        SetAside(song=song, finding=each.id, kind=each.kind, title=each.title, figure=each.figure, reason="not now")
        for each in look(song).findings
    )
    text = page(signed_in, song)
    assert f"{len(KINDS)} kinds of mistake were looked for and none was found" in text
    assert all(kind.looks_at in text for kind in KINDS.values())


def test_findings_are_shown_of_a_section_or_a_kind_and_in_another_order(signed_in, faulty) -> None:
    edit_plan(faulty.pk, 2, "Wide", lambda plan: set_return(plan, "hall", width=2.0))
    faulty.refresh_from_db()
    look(faulty)
    of_kind = page(signed_in, faulty, kind="mono-loss")
    assert 'data-open-finding="mono-loss//hall" id="finding-' in of_kind
    assert 'data-open-finding="unfed-return//idle" id="finding-' not in of_kind
    ordered = page(signed_in, faulty, by="kind")
    assert ordered.index('finding-row="unfed-return//idle"') < ordered.index('finding-row="mono-loss//hall"')
    of_section = page(signed_in, faulty, section="a")
    assert 'finding-row="unfed-return//idle"' not in of_section  # it is about no place


def test_the_rail_counts_what_is_more_than_a_note_and_says_what_other_screens_mark(signed_in, faulty) -> None:
    address = reverse("findings:count", args=[faulty.pk])
    assert 'data-news="measured"' in shown(signed_in.get(address))
    look(faulty)
    text = shown(signed_in.get(address))
    assert 'hx-trigger="plan-changed from:body delay:4s"' in text
    assert 'data-finding="unfed-return//idle"' in text
    assert 'data-return="idle"' in text
    serious = [each for each in told(faulty, look(faulty))[0] if each.severity > 1]
    assert (f"<b>{len(serious)}<span" in text) == bool(serious)


def test_the_rail_does_not_render_the_song_but_tells_what_is_known_from_that(signed_in, faulty, monkeypatch) -> None:
    calls = []
    peaks = "hallweb.audition.findings.peaks_of"
    monkeypatch.setattr(peaks, lambda *said, **more: calls.append(1) or {})
    for _ in range(3):
        signed_in.get(reverse("findings:count", args=[faulty.pk]))
    assert not calls
    assert newest_look(faulty.pk).is_whole is False
    look(faulty)
    assert calls == [1]
    signed_in.get(reverse("findings:count", args=[faulty.pk]))
    assert newest_look(faulty.pk).is_whole is True


def test_marks_are_numbered_as_the_list_is() -> None:
    marks = marks_of([finding(), finding(section=None, source="voice", return_id="hall", severity=3)])
    assert [(m["number"], m["source"], m["return"], m["word"]) for m in marks] == [
        (1, "", "", "note"),
        (2, "voice", "hall", "fault"),
    ]


def test_a_stranger_finds_no_findings(stranger, song) -> None:
    for name in ("show", "count"):
        assert stranger.get(reverse(f"findings:{name}", args=[song.pk])).status_code == 404
    for name in ("take", "set-aside", "bring-back", "strictness"):
        assert stranger.post(reverse(f"findings:{name}", args=[song.pk]), {"finding": IDLE}).status_code == 404
        assert stranger.get(reverse(f"findings:{name}", args=[song.pk])).status_code == 405


def test_a_list_takes_few_queries(signed_in, faulty, django_assert_max_num_queries) -> None:
    look(faulty)
    with django_assert_max_num_queries(14):
        page(signed_in, faulty, open=IDLE)


def test_what_was_found_before_an_edit_is_shown_until_it_was_looked_again(signed_in, faulty) -> None:
    look(faulty)
    edit_plan(faulty.pk, 2, "Else", lambda plan: set_send(plan, "drum", "plate", level_db=-30.0))
    text = page(signed_in, faulty)
    assert "Being looked at again; this is from Idle, revision 2" in text
    assert "is-old" in text
    assert newest_look(faulty.pk) is not None


EVIDENCE = [
    Evidence(shape="metres", figures={"here": 4.6, "median": 3.6, "limit": 4.5}, lines={"others": [(2.0, 0.0)]}),
    Evidence(shape="levels", figures={"here": -4.0, "limit": -6.0}, lines={"sections": [(0, -9.0), (9, -4.0)]}, names=["A", "B"]),
    Evidence(
        shape="spectrum", figures={"low": 160.0, "high": 400.0, "here": 5.0, "limit": 4.0},
        lines={name: [(50.0, -20.0), (250.0, -3.0), (9000.0, -30.0)] for name in ("wet", "dry")},
    ),
    Evidence(shape="thirds", figures={"here": -5.0, "limit": -4.0, "hz": 200.0}, lines={"lost": [(200.0, -5.0), (400.0, 1.0)]}),
    Evidence(shape="grid", figures={"here": 672.0, "note": 689.7}, lines={"notes": [(689.7, 0.0), (919.5, 0.0)]}, names=["1/4"]),
    Evidence(
        shape="tail", figures={"end": 10.0, "next": 10.8, "here": -14.9, "limit": -20.0},
        lines={"dry": [(8.0, 0.0), (10.0, -2.0), (11.5, 0.0)], "tail": [(8.0, -12.0), (11.5, -30.0)], "ranges": [(0.0, -19.0), (4000.0, -30.0)]},
    ),
    Evidence(shape="slope", figures={"here": 5.0, "limit": 2.0, "bar": 2.0, "gap": 0.9}, lines={"tail": [(0.0, -10.0), (5.0, -40.0)]}),
    Evidence(shape="flow", names=["Strings & Winds with a very long name indeed", "Long Hall", "Main"]),
]  # fmt: skip


@pytest.mark.parametrize("evidence", EVIDENCE, ids=lambda each: each.shape)
@pytest.mark.parametrize("size", [SMALL, LARGE])
def test_every_shape_of_evidence_is_drawn_inside_its_picture(evidence: Evidence, size: tuple[float, float]) -> None:
    then = dataclasses.replace(evidence, figures={**evidence.figures, "here": evidence.figures.get("here", 0.0) - 0.5})
    drawing = drawn(evidence, size, then if size == LARGE else None)
    assert drawing.paths
    has_proposal = size == LARGE and evidence.shape != "flow"
    assert any(look in ("ev-then", "ev-tick") for look, _ in drawing.paths) == has_proposal
    for _, path in drawing.paths:
        for point in path.replace("M", "L").replace("H", "L").replace("V", "L").replace("Z", "").split("L"):
            numbers = [float(each) for each in point.split("a")[0].split()]
            assert all(-1 <= number <= max(size) + 1 for number in numbers)
    for text in drawing.texts:
        assert 0 <= text.x <= size[0]
        assert 0 < text.y <= size[1]
    assert len(drawing.texts) <= (3 if size == SMALL else 18)


def test_findings_can_be_kept(song) -> None:
    assert dataclasses.replace(finding(), figure=-3.0) != finding()
    cache.set("kept", looked(finding()))
    assert cache.get("kept") == looked(finding())
