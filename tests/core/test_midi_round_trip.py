"""What is written as MIDI comes back as it was."""

from fractions import Fraction

import pytest

from highhall import cli
from highhall.interchange.midi import read_midi, write_midi
from highhall.interchange.sections import read_sections_csv, sections_from_markers
from highhall.plan import Section, Song, Tempo, plan_from_document, write_plan
from highhall.timing import Meter, NoteValue, Position
from tests.core.plans import example

DOTTED = NoteValue(1, 4, ".")


def song(*tempos: Tempo, meters: tuple[Meter, ...] = (Meter(1, 4, 4),)) -> Song:
    sections = (
        Section(id="verse", name="Verse ü", start=Position(1), end=Position(5)),
        Section(id="refrain", name="Refrain", start=Position(5), end=Position(9)),
    )
    return Song(title="x", sample_rate=48000, meters=meters, tempos=tempos, end=Position(9), sections=sections)


def back(tmp_path, written: Song) -> Song:
    write_midi(tmp_path / "map.mid", written)
    read = read_midi(tmp_path / "map.mid")
    sections = sections_from_markers(read.markers, read.end)
    return Song(title="x", sample_rate=48000, meters=read.meters, tempos=read.tempos, end=read.end, sections=sections)


@pytest.mark.parametrize(
    "written",
    [
        song(Tempo(at=Position(1), bpm=104.0)),
        song(Tempo(at=Position(1), bpm=97.3), Tempo(at=Position(4, Fraction(5, 2)), bpm=120.0)),
        song(Tempo(at=Position(1), bpm=58.0, beat=DOTTED), meters=(Meter(1, 6, 8), Meter(3, 9, 8), Meter(5, 12, 8))),
        song(Tempo(at=Position(1), bpm=80.0), meters=(Meter(1, 4, 4), Meter(2, 7, 8), Meter(4, 5, 4))),
    ],
    ids=["steady", "changes", "compound", "odd"],
)
def test_a_map_of_steps_comes_back_as_it_was(tmp_path, written: Song) -> None:
    assert back(tmp_path, written) == written


def test_a_ramp_comes_back_with_its_times(tmp_path) -> None:
    written = song(Tempo(at=Position(1), bpm=120.0), Tempo(at=Position(7), bpm=70.0, ramp=True))
    read = back(tmp_path, written)
    for bar in range(1, 10):
        assert read.time.seconds_at(Position(bar)) == pytest.approx(written.time.seconds_at(Position(bar)), abs=1e-4)
    assert read.sections == written.sections


def test_export_writes_the_map_and_the_sections_of_a_plan(tmp_path, capsys) -> None:
    plan = plan_from_document(example())
    (tmp_path / "plan.json").write_text(write_plan(plan))
    midi, table = tmp_path / "m.mid", tmp_path / "s.csv"
    assert cli.main(["export", str(tmp_path / "plan.json"), "--midi", str(midi), "--sections", str(table)]) == 0
    assert capsys.readouterr().out.split() == [str(midi), str(table)]
    assert read_sections_csv(table, plan.song.end) == plan.song.sections
    assert read_midi(midi).end == plan.song.end
    assert cli.main(["export", str(tmp_path / "plan.json")]) == 2
    assert "nothing to write" in capsys.readouterr().err
