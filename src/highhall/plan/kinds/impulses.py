"""Spaces from impulse responses."""

from highhall.plan.kinds.parameter import Kind, Parameter
from highhall.plan.kinds.rows import choice, flag, number, time
from highhall.wording import SECONDS, TIMES, Form

IMPULSE = Kind(
    name="impulse",
    label="Impulse",
    meaning="A space from an impulse response",
    makes_wet=True,
    style="hall",
    summary="impulse",
    parameters=(
        Parameter(
            name="ir",
            label="Response",
            form=Form.PATH,
            meaning="the impulse response, a sound file",
            is_required=True,
            advice="A response of the same rate as the song loads fastest; others are resampled.",
        ),
        time(
            "pre_delay",
            "Pre-delay",
            0,
            500,
            "silence before the space answers",
            default="0ms",
            typical="1/64 to 1/16",
            advice="The response starts at its first sound, so this is the whole delay.",
        ),
        number(
            "decay_scale",
            "Decay scale",
            TIMES,
            0.1,
            2,
            "decay as a multiple of the recorded one",
            moves=False,
            default=1,
            step=0.05,
            typical="0.5 to 1.2",
            advice="Shortening sounds natural, lengthening lifts the recording's noise.",
        ),
        number(
            "trim_s",
            "Trim",
            SECONDS,
            0.05,
            20,
            "length kept",
            moves=False,
            may_be_null=True,
            step=0.05,
            typical="the decay or less",
            advice="Cut what is only noise; it saves time as well.",
        ),
        flag(
            "reverse",
            "Reverse",
            "play the response backwards",
            default=False,
            typical="false",
            advice="Swells into a word: place it before one with a throw.",
        ),
        choice(
            "direct",
            "Direct",
            ("keep", "remove"),
            "what happens to the direct sound in it",
            default="remove",
            typical="remove",
            advice="A return is wet only; keep it for speakers and boxes.",
        ),
    ),
)

KINDS = (IMPULSE,)
