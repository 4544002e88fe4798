"""The one table of step kinds and their parameters.

Validation, JSON Schema, form fields and the page `docs/kinds.md` all follow from it.
"""

from collections.abc import Mapping
from dataclasses import replace

from highhall.plan.kinds.advice import ADVICE
from highhall.plan.kinds.parameter import Kind, Parameter, ParameterType, Scale

SPACES = ("room", "chamber", "plate", "hall", "cathedral")
BAND_SHAPES = ("low_cut", "high_cut", "bell", "low_shelf", "high_shelf", "notch")
CUT_SLOPES_DB_OCT = (6, 12, 18, 24)


def _number(
    name: str, unit: str, low: float, high: float, default: float | None, meaning: str,
    *, moves: bool = True, log: bool = False, level: bool = False, **more: object,
) -> Parameter:  # fmt: skip
    scale = Scale.LOGARITHMIC if log else Scale.LEVEL if level else Scale.LINEAR
    return Parameter(
        name=name, unit=unit, low=low, high=high, default=default, meaning=meaning,
        is_movable=moves, scale=scale, **more,  # type: ignore[arg-type]
    )  # fmt: skip


def _time(
    name: str, low: float, high: float, default: str | None, meaning: str, *, required: bool = False
) -> Parameter:
    return Parameter(
        name=name, type=ParameterType.TIME, unit="ms", low=low, high=high, default=default,
        meaning=meaning, is_required=required, is_movable=True, scale=Scale.TIME,
    )  # fmt: skip


def _rate(default: float | str, meaning: str) -> Parameter:
    return Parameter(
        name="rate", type=ParameterType.RATE, unit="Hz", low=0.05, high=10.0, default=default,
        meaning=meaning, is_movable=True, scale=Scale.LOGARITHMIC,
    )  # fmt: skip


def _choice(
    name: str, choices: tuple[str, ...], default: str | None, meaning: str, *, required: bool = False
) -> Parameter:
    return Parameter(
        name=name, type=ParameterType.CHOICE, choices=choices, default=default, meaning=meaning,
        is_required=required,
    )  # fmt: skip


def _flag(name: str, default: bool, meaning: str) -> Parameter:  # noqa: FBT001 - a default, not a switch
    return Parameter(name=name, type=ParameterType.FLAG, default=default, meaning=meaning)


def _path(name: str, meaning: str) -> Parameter:
    return Parameter(name=name, type=ParameterType.PATH, meaning=meaning, is_required=True)


def _spaces(*values: float) -> Mapping[str, float]:
    return dict(zip(SPACES, values, strict=True))


_MIX = _number("mix", "", 0, 1, 1, "share of processed sound; 1 in a return's first step")


def _advised(owner: str, parameters: tuple[Parameter, ...]) -> tuple[Parameter, ...]:
    """Return the parameters with how they are best stepped, what is typical, and advice."""
    return tuple(
        replace(p, step=advice.step, typical=advice.typical, advice=advice.advice)
        for p in parameters
        for advice in [ADVICE[owner, p.name]]
    )


