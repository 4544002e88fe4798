"""`highhall import`: make a plan from a folder of stems, or bring stems that have changed into the plan that was made of them."""

import argparse
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from highhall.cli.arguments import meter, note
from highhall.cli.plans import read_plan
from highhall.errors import CoreError
from highhall.interchange.again import imported_again, read_record, record_of, write_record
from highhall.interchange.audio_files import written_whole
from highhall.interchange.channels import ManyChannels
from highhall.interchange.folder import plan_from_folder, stem_paths
from highhall.interchange.midi import read_midi
from highhall.interchange.sections import read_sections, sections_from_markers
from highhall.plan import Plan, Song, Tempo, write_plan
from highhall.plan.edits import checked
from highhall.timing import Meter, NoteValue, Position


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("folder", type=Path)
    parser.add_argument("--out", type=Path, required=True, metavar="PLAN.json")
    parser.add_argument("--title", help="the song's title; the folder's name if not given")
    time = parser.add_mutually_exclusive_group()
    time.add_argument("--bpm", type=float)
    time.add_argument("--midi", type=Path, help="tempo, meters and markers from a Standard MIDI File")
    parser.add_argument("--beat", type=note, default=NoteValue(1, 4), metavar="NOTE", help="what --bpm counts")
    parser.add_argument("--meter", type=meter, default=Meter(1, 4, 4), metavar="BEATS/UNIT")
    parser.add_argument(
        "--sections", type=Path, help="a CSV file with the columns name, start, end, or a WAV file with cue points"
    )
    parser.add_argument(
        "--channels",
        type=ManyChannels,
        choices=tuple(ManyChannels),
        default=ManyChannels.REFUSE,
        help="what to do with stems of more than two channels",
    )


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    if not options.folder.is_dir():
        raise CoreError(f"{options.folder} is not a folder")
    if options.bpm is None and options.midi is None:
        return _import_again(options.folder, options.out)
    if options.out.exists():
        raise CoreError(
            f"{options.out} exists; choose another name, or leave --bpm and --midi out to import its stems again"
        )
    title = (options.title or options.folder.resolve().name)[:120]
    markers: Sequence[tuple[Position, str]] = ()
    if options.midi:
        song_map = read_midi(options.midi)
        song = Song(
            title=title, sample_rate=48000, meters=song_map.meters, tempos=song_map.tempos, end=song_map.end
        )  # fmt: skip
        markers = song_map.markers
    else:
        tempo = Tempo(at=Position(1), bpm=options.bpm, beat=options.beat)
        song = Song(title=title, sample_rate=48000, meters=(options.meter,), tempos=(tempo,), end=Position(2))
    plan = plan_from_folder(options.folder, options.out.resolve().parent, song, options.channels)
    sections = sections_from_markers(markers, plan.song.end)
    if options.sections:
        sections = read_sections(options.sections, plan.song)
    plan = checked(replace(plan, song=replace(plan.song, sections=sections)))
    _write(options.out, plan)
    tracks, groups = len(plan.tracks), len(plan.groups)
    print(f"{options.out}: {tracks} tracks in {groups} groups, {len(sections)} sections, {plan.song.end.bar - 1} bars")
    return 0


def _import_again(folder: Path, plan_path: Path) -> int:
    """Bring the stems as they are now into a plan, and say what is different."""
    if not plan_path.exists():
        raise CoreError(f"{plan_path} is a new plan: give --bpm or --midi for its time")
    if not folder.resolve().is_relative_to(plan_path.resolve().parent):
        raise CoreError(
            f"the stems must lie in the plan's folder {plan_path.resolve().parent} or below it, got {folder}"
        )
    plan, before = read_plan(plan_path), read_record(plan_path)
    again = imported_again(plan, stem_paths(folder), plan_path.resolve().parent, before)
    _write(plan_path, again.plan)
    print(f"{plan_path}: {again.summary}")
    for sentence in (*again.told, *(f'"{path}" is gone; its track stays' for path in again.gone)):
        print(f"  {sentence}")
    return 0


def _write(plan_path: Path, plan: Plan) -> None:
    """Write a plan and the record of its stems."""
    folder = plan_path.resolve().parent
    record = record_of(
        [folder / path for path in sorted({t.stem for t in plan.tracks}) if (folder / path).is_file()], folder
    )
    with written_whole(plan_path) as temporary:
        temporary.write_text(write_plan(plan), encoding="utf-8")
    write_record(plan_path, record)
