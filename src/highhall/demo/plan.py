"""The demo song's plan: its time, its tracks, its returns, and how its depth moves."""

from collections.abc import Mapping
from typing import Any

from highhall.demo import score
from highhall.plan import (
    Effect,
    EffectTarget,
    Filter,
    Group,
    Move,
    Plan,
    Point,
    Return,
    ReturnTarget,
    Section,
    SectionValue,
    Send,
    SendTarget,
    Song,
    Tempo,
    Throw,
    Track,
)
from highhall.plan.edits import checked
from highhall.plan.model import MoveValue, ParameterValue
from highhall.timing import Meter, Milliseconds, NoteValue, Position

Params = Mapping[str, ParameterValue]

_DOTTED_QUARTER = NoteValue(1, 4, ".")


def demo_song() -> Song:
    """Return the song: 6/8 at 58 dotted quarters a minute, slowing in the outro."""
    sections = tuple(
        Section(id=section_id, name=name, start=Position(first), end=Position(end))
        for section_id, name, first, end in score.sections()
    )
    outro = sections[-1]
    return Song(
        title="Lantern Over Skerry",
        sample_rate=48000,
        meters=(Meter(1, 6, 8),),
        tempos=(
            Tempo(at=Position(1), bpm=58.0, beat=_DOTTED_QUARTER),
            Tempo(at=outro.start, bpm=58.0, beat=_DOTTED_QUARTER),
            Tempo(at=outro.end, bpm=50.0, beat=_DOTTED_QUARTER, ramp=True),
        ),
        sections=sections,
        end=outro.end,
    )


_GROUPS = (
    Group(id="voices", name="Voices"),
    Group(id="strings", name="Strings & Winds"),
    Group(id="rhythm", name="Rhythm"),
)

_TRACKS = (  # id, name, group, level, pan
    ("lead-voice", "Lead Voice", "voices", -3.0, 0.0),
    ("harmony-voices", "Harmony Voices", "voices", -9.0, 0.15),
    ("fiddle", "Fiddle", "strings", -8.0, -0.45),
    ("low-whistle", "Low Whistle", "strings", -9.0, 0.4),
    ("harp", "Harp", "strings", -8.0, 0.3),
    ("harmonium", "Harmonium", "strings", -12.0, -0.2),
    ("double-bass", "Double Bass", "rhythm", -6.0, 0.0),
    ("frame-drum", "Frame Drum", "rhythm", -7.0, -0.1),
    ("shakers", "Shakers", "rhythm", -14.0, 0.5),
    ("stones", "Stones", "rhythm", -12.0, -0.6),
)


def _silver_plate() -> Return:
    space: Params = {"space": "plate", "decay_s": 1.6, "pre_delay": NoteValue(1, 16, ".")}
    filters = (
        Filter(shape="low_cut", hz=240.0, slope_db_oct=12),
        Filter(shape="bell", hz=2600.0, gain_db=1.5, q=0.8),
        Filter(shape="high_cut", hz=9000.0, slope_db_oct=12),
    )
    return Return(
        id="silver-plate",
        name="Silver Plate",
        level_db=-3.0,
        output="voices",
        chain=(
            Effect(id="space", kind="reverb", params=space),
            Effect(id="tone", kind="tone", params={"bands": filters}),
        ),
    )


def _long_hall() -> Return:
    space: Params = {"space": "hall", "decay_s": 3.8, "pre_delay": NoteValue(1, 32), "early_db": -5.0}
    filters = (
        Filter(shape="low_cut", hz=220.0, slope_db_oct=24),
        Filter(shape="bell", hz=2800.0, gain_db=-3.0, q=1.1),
        Filter(shape="high_cut", hz=7500.0, slope_db_oct=6),
    )
    return Return(
        id="long-hall",
        name="Long Hall",
        level_db=-1.5,
        width=1.2,
        chain=(
            Effect(id="space", kind="reverb", params=space),
            Effect(id="tone", kind="tone", params={"bands": filters}),
        ),
    )


def _near_room() -> Return:
    space: Params = {"space": "room", "decay_s": 0.6, "pre_delay": Milliseconds(12)}
    filters = (Filter(shape="low_cut", hz=180.0), Filter(shape="high_cut", hz=8000.0, slope_db_oct=6))
    return Return(
        id="near-room",
        name="Near Room",
        level_db=-4.0,
        width=0.7,
        chain=(
            Effect(id="space", kind="reverb", params=space),
            Effect(id="tone", kind="tone", params={"bands": filters}),
        ),
    )


def _dotted_echo() -> Return:
    times: Params = {
        "left": NoteValue(1, 8, "."), "right": NoteValue(1, 4), "feedback": 0.32, "cross": 0.25,
        "low_cut_hz": 250.0, "high_cut_hz": 5000.0,
    }  # fmt: skip
    filters = (Filter(shape="low_cut", hz=350.0), Filter(shape="high_cut", hz=3800.0))
    return Return(
        id="dotted-echo",
        name="Dotted Echo",
        level_db=-6.5,
        chain=(Effect(id="echo", kind="echo", params=times), Effect(id="tone", kind="tone", params={"bands": filters})),
    )