_TABLE = (
    Kind("reverb", "A space made by an algorithm", (
        _choice("space", SPACES, None, "the kind of space", required=True),
        _number("decay_s", "s", 0.1, 30, None, "time to -60 dB in the middle band", log=True, is_required=True),
        _number("low_ratio", "", 0.2, 3, None, "decay far below low_hz, as a multiple", by_space=_spaces(1.0, 1.05, 1.1, 1.2, 1.3)),
        _number("low_hz", "Hz", 40, 1000, 250, "where the low decay begins", log=True),
        _number("high_ratio", "", 0.05, 1.5, None, "decay far above high_hz, as a multiple", by_space=_spaces(0.7, 0.75, 0.6, 0.5, 0.4)),
        _number("high_hz", "Hz", 1000, 16000, 4000, "where the high decay begins", log=True),
        _time("pre_delay", 0, 500, "0ms", "silence before the space answers"),
        _number("size", "", 0.3, 3, 1, "the space's dimensions, as a multiple", moves=False),
        _number("early_db", "dB", -60, 6, None, "energy of the early part against the late part", level=True, by_space=_spaces(-1, -4, -6, -5, -9)),
        _number("diffusion", "", 0, 1, None, "how soon single echoes blur", moves=False, by_space=_spaces(0.8, 0.9, 1.0, 1.0, 1.0)),
        _number("mod_depth", "", 0, 1, 0.3, "how far the lines wander"),
        _number("mod_hz", "Hz", 0.05, 5, 0.7, "how fast the lines wander", log=True),
        _flag("stereo", True, "two sides that differ, or one for both"),
        _number("shift_semitones", "semitones", -24, 24, 0, "interval by which the tail is shifted", moves=False),
        _number("shift_feed", "", 0, 0.9, 0, "how much of the shifted tail is fed back"),
    ), makes_wet=True),
    Kind("impulse", "A space from an impulse response", (
        _path("ir", "the impulse response, a sound file"),
        _time("pre_delay", 0, 500, "0ms", "silence before the space answers"),
        _number("decay_scale", "", 0.1, 2, 1, "decay as a multiple of the recorded one", moves=False),
        _number("trim_s", "s", 0.05, 20, None, "length kept", moves=False, may_be_null=True),
        _flag("reverse", False, "play the response backwards"),
        _choice("direct", ("keep", "remove"), "remove", "what happens to the direct sound in it"),
    ), makes_wet=True),
    Kind("echo", "Repeats in time", (
        _time("left", 1, 5000, None, "time of the left repeat", required=True),
        _time("right", 1, 5000, None, "time of the right repeat", required=True),
        _number("feedback", "", 0, 0.98, 0, "level of each repeat against the one before"),
        _number("cross", "", 0, 1, 0, "how much of a repeat changes sides"),
        _choice("input", ("stereo", "mono", "left"), "stereo", "what enters the two lines"),
        _number("left_db", "dB", -60, 6, 0, "level of the left repeats", level=True),
        _number("right_db", "dB", -60, 6, 0, "level of the right repeats", level=True),
        _number("low_cut_hz", "Hz", 20, 2000, None, "low cut in the loop", log=True, may_be_null=True, null_acts_as=1),
        _number("high_cut_hz", "Hz", 500, 20000, None, "high cut in the loop", log=True, may_be_null=True, null_acts_as=40000),
        _number("wow_depth_ms", "ms", 0, 5, 0, "how far the time wanders"),
        _number("wow_hz", "Hz", 0.05, 10, 0.5, "how fast the time wanders", log=True),
        _number("drive", "", 0, 1, 0, "saturation in the loop"),
        _number("offset_ms", "ms", -50, 50, 0, "right side later (left if negative)"),
    ), makes_wet=True),
    Kind("offset", "Two sides at two short delays", (
        _number("left_ms", "ms", 0, 50, 0, "delay of the left side"),
        _number("right_ms", "ms", 0, 50, 12, "delay of the right side"),
    ), makes_wet=True),
    Kind("doubler", "Short delays with a small detune", (
        _number("left_ms", "ms", 5, 60, 14, "delay of the left voice"),
        _number("right_ms", "ms", 5, 60, 22, "delay of the right voice"),
        _number("left_cents", "cents", -50, 50, -7, "detune of the left voice"),
        _number("right_cents", "cents", -50, 50, 7, "detune of the right voice"),
    ), makes_wet=True),
    Kind("chorus", "Several wandering voices", (
        _rate(0.8, "how fast the voices wander"),
        _number("depth", "", 0, 1, 0.5, "how far the voices wander"),
        _number("voices", "", 1, 4, 2, "voices a side", moves=False, type=ParameterType.WHOLE_NUMBER),
        _MIX,
    ), makes_wet=True),
    Kind("flanger", "A short wandering delay against itself", (
        _rate(0.25, "how fast the delay wanders"),
        _number("depth", "", 0, 1, 0.7, "how far the delay wanders"),
        _number("feedback", "", -0.95, 0.95, 0.3, "how much is fed back"),
        _MIX,
    ), makes_wet=True),
    Kind("autopan", "From side to side in time", (
        _rate("1/4", "one round from left to right and back"),
        _number("depth", "", 0, 1, 0.7, "how far it goes"),
        _choice("shape", ("sine", "triangle"), "sine", "the way it goes"),
    ), makes_wet=False),
    Kind("width", "Stereo width", (
        _number("width", "", 0, 2, 1, "level of the side against the middle"),
        _number("bass_mono_hz", "Hz", 20, 500, None, "below it the sides are one", log=True, may_be_null=True, null_acts_as=1),
    ), makes_wet=False),
    Kind("drive", "Saturation", (
        _number("amount", "", 0, 1, 0.3, "how hard it is driven"),
        _number("tone_hz", "Hz", 500, 20000, 12000, "high cut after it", log=True),
        _MIX,
    ), makes_wet=True),
    Kind("crush", "Coarser words and rates", (
        _number("bits", "bit", 4, 16, 10, "word length"),
        _number("rate_hz", "Hz", 2000, 48000, 12000, "sample rate", log=True),
        _MIX,
    ), makes_wet=True),
    Kind("tone", "Filters", (
        Parameter(name="bands", type=ParameterType.BANDS, meaning="the filters, in order", is_required=True),
    ), makes_wet=False),
    Kind("duck", "Lowered while a key sounds", (
        Parameter(name="key", type=ParameterType.PATH, meaning="id of the track or group that lowers it", is_required=True),
        _number("threshold_db", "dB", -60, 0, -30, "level of the key from which it acts", level=True),
        _number("depth_db", "dB", 0, 60, 12, "how far it is lowered"),
        _number("attack_ms", "ms", 0.1, 200, 10, "time to go down", moves=False),
        _number("hold_ms", "ms", 0, 2000, 80, "time to stay down", moves=False),
        _number("release_ms", "ms", 5, 5000, 250, "time to come back", moves=False),
    ), makes_wet=False),
    Kind("leveler", "Evens out levels", (
        _number("threshold_db", "dB", -60, 0, -24, "level from which it acts", level=True),
        _number("ratio", "", 1, 20, 3, "input rise for 1 dB of output rise", moves=False),
        _number("attack_ms", "ms", 0.1, 200, 10, "time to go down", moves=False),
        _number("release_ms", "ms", 5, 5000, 120, "time to come back", moves=False),
        _number("makeup_db", "dB", 0, 24, 0, "level added after it", moves=False),
    ), makes_wet=False),
)  # fmt: skip

