"""What the Hand-off screen shows: parts as a tree of cuts that sum to main, prints made so far, and what was chosen to print."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.template.defaultfilters import filesizeformat

from hallweb.handoff.models import PrintJob
from hallweb.handoff.printing import PARTS
from hallweb.inputs import Inputs
from hallweb.screens.common.charts import peaks_path
from hallweb.screens.common.templatetags.figures import clock
from hallweb.songs.actions import SongState
from hallweb.songs.sounds import song_sounds
from highhall.errors import CoreError
from highhall.interchange.sound_writer import DEPTHS
from highhall.plan import Plan
from highhall.prints import Part, parts_of
from highhall.prints.keys import part_key
from highhall.prints.naming import FIELDS, file_names
from highhall.prints.options import FORMATS, RATES

WAVE_WIDTH, WAVE_HEIGHT = 224.0, 18.0
DEFAULT_PATTERN = "{title} {kind} {name}"
_SHOWN = 12


@dataclass(frozen=True, slots=True)
class PartRow:
    """A part in the tree. state: printed, changed, or neither; `since` is the print that it was printed in."""

    part: Part
    is_chosen: bool
    state: str
    since: PrintJob | None
    lufs: float | None
    wave: str


@dataclass(frozen=True, slots=True)
class Cut:
    """One way to cut the song: its name, how far it was from main when it was printed last, and its parts."""

    name: str
    words: str
    rows: Sequence[PartRow]


def tree_context(opened: SongState) -> dict[str, Any]:
    """Return the tree, and the choices beside it."""
    plan, jobs = opened.plan, _jobs(opened)
    done = [job for job in jobs if job.state == PrintJob.State.DONE]
    hashes = song_sounds(opened.song.pk).hashes
    rows = {part.key: _row(part, part_key(plan, part, hashes), done) for part in parts_of(plan)}
    sums = {each["cut"]: each["difference_db"] for job in reversed(done) for each in job.sums}

    def cut(name: str, label: str, *kinds: str) -> Cut:
        off = sums.get(name)
        words = (
            "sum to Main" if off is None else f"sum to Main; the last print differed by {off:.0f} dB".replace("-", "−")
        )
        return Cut(label, words, [row for row in rows.values() if row.part.kind in kinds])

    cuts = [
        cut("dry and returns", "Dry and returns", "dry", "returns"),
        cut("groups and what is in none", "Groups with their returns", "groups", "ungrouped"),
        cut("tracks with their space", "Tracks with their space", "tracks"),
    ]
    newest = done[0] if done else None
    return {
        "main": rows["main"],
        "cuts": [each for each in cuts if each.rows],
        "jobs": [job_context(job) for job in jobs[:_SHOWN]],
        "newest": newest,
        "edits_since": opened.revision.number - newest.revision.number if newest else 0,
        "sections": plan.song.sections,
        "formats": FORMATS,
        "depths": list(DEPTHS),
        "rates": [(rate, f"{rate / 1000:g} kHz") for rate in RATES],
        "pattern": DEFAULT_PATTERN,
        "fields": ", ".join(f"{{{name}}}" for name in FIELDS),
        "example": f"{file_names(plan, parts_of(plan, ('main', 'returns'))[-1:], DEFAULT_PATTERN).popitem()[1]}.wav",
        "length_words": _length_words(plan, done),
        "wave_width": WAVE_WIDTH,
        "wave_middle": WAVE_WIDTH / 2,
        "wave_height": WAVE_HEIGHT,
    }


def job_context(job: PrintJob) -> dict[str, Any]:
    """Return a print as a row: its files, and what was chosen."""
    said = job.options
    words = [
        said.get("range", "whole song"),
        f"{said.get('format', 'wav').upper()} {said.get('depth', '24')}",
        f"{said['rate'] / 1000:g} kHz" if said.get("rate") else "",
    ]
    return {"row": job, "words": ", ".join(filter(None, words)), "count": len(job.files), "state": _state(job)}


def _state(job: PrintJob) -> str:
    """Return how far a print is, in words."""
    words = [str(job.get_state_display())]
    if job.state == PrintJob.State.RUNNING:
        words[0] += f" {job.percent} %"
        words += [f"{clock(job.seconds_left)} left"] if job.seconds_left is not None else []
    if job.files:
        words += [f"{len(job.files)} files", filesizeformat(job.bytes)]
    return ", ".join(words)


def read_options(said: Inputs, plan: Plan) -> dict[str, Any]:
    """Return what a form asks to print, as a job keeps it.

    Raises
    ------
    CoreError
        If nothing is chosen, a name cannot be made, or the format cannot hold the depth.
    """
    parts = [part for part in parts_of(plan) if part.key in said.texts("part")]
    if said.says("chosen") and not parts:
        raise CoreError("nothing is chosen to print; tick at least one part")
    part_of_song = _range(said, plan)
    options: dict[str, Any] = {
        "format": said.choice("format", FORMATS, FORMATS[0]),
        "depth": said.choice("depth", DEPTHS, "24"),
        "rate": None,
        "pattern": said.text("pattern").strip() or None,
    }
    options |= {"parts": [part.key for part in parts]} if parts else {"kinds": list(PARTS)}
    rate = said.whole("rate", plan.song.sample_rate)
    if rate in RATES and rate != plan.song.sample_rate:
        options["rate"] = rate
    options |= part_of_song
    if options["format"] == "flac" and options["depth"] == "32f":
        raise CoreError("FLAC holds whole numbers only: choose 16 or 24 bit, or WAV")
    file_names(
        plan,
        parts or parts_of(plan, PARTS),
        options["pattern"],
        bpm=plan.song.tempos[0].bpm,
        section=part_of_song.get("range", ""),
    )
    return options


def _range(said: Inputs, plan: Plan) -> dict[str, Any]:
    """Return the part of a song that a form asks for, as a job keeps it; nothing is the whole song.

    Raises
    ------
    CoreError
        If it is a loop that does not lie in the song.
    """
    word, song = said.text("range"), plan.song
    if word == "loop":
        start, end = said.large("loop_start"), said.large("loop_end")
        if not start < end <= song.end_sample:
            raise CoreError("the loop does not lie in the song any more; set it again in the dock")
        return {"start": start, "end": end, "range": f"Loop {said.text('loop_name')[:80]}".strip()}
    section = next((each for each in song.sections if word == f"section {each.id}"), None)
    if section is None:
        return {}
    start, end = song.time.sample_at(section.start), song.time.sample_at(section.end)
    return {"start": start, "end": end, "range": section.name}


def _length_words(plan: Plan, done: Sequence[PrintJob]) -> str:
    """Return how long the waveforms are: the song, and its tail as far as it was printed."""
    song_s = plan.song.end_sample / plan.song.sample_rate
    printed = next((job.seconds for job in done if "start" not in job.options), None)
    if printed is None or printed <= song_s:
        return f"{clock(song_s)} and the tail"
    return f"{clock(printed)}, of it {printed - song_s:.1f} s tail"


def _jobs(opened: SongState) -> list[PrintJob]:
    jobs = PrintJob.objects.filter(song=opened.song).select_related("revision", "author")
    return list(jobs.defer("revision__document"))


def _row(part: Part, key: str, done: Sequence[PrintJob]) -> PartRow:
    printed = [(job, file) for job in done if (file := job.file_of(part.key)) is not None]
    same = next((job for job, _ in printed if job.keys.get(part.key) == key and "start" not in job.options), None)
    newest = printed[0] if printed else None
    state = "printed" if same else "changed" if newest else ""
    is_chosen = part.kind in PARTS
    file = newest[1] if newest else {}
    wave = peaks_path(file["columns"], WAVE_WIDTH, WAVE_HEIGHT) if file else ""
    return PartRow(part, is_chosen, state, same or (newest[0] if newest else None), file.get("lufs"), wave)
