"""The command line: `highhall import`, `export`, `check`, `moves`, `render` and `times`. Results on stdout, the rest on stderr."""

import argparse
import dataclasses
import json
import sys
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from highhall.cli import capture
from highhall.errors import CoreError
from highhall.interchange.audio_files import DEPTHS, written_whole
from highhall.interchange.channels import ManyChannels
from highhall.interchange.folder import plan_from_folder
from highhall.interchange.midi import read_midi, write_midi
from highhall.interchange.sections import read_sections, sections_from_markers, write_sections_csv
from highhall.plan import Plan, PlanRefusedError, Problem, Song, Tempo, parse_plan, write_plan
from highhall.plan.edits import checked
from highhall.plan.move_table import move_rows
from highhall.render import PrintOptions, Stems, print_plan
from highhall.render.prints import PARTS
from highhall.timing import LADDER, Meter, NoteValue, Position

_REFUSED, _FAILED = 1, 2


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; return the exit code: 0, 1 for a plan that is refused, 2 for anything else."""
    options = _parser().parse_args(arguments)
    try:
        code: int = options.run(options)
    except PlanRefusedError as error:
        print(error, file=sys.stderr)
        return _REFUSED
    except CoreError as error:
        print(error, file=sys.stderr)
        return _FAILED
    except OSError as error:
        print(f"{error.filename or 'a file'}: {error.strerror or error}", file=sys.stderr)
        return _FAILED
    except KeyboardInterrupt:
        print("stopped; nothing was left behind", file=sys.stderr)
        return _FAILED
    return code


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="highhall", description="The depth of a song, from a plan.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    render = commands.add_parser("render", help="print a plan to sound files")
    render.add_argument("plan", type=Path)
    render.add_argument("--out", type=Path, required=True, metavar="DIR")
    render.add_argument("--from", dest="start", type=_position, metavar="BAR|BEAT")
    render.add_argument("--to", dest="end", type=_position, metavar="BAR|BEAT")
    render.add_argument("--format", choices=("wav", "flac"), default="wav")
    render.add_argument("--depth", choices=tuple(DEPTHS), default="24")
    render.add_argument("--only", type=_parts, default=PARTS, metavar="PARTS", help="some of main,dry,returns,groups")
    render.add_argument("--tail", type=_tail, default=None, metavar="auto|SECONDS")
    render.add_argument("--threads", type=int, default=2, help=argparse.SUPPRESS)
    render.add_argument("--json", action="store_true", help="print a summary as JSON")
    render.set_defaults(run=_render)

    make = commands.add_parser("import", help="make a plan from a folder of stems")
    make.add_argument("folder", type=Path)
    make.add_argument("--out", type=Path, required=True, metavar="PLAN.json")
    make.add_argument("--title", help="the song's title; the folder's name if not given")
    time = make.add_mutually_exclusive_group(required=True)
    time.add_argument("--bpm", type=float)
    time.add_argument("--midi", type=Path, help="tempo, meters and markers from a Standard MIDI File")
    make.add_argument("--beat", type=_note, default=NoteValue(1, 4), metavar="NOTE", help="what --bpm counts")
    make.add_argument("--meter", type=_meter, default=Meter(1, 4, 4), metavar="BEATS/UNIT")
    make.add_argument(
        "--sections", type=Path, help="a CSV file with the columns name, start, end, or a WAV file with cue points"
    )
    make.add_argument(
        "--channels",
        type=ManyChannels,
        choices=tuple(ManyChannels),
        default=ManyChannels.REFUSE,
        help="what to do with stems of more than two channels",
    )
    make.set_defaults(run=_import)

    export = commands.add_parser("export", help="write a plan's time and sections for other programs")
    export.add_argument("plan", type=Path)
    export.add_argument("--midi", type=Path, metavar="FILE.mid", help="tempo, meters, and sections as markers")
    export.add_argument("--sections", type=Path, metavar="FILE.csv", help="sections as a table")
    export.set_defaults(run=_export)

    check = commands.add_parser("check", help="say what is wrong with a plan")
    check.add_argument("plan", type=Path)
    check.add_argument("--json", action="store_true")
    check.set_defaults(run=_check)

    moves = commands.add_parser("moves", help="the moves of a plan as a table")
    moves.add_argument("plan", type=Path)
    moves.add_argument("--json", action="store_true")
    moves.set_defaults(run=_moves)

    times = commands.add_parser("times", help="note values in milliseconds")
    times.add_argument("--bpm", type=float, required=True)
    times.add_argument("--beat", type=_note, default=NoteValue(1, 4), metavar="NOTE")
    times.add_argument("notes", nargs="*", type=_note, metavar="NOTE")
    times.add_argument("--json", action="store_true")
    times.set_defaults(run=_times)
    capture.add_commands(commands)
    return parser


def _position(text: str) -> Position:
    try:
        return Position.parse(text)
    except CoreError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def _note(text: str) -> NoteValue:
    try:
        return NoteValue.parse(text)
    except CoreError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def _meter(text: str) -> Meter:
    beats, _, unit = text.partition("/")
    try:
        return Meter(1, int(beats), int(unit))
    except ValueError:
        raise argparse.ArgumentTypeError(f"expected a meter such as 6/8, got {text}") from None


def _parts(text: str) -> tuple[str, ...]:
    parts = tuple(text.split(","))
    if not set(parts) <= set(PARTS):
        raise argparse.ArgumentTypeError(f"expected some of {','.join(PARTS)}, got {text}")
    return parts


def _tail(text: str) -> float | None:
    if text == "auto":
        return None
    try:
        seconds = float(text)
    except ValueError:
        seconds = -1.0
    if not 0 <= seconds <= 600:
        raise argparse.ArgumentTypeError(f'expected "auto" or seconds from 0 to 600, got {text}')
    return seconds


def _read_plan(path: Path) -> Plan:
    try:
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError:
        raise CoreError(f"{path}: a plan is UTF-8 text, this file is not") from None
    plan = parse_plan(text)
    folder = path.resolve().parent
    leaving = [i for i, t in enumerate(plan.tracks) if not (folder / t.stem).resolve().is_relative_to(folder)]
    if leaving:
        text = "leaves the plan's folder through a link; copy the file into the folder"
        raise PlanRefusedError([Problem(f"tracks[{index}].stem", text) for index in leaving])
    return plan


def _render(options: argparse.Namespace) -> int:
    plan = _read_plan(options.plan)
    if options.format == "flac" and options.depth == "32f":
        raise CoreError("flac holds whole numbers only: choose --depth 16 or 24, or --format wav")
    time = plan.song.time
    with tempfile.TemporaryDirectory(prefix="highhall-") as decoded:
        stems = Stems.opened(plan, options.plan.resolve().parent, Path(decoded))
        summary = print_plan(
            plan,
            stems,
            options.out,
            PrintOptions(
                start_sample=None if options.start is None else time.sample_at(options.start),
                end_sample=None if options.end is None else time.sample_at(options.end),
                file_format=options.format,
                depth=options.depth,
                parts=options.only,
                tail_s=options.tail,
                threads=options.threads,
            ),
            _progress_line(),
        )
    for name, count in summary.clipped_samples.items():
        print(f"{name}: {count} samples over full scale were clipped; lower a level to avoid it", file=sys.stderr)
    if options.json:
        print(json.dumps(dataclasses.asdict(summary)))
    else:
        print("\n".join(summary.files))
    return 0


def _progress_line() -> Callable[[float], None]:
    """Return a callback that reports each tenth on a line of its own."""
    told = 0

    def tell(share: float) -> None:
        nonlocal told
        if int(share * 10) > told:
            told = int(share * 10)
            print(f"rendering {told * 10} %", file=sys.stderr)

    return tell


def _import(options: argparse.Namespace) -> int:
    if options.out.exists():
        raise CoreError(f"{options.out} exists; choose another name or move it away")
    if not options.folder.is_dir():
        raise CoreError(f"{options.folder} is not a folder")
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
    with written_whole(options.out) as temporary:
        temporary.write_text(write_plan(plan), encoding="utf-8")
    tracks, groups = len(plan.tracks), len(plan.groups)
    print(f"{options.out}: {tracks} tracks in {groups} groups, {len(sections)} sections, {plan.song.end.bar - 1} bars")
    return 0


def _export(options: argparse.Namespace) -> int:
    if not (options.midi or options.sections):
        raise CoreError("nothing to write: give --midi FILE.mid or --sections FILE.csv or both")
    song = _read_plan(options.plan).song
    if options.midi:
        write_midi(options.midi, song)
        print(options.midi)
    if options.sections:
        write_sections_csv(options.sections, song)
        print(options.sections)
    return 0


def _check(options: argparse.Namespace) -> int:
    try:
        plan = _read_plan(options.plan)
    except PlanRefusedError as error:
        if options.json:
            print(json.dumps([dataclasses.asdict(problem) for problem in error.problems]))
        else:
            print("\n".join(map(str, error.problems)))
        return _REFUSED
    print("[]" if options.json else f"{options.plan}: a valid plan of {len(plan.returns)} returns")
    return 0


def _moves(options: argparse.Namespace) -> int:
    rows = move_rows(_read_plan(options.plan))
    if options.json:
        print(json.dumps([dataclasses.asdict(row) for row in rows]))
        return 0
    if not rows:
        print("nothing moves")
    widths = [max(len(row.what) for row in rows), max(len(row.where) for row in rows)] if rows else []
    for row in rows:
        print(f"{row.what:{widths[0]}}  {row.where:{widths[1]}}  {row.value}")
    return 0


def _times(options: argparse.Namespace) -> int:
    if not 10 <= options.bpm <= 400:
        raise CoreError(f"bpm lies from 10 to 400, got {options.bpm:g}")
    tempo = Tempo(at=Position(1), bpm=options.bpm, beat=options.beat)
    notes = options.notes or reversed(LADDER)
    times = {str(note): 1000 * float(note.whole_notes) / tempo.whole_notes_per_s for note in notes}
    if options.json:
        print(json.dumps(times))
    else:
        print("\n".join(f"{note:>6}  {ms:10.2f} ms" for note, ms in times.items()))
    return 0


if __name__ == "__main__":
    sys.exit(main())