KINDS: Mapping[str, Kind] = {
    kind.name: replace(kind, parameters=_advised(kind.name, kind.parameters)) for kind in _TABLE
}

BAND_PARAMETERS: tuple[Parameter, ...] = _advised("band", (
    _choice("shape", BAND_SHAPES, None, "what the band does", required=True),
    _number("hz", "Hz", 10, 20000, None, "corner or centre frequency", log=True, is_required=True),
    _number("gain_db", "dB", -24, 24, 0, "gain of a bell or shelf"),
    _number("q", "", 0.1, 20, 0.707, "sharpness of a bell, shelf or notch", moves=False),
    Parameter(
        name="slope_db_oct", unit="dB/oct", low=6, high=24, default=12,
        type=ParameterType.WHOLE_NUMBER, meaning="slope of a cut: 6, 12, 18 or 24",
    ),
    _flag("on", True, "whether the band acts"),
))  # fmt: skip

LEVEL = _number("level_db", "dB", -120, 24, 0, "level; null is silence", level=True, may_be_null=True)
PAN = _number("pan", "", -1, 1, 0, "from left (-1) to right (1)")
WIDTH = _number("width", "", 0, 2, 1, "level of the side against the middle")
ON = Parameter(
    name="on", type=ParameterType.FLAG, default=True, meaning="whether it acts", is_movable=True, scale=Scale.SWITCH
)
MUTE = Parameter(
    name="mute", type=ParameterType.FLAG, default=False, meaning="silenced", is_movable=True, scale=Scale.SWITCH
)

SEND_MOVABLE: Mapping[str, Parameter] = {"level_db": LEVEL, "on": ON, "pan": PAN}
RETURN_MOVABLE: Mapping[str, Parameter] = {"level_db": LEVEL, "pan": PAN, "width": WIDTH, "mute": MUTE}
