"""Short delays that widen, double and sweep."""

from highhall.plan.kinds.faders import MIX
from highhall.plan.kinds.parameter import Kind, Start
from highhall.plan.kinds.rows import number, rate, whole_number
from highhall.wording import CENTS, MILLISECONDS, PERCENT

OFFSET = Kind(
    name="offset",
    label="Offset",
    meaning="Two sides at two short delays",
    makes_wet=True,
    style="widen",
    summary="{sides}",
    parameters=(
        number(
            "left_ms",
            "Left",
            MILLISECONDS,
            0,
            50,
            "delay of the left side",
            default=0,
            step=0.5,
            mirror="right_ms",
            typical="0 ms",
            advice="Leave one side at 0; the ear follows the earlier one.",
        ),
        number(
            "right_ms",
            "Right",
            MILLISECONDS,
            0,
            50,
            "delay of the right side",
            default=12,
            step=0.5,
            mirror="left_ms",
            typical="8 to 20 ms",
            advice="Below 5 ms it is a comb in mono, above 35 ms a second attack.",
        ),
    ),
    starts=(
        Start(
            "stereo-offset",
            "Stereo offset 11 ms",
            {"right_ms": 11},
            "A mono synth that should reach across without a repeat.",
        ),
    ),
)


DOUBLER = Kind(
    name="doubler",
    label="Doubler",
    meaning="Short delays with a small detune",
    makes_wet=True,
    style="widen",
    summary="{sides}",
    parameters=(
        number(
            "left_ms",
            "Left",
            MILLISECONDS,
            5,
            60,
            "delay of the left voice",
            default=14,
            step=0.5,
            mirror="right_ms",
            is_built_for=True,
            typical="10 to 20 ms",
            advice="Near the other side's, but not the same.",
        ),
        number(
            "right_ms",
            "Right",
            MILLISECONDS,
            5,
            60,
            "delay of the right voice",
            default=22,
            step=0.5,
            mirror="left_ms",
            is_built_for=True,
            typical="18 to 30 ms",
            advice="Later means more of a second singer, earlier more of a wider one.",
        ),
        number(
            "left_cents",
            "Left detune",
            CENTS,
            -50,
            50,
            "detune of the left voice",
            default=-7,
            step=0.5,
            mirror="right_cents",
            has_phase=True,
            typical="-9 to -5",
            advice="Opposite signs keep the pitch where it is.",
        ),
        number(
            "right_cents",
            "Right detune",
            CENTS,
            -50,
            50,
            "detune of the right voice",
            default=7,
            step=0.5,
            mirror="left_cents",
            has_phase=True,
            typical="5 to 9",
            advice="Opposite signs keep the pitch where it is.",
        ),
    ),
    starts=(
        Start("double", "Double", {}, "As if sung twice: choruses, backing voices."),
        Start(
            "wide-double",
            "Wide double",
            {"left_ms": 19, "right_ms": 31, "left_cents": -12, "right_cents": 11},
            "Further apart, for gang voices and guitars.",
        ),
    ),
)


CHORUS = Kind(
    name="chorus",
    label="Chorus",
    meaning="Several wandering voices",
    makes_wet=True,
    summary="chorus",
    parameters=(
        rate(
            "Rate",
            "how fast the voices wander",
            default=0.8,
            typical="0.3 to 1 Hz",
            advice="Slow for pads and voices, a note value for plucked sounds.",
        ),
        number(
            "depth",
            "Depth",
            PERCENT,
            0,
            1,
            "how far the voices wander",
            default=0.5,
            step=0.05,
            typical="0.3 to 0.6",
            advice="Until it shimmers, and back by a third.",
        ),
        whole_number(
            "voices",
            "Voices",
            1,
            4,
            "voices a side",
            default=2,
            step=1,
            typical="2",
            advice="More voices are smoother and further back.",
        ),
        MIX,
    ),
    starts=(
        Start("slow-shimmer", "Slow shimmer", {"rate": 0.35, "depth": 0.5}, "Pads and clean guitars that stand still."),
        Start(
            "many-hands", "Many hands", {"rate": 0.8, "depth": 0.4, "voices": 4}, "Makes one string or voice a section."
        ),
    ),
)


FLANGER = Kind(
    name="flanger",
    label="Flanger",
    meaning="A short wandering delay against itself",
    makes_wet=True,
    summary="flanger",
    parameters=(
        rate(
            "Rate",
            "how fast the delay wanders",
            default=0.25,
            typical="1/1, 0.1 to 0.4 Hz",
            advice="One sweep over one or two bars.",
        ),
        number(
            "depth",
            "Depth",
            PERCENT,
            0,
            1,
            "how far the delay wanders",
            default=0.7,
            step=0.05,
            typical="0.5 to 0.9",
            advice="The whole way is a jet, half of it a colour.",
        ),
        number(
            "feedback",
            "Feedback",
            PERCENT,
            -0.95,
            0.95,
            "how much is fed back",
            default=0.3,
            step=0.05,
            typical="-0.4 to 0.5",
            advice="Negative is hollow, positive is sharp.",
        ),
        MIX,
    ),
    starts=(
        Start(
            "two-bar-sweep", "Two-bar sweep", {"rate": "2/1", "depth": 0.8}, "Cymbals and distorted guitars in a break."
        ),
    ),
)

KINDS = (
    OFFSET,
    DOUBLER,
    CHORUS,
    FLANGER,
)
