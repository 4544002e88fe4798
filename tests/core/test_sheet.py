"""The recall sheet: read from its HTML alone the design can be rebuilt; nothing is cut; PDFs are what they say."""

import io
import json
import math
import re
import sys
from dataclasses import replace

import lxml.html
import numpy as np
import pypdf
import pytest

from highhall import cli
from highhall.demo.plan import demo_plan
from highhall.measure.loudness import k_weighted
from highhall.plan import MAIN, EffectTarget, Move, Plan, document_of, plan_from_document
from highhall.plan.kinds import KINDS, SHAPES
from highhall.render import Engine
from highhall.sheet import PdfMissingError, leaf_html, sheet_html, sheet_of, sheet_pdf
from highhall.sheet.acoustics import clarity_db, dense_after_s
from highhall.wording import figure
from tests.core.plans import make_document, make_stems, write_stem

RATE = 48000


# rebuilding a design from its sheet


def read_number(words: str) -> float:
    return float(words.replace("−", "-").split()[0])


class Reader:
    """Reads a plan from the HTML of a sheet. Given are the song, tracks and groups, which are not of the design."""

    def __init__(self, html: str, plan: Plan) -> None:
        self._root = lxml.html.fromstring(html)
        self._document = {**document_of(plan), "returns": [], "sends": [], "moves": []}
        self._ids = {name: key for key, name in plan.names.items()}
        self._sections = {section.name: section.id for section in plan.song.sections}

    def plan(self) -> Plan:
        for leaf in self._root.find_class("leaf-return"):
            if "continued" in leaf.find_class("sheet-sub")[0].text_content():
                self._document["returns"][-1]["chain"] += [self._effect(each) for each in leaf.xpath(".//section")]
            else:
                self._document["returns"].append(self._return(leaf))
        for leaf in self._root.find_class("leaf-sends"):
            self._sends(leaf)
        for leaf in self._root.find_class("leaf-moves"):
            for section in leaf.xpath(".//section"):
                self._move(section)
        for leaf in self._root.find_class("leaf-throws"):
            for row in leaf.xpath(".//tbody/tr"):
                self._throw([cell.text_content() for cell in row])
        return plan_from_document(self._document)

    def _return(self, leaf) -> dict:
        name = leaf.xpath(".//h3")[0].text_content()
        facts = {
            row[0].text_content(): row[1].text_content() for row in leaf.find_class("sheet-facts")[0].xpath(".//tr")
        }
        output = facts["Output"]
        return {
            "id": self._ids[name],
            "name": name,
            "level_db": None if facts["Level"] == "silence" else read_number(facts["Level"]),
            "pan": read_number(facts["Pan"]) / 100,
            "width": read_number(facts["Width"]) / 100,
            "output": MAIN if output == "Main" else self._ids[output],
            "chain": [self._effect(section) for section in leaf.xpath(".//section")],
        }

    def _effect(self, section) -> dict:
        label = section.xpath("./h4")[0].text_content().split(" ", 1)[1]
        kind = next(kind for kind in KINDS.values() if kind.label == label.removesuffix(", off"))
        cells = section.xpath(".//td")
        words = {cell.getprevious().text_content(): cell.xpath("./b")[0].text_content() for cell in cells}
        params = {}
        for parameter in kind.parameters:
            if parameter is kind.filters:
                params[parameter.name] = [_filter(text) for name, text in words.items() if name.startswith("Filter ")]
            else:
                value = parameter.read(words[parameter.label].split(" =")[0])
                params[parameter.name] = value if isinstance(value, bool | float | int | None | str) else str(value)
        return {"kind": kind.name, "on": not label.endswith(", off"), "params": params}

    def _sends(self, leaf) -> None:
        targets = [cell.text_content() for cell in leaf.xpath(".//thead/tr/th")][1:]
        for row in leaf.xpath(".//tbody/tr"):
            source, *cells = (cell.text_content() for cell in row)
            for target, cell in zip(targets, cells, strict=True):
                if cell:
                    level, *signs = cell.strip("()").split()
                    self._document["sends"].append(
                        {
                            "from": self._ids[source],
                            "to": self._ids[target],
                            "level_db": None if level == "−∞" else read_number(level),
                            "tap": "pre" if "p" in signs else "post",
                            "on": not cell.startswith("("),
                        }
                    )

    def _target(self, what: str) -> dict:
        place, parameter = what.rsplit(": ", 1)
        if " to " in place:
            source, target = place.split(" to ")
            return {
                "send": [self._ids[source], self._ids[target]],
                "param": {"level": "level_db"}.get(parameter, parameter),
            }
        if ", " in place:
            return_name, label = place.rsplit(", ", 1)
            chain = next(r["chain"] for r in self._document["returns"] if r["name"] == return_name)
            kind = next(KINDS[e["kind"]] for e in chain if KINDS[e["kind"]].label.lower() == label)
            param = next(p.name for p in kind.parameters if p.label.lower() == parameter)
            return {"return": self._ids[return_name], "step": kind.name, "param": param}
        return {"return": self._ids[place], "param": {"level": "level_db"}.get(parameter, parameter)}

    def _move(self, section) -> None:
        target = self._target(section.xpath("./h4")[0].text_content())
        move = {"target": target, "sections": [], "points": [], "throws": []}
        for row in section.xpath(".//tr"):
            where, value, how = (cell.text_content() for cell in row)
            written = _value(value)
            if where in self._sections:
                ramp = {} if how == "jump" else dict(zip(("ramp", "ramp_side"), how.split(), strict=True))
                move["sections"].append({"section": self._sections[where], "value": written, **ramp})
            else:
                move["points"].append({"at": where, "value": written, "shape": how})
        self._document["moves"].append(move)

    def _throw(self, cells: list[str]) -> None:
        at, _, what, value, length, ramps = cells
        target = self._target(f"{what}: level")
        move = next((each for each in self._document["moves"] if each["target"] == target), None)
        if move is None:
            move = {"target": target, "throws": []}
            self._document["moves"].append(move)
        throw = {"at": at, "value": _value(value), "length": length.split(",")[0].replace(" ", "")}
        for part in filter(None, ramps.split(", ")):
            word, time = part.split(" ", 1)
            throw[f"ramp_{word}"] = time.replace(" ", "")
        move["throws"].append(throw)


