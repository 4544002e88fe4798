"""Stereo picture and distortion."""

from highhall.plan.kinds.faders import MIX
from highhall.plan.kinds.parameter import Kind, Start
from highhall.plan.kinds.rows import choice, logarithmic, number, rate
from highhall.wording import BITS, HERTZ, PERCENT

AUTOPAN = Kind(
    name="autopan",
    label="Autopan",
    meaning="From side to side in time",
    makes_wet=False,
    parameters=(
        rate(
            "Rate",
            "one round from left to right and back",
            default="1/4",
            typical="1/2, 1/4",
            advice="Behind an echo, so that repeats land apart.",
        ),
        number(
            "depth",
            "Depth",
            PERCENT,
            0,
            1,
            "how far it goes",
            default=0.7,
            step=0.05,
            typical="0.4 to 0.8",
            advice="The full width only for an effect of its own.",
        ),
        choice(
            "shape",
            "Shape",
            ("sine", "triangle"),
            "the way it goes",
            default="sine",
            typical="sine",
            advice="A triangle spends less time at the sides.",
        ),
    ),
    starts=(
        Start(
            "walking-repeats",
            "Walking repeats",
            {"rate": "1/2", "depth": 0.8},
            "Behind an echo: every repeat lands elsewhere.",
        ),
    ),
)


WIDTH = Kind(
    name="width",
    label="Width",
    meaning="Stereo width",
    makes_wet=False,
    parameters=(
        number(
            "width",
            "Width",
            PERCENT,
            0,
            2,
            "level of the side against the middle",
            default=1,
            step=0.05,
            typical="0.6 to 1.4",
            advice="Narrow what supports, leave wide what should surround.",
        ),
        logarithmic(
            "bass_mono_hz",
            "Bass mono",
            HERTZ,
            20,
            500,
            "below it the sides are one",
            may_be_null=True,
            null_acts_as=1,
            step=1.06,
            typical="100 to 200 Hz",
            advice="Keeps kick and bass in the middle when a return is wide.",
        ),
    ),
    starts=(
        Start(
            "firm-middle",
            "Firm middle",
            {"width": 1.2, "bass_mono_hz": 140},
            "A wide return that leaves bass and kick alone.",
        ),
    ),
)


DRIVE = Kind(
    name="drive",
    label="Drive",
    meaning="Saturation",
    makes_wet=True,
    is_linear=False,
    parameters=(
        number(
            "amount",
            "Amount",
            PERCENT,
            0,
            1,
            "how hard it is driven",
            default=0.3,
            step=0.05,
            typical="0.1 to 0.4",
            advice="Before a reverb it thickens the tail, after it it breaks it up.",
        ),
        logarithmic(
            "tone_hz",
            "Tone",
            HERTZ,
            500,
            20000,
            "high cut after it",
            default=12000,
            step=1.06,
            typical="4 to 12 kHz",
            advice="Lower it until the edge sits behind the source.",
        ),
        MIX,
    ),
    starts=(
        Start(
            "warm-edge",
            "Warm edge",
            {"amount": 0.25, "tone_hz": 7000},
            "Before a plate, so that its tail is heard in a loud mix.",
        ),
        Start("torn-edge", "Torn edge", {"amount": 0.7, "tone_hz": 4500}, "A throw that should sound broken."),
    ),
)


CRUSH = Kind(
    name="crush",
    label="Crush",
    meaning="Coarser words and rates",
    makes_wet=True,
    is_linear=False,
    parameters=(
        number(
            "bits",
            "Bits",
            BITS,
            4,
            16,
            "word length",
            default=10,
            step=0.5,
            typical="8 to 12",
            advice="Fewer bits are noise, fewer samples are aliases: choose one of the two.",
        ),
        logarithmic(
            "rate_hz",
            "Rate",
            HERTZ,
            2000,
            48000,
            "sample rate",
            default=12000,
            step=1.06,
            is_built_for=True,
            has_phase=True,
            typical="8 to 16 kHz",
            advice="Follow it with a high cut, and only the grit stays.",
        ),
        MIX,
    ),
    starts=(Start("old-sampler", "Old sampler", {"bits": 9, "rate_hz": 14000}, "Grit on a drum room."),),
)

KINDS = (
    AUTOPAN,
    WIDTH,
    DRIVE,
    CRUSH,
)
