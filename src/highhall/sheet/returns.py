"""A return on a sheet: its chain in order with every value, its fader, what feeds it, and what is measured of it."""

import math
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import takewhile

import numpy as np

from highhall.effects import NO_RESPONSES, Response, Signal
from highhall.measure.pictures import Picture, hit_response, picture_of_response
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.plan import MAIN, Effect, Plan, Return, Song
from highhall.sheet.acoustics import clarity_db, dense_after_s
from highhall.sheet.drawings import Picture2d, decay_drawing, time_drawing, tone_drawing
from highhall.sheet.room import packed, row_mm
from highhall.timing import Milliseconds, NoteValue
from highhall.wording import Form, figure, hertz_in_words

_COLUMNS = 3
_FIRST_MM = 60.0
_FED_BY_LETTERS = 150
_ALSO_MM = 7.8


@dataclass(frozen=True, slots=True)
class Value:
    """One value of an effect: its label, the value in words, and the same in another way, as in ms for a note."""

    label: str
    words: str
    also: str = ""


@dataclass(frozen=True, slots=True)
class EffectBlock:
    """An effect of a chain: its place, its kind, and its values."""

    place: int
    label: str
    is_on: bool
    values: Sequence[Value]


@dataclass(frozen=True, slots=True)
class ReturnBlock:
    """What a leaf shows of a return; pictures and figures stand on its first leaf."""

    effects: Sequence[EffectBlock]
    facts: Sequence[tuple[str, str]]
    fed_by: str
    time: Picture2d | None = None
    tone: Picture2d | None = None
    decays: Picture2d | None = None
    measured: Sequence[tuple[str, str]] = ()
    levels: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class _Answer:
    """What a return makes of a hit, and the picture of that."""

    response: Signal
    picture: Picture

    @classmethod
    def of(cls, return_: Return, song: Song, responses: Mapping[str, Response]) -> "_Answer | None":
        response = hit_response(return_, song, responses)
        return None if response is None else cls(response, picture_of_response(response, song.sample_rate))


def return_parts(
    plan: Plan, responses: Mapping[str, Response] = NO_RESPONSES
) -> Iterator[tuple[str, str, ReturnBlock]]:
    """Yield title, subtitle and block of every return; a long chain goes on on another leaf."""
    with ThreadPoolExecutor() as pool:
        answers = list(pool.map(lambda return_: _Answer.of(return_, plan.song, responses), plan.returns))
    for number, (return_, answer) in enumerate(zip(plan.returns, answers, strict=True), 1):
        picture = answer.picture if answer else None
        blocks = [_effect(plan.song, place, effect) for place, effect in enumerate(return_.chain, 1)]
        first, *rest = _split(blocks)
        sub = f"return {number} of {len(plan.returns)}"
        facts, fed_by = _facts(plan, return_), _fed_by(plan, return_)
        measured = _measured(answer, plan.song.sample_rate) if answer else []
        yield (
            return_.name,
            sub,
            ReturnBlock(
                first,
                facts,
                fed_by,
                time_drawing(picture, plan) if picture else None,
                tone_drawing(return_, plan.song.sample_rate),
                decay_drawing(picture) if picture else None,
                measured,
                _octave_levels(answer.picture) if answer else "",
            ),
        )
        for part in rest:
            yield return_.name, f"{sub}, continued", ReturnBlock(part, (), "")


def _split(blocks: Sequence[EffectBlock]) -> list[list[EffectBlock]]:
    """Return effects by leaf: on the first, pictures and what feeds the return stand too."""
    if not blocks:
        return [[]]
    first, *rest = packed(blocks, _height_mm, _FIRST_MM)
    return [first, *packed([block for leaf in rest for block in leaf], _height_mm)]


def _height_mm(block: EffectBlock) -> float:
    cells = [
        max(row_mm((value.label, 11), (value.words, 12)), _ALSO_MM if value.also else 0.0) for value in block.values
    ]
    rows = (cells[start : start + _COLUMNS] for start in range(0, len(cells), _COLUMNS))
    return row_mm((block.label, 40)) + sum(max(row) for row in rows)


def _effect(song: Song, place: int, effect: Effect) -> EffectBlock:
    values = []
    for parameter in effect.table.parameters:
        value = effect.value(parameter.name)
        if parameter.form is Form.LIST:
            values += [Value(f"Filter {number}", filter_.words, "") for number, filter_ in enumerate(effect.filters, 1)]
        else:
            also = _also(song, value) if isinstance(value, NoteValue | Milliseconds) else ""
            values.append(Value(parameter.label, effect.words(parameter.name), also))
    return EffectBlock(place, effect.table.label, effect.on, values)


def _also(song: Song, value: NoteValue | Milliseconds) -> str:
    """Return a note in ms at each tempo of the song, or a time in beats at each."""
    tempos = {round(tempo.whole_notes_per_s, 9): tempo for tempo in song.tempos}
    if isinstance(value, NoteValue):
        lengths = [f"{figure(1000 * float(value.whole_notes) / each)} ms" for each in tempos]
        return " / ".join(lengths[:4])
    beats = [value.seconds * each / float(tempo.beat.whole_notes) for each, tempo in tempos.items()]
    return " / ".join(f"{each:.3g}" for each in beats[:4]) + " beats"


def _facts(plan: Plan, return_: Return) -> list[tuple[str, str]]:
    level = "silence" if return_.level_db is None else f"{figure(return_.level_db)} dB"
    output = "Main" if return_.output == MAIN else plan.group(return_.output).name
    facts = [
        ("Level", f"{level}{', muted' if return_.mute else ''}"),
        ("Pan", f"{figure(100 * return_.pan, 0)} %"),
        ("Width", f"{figure(100 * return_.width, 0)} %"),
        ("Output", output),
    ]
    if any(move.target.target == return_.id for move in plan.moves):
        facts.append(("Moves", "see moves"))
    return facts


def _fed_by(plan: Plan, return_: Return) -> str:
    names = plan.names
    found = [names[send.source] for send in plan.sends_into(return_.id) if send.on and send.level_db is not None]
    shown = list(takewhile(lambda count: len(", ".join(found[:count])) <= _FED_BY_LETTERS, range(len(found) + 1)))[-1]
    words = ", ".join(found[:shown])
    return words if shown == len(found) and found else f"{words} and {len(found) - shown} more" if found else "nothing"


def _measured(answer: _Answer, rate: int) -> list[tuple[str, str]]:
    loudest_s = float(np.abs(answer.response).max(axis=0).argmax()) / rate
    clarity, dense = clarity_db(answer.response, rate), dense_after_s(answer.response, rate)
    found = [("Loudest after", f"{figure(1000 * loudest_s)} ms")]
    found += [("C80", f"{figure(clarity)} dB")] if clarity is not None and abs(clarity) < 40 else []
    found += [("Dense after", f"{figure(1000 * dense, 0)} ms")] if dense is not None else []
    return found


def _octave_levels(picture: Picture) -> str:
    """Return the mean level of every octave against that of what is fed, in words."""
    found, bands = [], np.array(CENTRES_HZ)
    for each in picture.decays:
        inside = (bands > each.centre_hz / 1.4) & (bands < each.centre_hz * 1.4)
        level = 10 * math.log10(max(float(np.mean(10 ** (picture.bands_db[inside] / 10))), 1e-12))
        found.append(f"{hertz_in_words(each.centre_hz)} {figure(level, 0)}")
    return f"{', '.join(found)} dB"
