"""`highhall import`: make a plan from a folder of stems, or bring stems that have changed into the plan that was made of them."""

import argparse
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from highhall.cli.arguments import meter, note
from highhall.cli.depths import write_edited
from highhall.cli.plans import read_plan
from highhall.errors import CoreError
from highhall.interchange.again import NOTHING_KNOWN, StemRecord, imported_again, read_record, record_of, write_record
from highhall.interchange.channels import ManyChannels
from highhall.interchange.folder import plan_from_folder, require_inside, stem_paths
from highhall.interchange.midi import read_midi
from highhall.interchange.sections import read_sections, sections_from_markers
from highhall.plan import Plan, Song, Tempo
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
    plan_folder = plan_path.resolve().parent
    require_inside(folder, plan_folder)
    plan, before = read_plan(plan_path), read_record(plan_path)
    again = imported_again(plan, stem_paths(folder), plan_folder, before)
    _write(plan_path, again.plan, again.record)
    print(f"{plan_path}: {again.summary}")
    for sentence in (*again.told, *(f'"{path}" is gone; its track stays' for path in again.gone)):
        print(f"  {sentence}")
    return 0


def _write(plan_path: Path, plan: Plan, known: Mapping[str, StemRecord] = NOTHING_KNOWN) -> None:
    """Write a plan and the record of its stems; what is known of them already is not read again."""
    folder = plan_path.resolve().parent
    unknown = [folder / path for path in sorted({track.stem for track in plan.tracks} - known.keys())]
    record = {**known, **record_of([path for path in unknown if path.is_file()], folder)}
    write_edited(plan, plan_path)
    write_record(plan_path, record)