def _value(words: str):
    if words in ("on", "off"):
        return words == "on"
    return None if words == "silence" else read_number(words)


def _filter(words: str) -> dict:
    shape = next(key for key, shape in SHAPES.items() if words.startswith(shape.label.lower()))
    hz = re.search(r"([\d.]+) (k?)Hz", words)
    found = {"shape": shape, "hz": float(hz[1]) * (1000 if hz[2] else 1), "on": "(off)" not in words}
    for name, pattern in (
        ("gain_db", r"(−?[\d.]+) dB(?!/oct)"),
        ("q", r"Q ([\d.]+)"),
        ("slope_db_oct", r"(\d+) dB/oct"),
    ):
        if match := re.search(pattern, words):
            value = float(match[1].replace("−", "-"))
            found[name] = int(value) if name == "slope_db_oct" else value
    return found


def test_the_demo_is_rebuilt_from_its_sheet_within_a_decibel_and_a_millisecond_in_every_return() -> None:
    plan = demo_plan()
    back = Reader(sheet_html(sheet_of(plan)), plan).plan()
    assert {(s.source, s.target) for s in back.sends} == {(s.source, s.target) for s in plan.sends}
    assert {_moved(move) for move in back.moves} == {_moved(move) for move in plan.moves}
    stems = make_stems(plan)
    before, after = (_rendered(each, stems) for each in (plan, back))
    for return_ in plan.returns:
        one, other = before[return_.id], after[return_.id]
        for section in plan.song.sections:
            span = slice(*(plan.song.time.sample_at(at) for at in (section.start, section.end)))
            powers = [float(np.mean(k_weighted(sound[:, span], RATE) ** 2)) for sound in (one, other)]
            if powers[0] > 1e-9:
                assert 10 * math.log10(powers[1] / powers[0]) == pytest.approx(0, abs=1), (return_.id, section.id)
        assert abs(_lag(one, other)) <= RATE / 1000, return_.id