def _slap() -> Return:
    times: Params = {"left": Milliseconds(128), "right": Milliseconds(128), "high_cut_hz": 6500.0}
    return Return(
        id="slap", name="Slap", level_db=-8.0, width=0.0, chain=(Effect(id="echo", kind="echo", params=times),)
    )


def _widen() -> Return:
    filters = (Filter(shape="low_cut", hz=300.0), Filter(shape="high_cut", hz=9000.0))
    chain = (Effect(id="doubler", kind="doubler", params={}), Effect(id="tone", kind="tone", params={"bands": filters}))
    return Return(id="widen", name="Widen", level_db=-7.0, width=1.4, chain=chain)


_SENDS = (
    ("lead-voice", "near-room", -18.0, "post"),
    ("harmony-voices", "near-room", -16.0, "post"),
    ("fiddle", "near-room", -12.0, "post"),
    ("low-whistle", "near-room", -14.0, "post"),
    ("harp", "near-room", -10.0, "post"),
    ("harmonium", "near-room", -15.0, "post"),
    ("frame-drum", "near-room", -9.0, "post"),
    ("shakers", "near-room", -13.0, "post"),
    ("stones", "near-room", -12.0, "post"),
    ("lead-voice", "silver-plate", -14.0, "post"),
    ("harmony-voices", "silver-plate", -12.5, "post"),
    ("stones", "silver-plate", -9.5, "post"),
    ("lead-voice", "long-hall", -24.0, "post"),
    ("harmony-voices", "long-hall", -12.0, "post"),
    ("fiddle", "long-hall", -15.5, "post"),
    ("low-whistle", "long-hall", -7.0, "post"),
    ("harp", "long-hall", -18.0, "post"),
    ("harmonium", "long-hall", -12.0, "post"),
    ("frame-drum", "long-hall", -22.0, "post"),
    ("dotted-echo", "long-hall", -12.0, "post"),
    ("lead-voice", "dotted-echo", -16.0, "post"),
    ("fiddle", "dotted-echo", -19.0, "post"),
    ("low-whistle", "dotted-echo", -18.0, "post"),
    ("stones", "dotted-echo", -14.0, "post"),
    ("lead-voice", "slap", -12.0, "post"),
    ("frame-drum", "slap", -15.0, "post"),
    ("harmony-voices", "widen", -10.0, "post"),
    ("harp", "widen", -15.0, "post"),
    ("harmonium", "widen", -16.0, "post"),
)


_REFRAINS = ("refrain-1", "refrain-2", "last-refrain")
_LAST_WORDS = ("7|4", "12|1", "23|4", "28|1")
"""Where the last words of the verses' phrases begin."""


def _moves() -> tuple[Move, ...]:
    """Verses are near and dry, refrains wide; echoes take last words, the whistle rises and rings out."""

    def level(source: str, target: str, *sections: SectionValue, **layers: Any) -> Move:  # noqa: ANN401 - points or throws
        return Move(target=SendTarget(source=source, target=target, param="level_db"), sections=sections, **layers)

    words = tuple(
        Throw(at=Position.parse(at), length=NoteValue(1, 4, "."), value=-7.0, ramp_in=Milliseconds(20), ramp_out=NoteValue(1, 8))
        for at in _LAST_WORDS
    )  # fmt: skip
    last_note = Throw(at=Position.parse("54|1"), length=Milliseconds(14000), value=-8.0, ramp_in=NoteValue(1, 16))
    rise = (Point(at=Position.parse("51|1"), value=-7.0), Point(at=Position.parse("56|1"), value=-2.5))
    decay = EffectTarget(target="long-hall", effect="space", param="decay_s")
    return (
        level("lead-voice", "long-hall", *(_in(s, -17.0, NoteValue(1, 4)) for s in _REFRAINS)),
        level("fiddle", "long-hall", _in("verse-2", -20.0)),
        level("lead-voice", "dotted-echo", _in("verse-1", None), _in("verse-2", -26.0, NoteValue(1, 4)), throws=words),
        level("low-whistle", "long-hall", points=rise),
        level("low-whistle", "dotted-echo", throws=(last_note,)),
        Move(
            target=ReturnTarget(target="long-hall", param="level_db"),
            sections=(_in("bridge", 0.5, NoteValue(1, 2)), _in("last-refrain", -0.5, NoteValue(1, 4))),
        ),
        Move(target=decay, sections=(_in("last-refrain", 4.6),)),
        Move(target=ReturnTarget(target="widen", param="mute"), sections=(_in("bridge", value=True),)),
    )


def _in(section: str, value: MoveValue, ramp: NoteValue | None = None) -> SectionValue:
    return SectionValue(section=section, value=value, ramp=ramp)


def demo_plan(stem_folder: str = "stems") -> Plan:
    """Return the plan, its stems in `stem_folder`/ID.flac."""
    return checked(
        Plan(
            song=demo_song(),
            groups=_GROUPS,
            tracks=tuple(
                Track(id=i, name=name, group=group, stem=f"{stem_folder}/{i}.flac", level_db=level, pan=pan)
                for i, name, group, level, pan in _TRACKS
            ),
            returns=(_near_room(), _silver_plate(), _long_hall(), _dotted_echo(), _slap(), _widen()),
            sends=tuple(
                Send(source=s, target=t, level_db=level, send_point=send_point) for s, t, level, send_point in _SENDS
            ),
            moves=_moves(),
        )
    )
