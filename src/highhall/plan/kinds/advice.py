"""How parameters are best stepped, what is typical, and a sentence of advice for each; joined to the table."""

from collections.abc import Mapping
from typing import NamedTuple


class Advice(NamedTuple):
    """`step`: what an arrow key changes, in the parameter's unit, or a factor on a logarithmic scale; 0 for none."""

    step: float
    typical: str
    advice: str


_TIME = "Follow the tempo, then nudge by ear; what just misses the grid sounds late."
_WET_FIRST = "Keep it at 1 on a return; lower it only behind another step."

_ROWS: Mapping[str, Mapping[str, tuple[float, str, str]]] = {
    "reverb": {
        "space": (0, "plate for voices, room for drums", "Choose by distance: room and chamber are near, hall and cathedral far."),
        "decay_s": (1.06, "0.4 to 1.2 s near, 1.5 to 4 s far", "Let the tail fall under the music before the next strong beat."),
        "low_ratio": (0.05, "0.8 to 1.2", "Below 1 it keeps the low middle clear when many instruments feed it."),
        "low_hz": (1.06, "150 to 400 Hz", "Set it where the mix is crowded, not where the return is boomy alone."),
        "high_ratio": (0.05, "0.4 to 0.8", "Lower is darker and further away."),
        "high_hz": (1.06, "2.5 to 8 kHz", "Lower it until consonants and cymbals no longer hang in the air."),
        "pre_delay": (0, "1/64 to 1/16, 15 to 80 ms", "More keeps the source in front of its space; a note value keeps it in time."),
        "size": (0.05, "0.6 to 1.6", "Change it with the decay: a large space that dies fast sounds built."),
        "early_db": (0.5, "-12 to 0 dB", "Early sound tells the walls' distance; less of it moves the source back."),
        "diffusion": (0.05, "0.7 to 1", "Lower it for voices that should not blur, raise it for drums."),
        "mod_depth": (0.05, "0.2 to 0.5", "Enough to soften long tails; too much is heard on piano and held notes."),
        "mod_hz": (1.06, "0.3 to 1.2 Hz", "Slow wandering hides, fast wandering is an effect."),
        "stereo": (0, "true", "One for both sides suits a narrow slot in a wide mix."),
        "shift_semitones": (1, "0, 7, 12", "Octaves and fifths stay in the key whatever is played."),
        "shift_feed": (0.05, "0 to 0.5", "Little goes far: it feeds on itself as long as the tail lasts."),
    },
    "impulse": {
        "ir": (0, "", "A response of the same rate as the song loads fastest; others are resampled."),
        "pre_delay": (0, "1/64 to 1/16", "The response starts at its first sound, so this is the whole delay."),
        "decay_scale": (0.05, "0.5 to 1.2", "Shortening sounds natural, lengthening lifts the recording's noise."),
        "trim_s": (0.05, "the decay or less", "Cut what is only noise; it saves time as well."),
        "reverse": (0, "false", "Swells into a word: place it before one with a throw."),
        "direct": (0, "remove", "A return is wet only; keep it for speakers and boxes."),
    },
    "echo": {
        "left": (0, "1/8, 1/8., 1/4", _TIME),
        "right": (0, "another value than left", "Sides that differ are wide without a width step; equal ones sit in the middle."),
        "feedback": (0.02, "0.2 to 0.5", "Count repeats until -30 dB and stop where the next phrase begins."),
        "cross": (0.05, "0, or 1 for back and forth", "At 1 each repeat changes sides."),
        "input": (0, "stereo", "Left with full cross starts a single hit that bounces."),
        "left_db": (0.5, "-6 to 0 dB", "Balances the sides when one falls on the beat."),
        "right_db": (0.5, "-6 to 0 dB", "Balances the sides when one falls on the beat."),
        "low_cut_hz": (1.06, "150 to 400 Hz", "Each repeat gets thinner, so long echoes leave the bass alone."),
        "high_cut_hz": (1.06, "2.5 to 6 kHz", "Each repeat gets darker and steps back behind the voice."),
        "wow_depth_ms": (0.1, "0.2 to 1 ms", "A worn machine: more with longer times."),
        "wow_hz": (1.06, "0.3 to 1 Hz", "Slower than the beat, or it is heard as vibrato."),
        "drive": (0.05, "0.1 to 0.4", "Thickens loud repeats and never makes one louder."),
        "offset_ms": (0.5, "8 to 20 ms", "One side later than the other, after the loop: wide, and mono stays fair."),
    },
    "offset": {
        "left_ms": (0.5, "0 ms", "Leave one side at 0; the ear follows the earlier one."),
        "right_ms": (0.5, "8 to 20 ms", "Below 5 ms it is a comb in mono, above 35 ms a second attack."),
    },
    "doubler": {
        "left_ms": (0.5, "10 to 20 ms", "Near the other side's, but not the same."),
        "right_ms": (0.5, "18 to 30 ms", "Later means more of a second singer, earlier more of a wider one."),
        "left_cents": (0.5, "-9 to -5", "Opposite signs keep the pitch where it is."),
        "right_cents": (0.5, "5 to 9", "Opposite signs keep the pitch where it is."),
    },
    "chorus": {
        "rate": (1.06, "0.3 to 1 Hz", "Slow for pads and voices, a note value for plucked sounds."),
        "depth": (0.05, "0.3 to 0.6", "Until it shimmers, and back by a third."),
        "voices": (1, "2", "More voices are smoother and further back."),
        "mix": (0.05, "1", _WET_FIRST),
    },
    "flanger": {
        "rate": (1.06, "1/1, 0.1 to 0.4 Hz", "One sweep over one or two bars."),
        "depth": (0.05, "0.5 to 0.9", "The whole way is a jet, half of it a colour."),
        "feedback": (0.05, "-0.4 to 0.5", "Negative is hollow, positive is sharp."),
        "mix": (0.05, "1", _WET_FIRST),
    },
    "autopan": {
        "rate": (1.06, "1/2, 1/4", "Behind an echo, so that repeats land apart."),
        "depth": (0.05, "0.4 to 0.8", "The full width only for an effect of its own."),
        "shape": (0, "sine", "A triangle spends less time at the sides."),
    },
    "width": {
        "width": (0.05, "0.6 to 1.4", "Narrow what supports, leave wide what should surround."),
        "bass_mono_hz": (1.06, "100 to 200 Hz", "Keeps kick and bass in the middle when a return is wide."),
    },
    "drive": {
        "amount": (0.05, "0.1 to 0.4", "Before a reverb it thickens the tail, after it it breaks it up."),
        "tone_hz": (1.06, "4 to 12 kHz", "Lower it until the edge sits behind the source."),
        "mix": (0.05, "1", _WET_FIRST),
    },
    "crush": {
        "bits": (0.5, "8 to 12", "Fewer bits are noise, fewer samples are aliases: choose one of the two."),
        "rate_hz": (1.06, "8 to 16 kHz", "Follow it with a high cut, and only the grit stays."),
        "mix": (0.05, "1", _WET_FIRST),
    },
    "tone": {"bands": (0, "a low cut, a high cut", "Cut lows first: nothing clears a mix of returns as fast.")},
    "duck": {
        "key": (0, "the voice that feeds the return", "The space steps back while the source speaks and fills its gaps."),
        "threshold_db": (1, "10 dB under the source's level", "So that every word opens it and breaths do not."),
        "depth_db": (0.5, "4 to 12 dB", "Until words are clear; more is an effect."),
        "attack_ms": (1, "5 to 20 ms", "Short, so that the first consonant is clear too."),
        "hold_ms": (5, "50 to 150 ms", "Bridges the gaps between syllables."),
        "release_ms": (10, "1/8 to 1/4 in ms", "In time with the song the space breathes with it."),
    },
    "leveler": {
        "threshold_db": (1, "-30 to -18 dB", "Before a reverb it feeds every note alike."),
        "ratio": (0.5, "2 to 4", "A return needs less than an instrument."),
        "attack_ms": (1, "5 to 30 ms", "Longer lets the hit through."),
        "release_ms": (10, "80 to 250 ms", "Longer than a cycle of the lowest note, shorter than a beat."),
        "makeup_db": (0.5, "0 to 6 dB", "Compare at equal loudness before you like it better."),
    },
    "band": {
        "shape": (0, "low_cut, high_cut", "Cuts for order, bells for character."),
        "hz": (1.06, "low cut 150 to 400 Hz, high cut 5 to 10 kHz", "Sweep it while all of the mix plays."),
        "gain_db": (0.5, "-6 to 3 dB", "Cut where instruments already are."),
        "q": (0.1, "0.7 to 2", "Wide sounds natural, narrow removes a ring."),
        "slope_db_oct": (0, "12", "24 where the bass must stay free."),
        "on": (0, "true", "Off is the quickest comparison."),
    },
}  # fmt: skip

ADVICE: Mapping[tuple[str, str], Advice] = {
    (owner, name): Advice(*row) for owner, rows in _ROWS.items() for name, row in rows.items()
}