def _moved(move: Move) -> tuple[object, ...]:
    """Return what a move moves and how; an effect by its return alone, since a sheet calls it by its kind."""
    target = replace(move.target, effect="") if isinstance(move.target, EffectTarget) else move.target
    return target, move.sections, move.points, move.throws


def _rendered(plan: Plan, stems) -> dict[str, np.ndarray]:
    engine, parts = Engine(plan, stems), []
    while engine.position < plan.song.end_sample:
        parts.append(engine.advance(min(1 << 18, plan.song.end_sample - engine.position)).returns)
    return {key: np.concatenate([part[key] for part in parts], axis=1) for key in parts[0]}


def _lag(one: np.ndarray, other: np.ndarray) -> int:
    """Return by how many samples one sound is later than another."""
    size = 1 << 20
    spectra = [np.fft.rfft(sound[0, :size], 2 * size) for sound in (one, other)]
    found = int(np.argmax(np.fft.irfft(spectra[1] * np.conj(spectra[0]))))
    return found if found < size else found - 2 * size


# nothing is cut


def big_plan() -> Plan:
    document = make_document(bars=64)
    document["song"]["sections"] = [
        {
            "id": f"s{n}",
            "name": f"Section {n} with a name of some length",
            "start": f"{2 * n + 1}|1",
            "end": f"{2 * n + 3}|1",
        }
        for n in range(30)
    ]
    document["groups"], document["moves"] = [], []
    document["tracks"] = [
        {"id": f"t{n}", "name": f"Instrument number {n} in the far corner of the stage", "stem": f"{n}.wav"}
        for n in range(40)
    ]
    chain = [
        {"kind": "reverb", "params": {"space": "hall", "decay_s": 1.0}},
        {"kind": "echo", "params": {"left": "1/8", "right": "1/8."}},
        {"kind": "chorus", "params": {}},
        {
            "kind": "tone",
            "params": {"bands": [{"shape": "bell", "hz": 200 * (n + 1), "gain_db": -3} for n in range(8)]},
        },
    ]
    document["returns"] = [
        {"id": f"r{n}", "name": f"Space number {n} of the whole house", "chain": chain} for n in range(12)
    ]
    document["sends"] = [
        {"from": f"t{n}", "to": f"r{m}", "level_db": -float(n) - m / 10} for n in range(40) for m in range(12)
    ]
    document["moves"] = [
        {"target": {"send": [f"t{n}", "r0"], "param": "level_db"}, "sections": [{"section": f"s{m}", "value": -20.0 - m} for m in range(25)]}
        for n in range(6)
    ]  # fmt: skip
    return plan_from_document(document)


@pytest.mark.slow
def test_of_40_tracks_and_12_returns_every_name_and_figure_is_on_the_pages() -> None:
    """On the lower of the papers."""
    plan = big_plan()
    sheet = sheet_of(plan, version="revision 7", aside=[("A finding", "it is meant so")])
    pdf = pypdf.PdfReader(io.BytesIO(sheet_pdf(sheet, "letter")))
    assert len(pdf.pages) == math.ceil(len(sheet.leaves) / 2)
    text = re.sub(r"\s", "", "".join(page.extract_text() for page in pdf.pages))
    for name in (*(track.name for track in plan.tracks), *(return_.name for return_ in plan.returns)):
        assert re.sub(r"\s", "", name) in text
    for send in plan.sends:
        assert figure(send.level_db) in text
    for section in plan.song.sections:
        assert re.sub(r"\s", "", section.name) in text
    for n in range(8):
        assert f"bell{200 * (n + 1)}Hz" in text or f"bell{0.2 * (n + 1):g}kHz" in text


@pytest.mark.parametrize(("paper", "width", "height"), [("a4", 210, 297), ("letter", 215.9, 279.4)])
def test_pages_have_the_size_of_their_paper(paper: str, width: float, height: float) -> None:
    sheet = sheet_of(plan_from_document(make_document(bars=4)))
    box = pypdf.PdfReader(io.BytesIO(sheet_pdf(sheet, paper))).pages[0].mediabox
    assert [float(side) * 25.4 / 72 for side in (box.width, box.height)] == pytest.approx([width, height], abs=0.1)


def test_a_leaf_is_the_same_on_the_screen_as_on_paper() -> None:
    sheet = sheet_of(demo_plan(), version="revision 3")
    whole = re.sub(r"\s+", " ", sheet_html(sheet))
    assert [leaf.kind for leaf in sheet.leaves] == ["cover", *["return"] * 6, "sends", "moves", "throws"]
    for number in range(1, len(sheet.leaves) + 1):
        assert re.sub(r"\s+", " ", leaf_html(sheet, number)).strip() in whole


def test_names_are_escaped_and_nothing_is_loaded_from_elsewhere() -> None:
    plan = demo_plan()
    plan = replace(plan, song=replace(plan.song, title='<script src="x">'))
    html = sheet_html(sheet_of(plan))
    assert "<script" not in html
    assert not re.search(r'(src|href)="(?!#)', html)


def test_notes_are_given_in_milliseconds_at_each_tempo_of_the_song() -> None:
    html = sheet_html(sheet_of(demo_plan()))
    text = re.sub(r"\s+", " ", lxml.html.fromstring(html).text_content())
    assert "1/8. 517.2 ms / 600.0 ms" in text  # dotted eighth: half of a dotted quarter at 58 and at 50


def test_the_command_writes_both_and_says_plainly_when_the_library_is_missing(tmp_path, capsys, monkeypatch) -> None:
    document = make_document(bars=4)
    (tmp_path / "plan.json").write_text(json.dumps(document))
    for track in document["tracks"]:
        write_stem(tmp_path / track["stem"], 0.1 * np.random.default_rng(0).standard_normal((1, 96_000)))
    run = ["sheet", str(tmp_path / "plan.json"), "--out"]
    assert cli.main([*run, str(tmp_path / "s.html")]) == 0
    assert "Whole song" in (tmp_path / "s.html").read_text()
    assert cli.main([*run, str(tmp_path / "s.txt")]) == 2
    assert "a sheet is written as .html or .pdf, got s.txt" in capsys.readouterr().err
    monkeypatch.setitem(sys.modules, "weasyprint", None)
    assert cli.main([*run, str(tmp_path / "s.pdf")]) == 2
    assert "a PDF needs WeasyPrint, which is not installed" in capsys.readouterr().err
    assert not (tmp_path / "s.pdf").exists()
    with pytest.raises(PdfMissingError):
        sheet_pdf(sheet_of(plan_from_document(document)))


# figures


@pytest.mark.parametrize("decay_s", [0.4, 1.5, 4.0])
def test_clarity_of_an_exponential_decay_is_its_closed_form(decay_s: float) -> None:
    time = np.arange(int(2 * decay_s * RATE)) / RATE
    response = (10 ** (-3 * time / decay_s))[None]
    early = 1 - 10 ** (-6 * 0.08 / decay_s)
    assert clarity_db(response, RATE) == pytest.approx(10 * math.log10(early / (1 - early)), abs=0.01)


def test_noise_is_dense_at_once_and_repeats_far_apart_never_are() -> None:
    noise = np.random.default_rng(1).standard_normal((2, RATE))
    assert dense_after_s(noise, RATE) == pytest.approx(0.01, abs=0.001)
    repeats = np.zeros((2, RATE))
    repeats[:, ::4800] = 1.0
    assert dense_after_s(repeats, RATE) is None
    assert clarity_db(np.zeros((2, 100)), RATE) is None
