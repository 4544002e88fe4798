"""Spectra of what returns are fed and give, against tones whose powers are known."""

import numpy as np
import pytest

from highhall.curves import gain_of_db
from highhall.depth import DepthModel
from highhall.findings import Heard, look
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.plan import SendTarget
from highhall.plan.edits import set_return, set_section_value, set_send
from highhall.render.mixing import track_gains
from tests.core.depth_songs import WIRE, model_of, song
from tests.core.planted import base, heard
from tests.core.signals import RATE

PEAK = 0.2
LOW, HIGH = 250.0, 2000.0
BOOMY = {"kind": "tone", "params": {"bands": [{"shape": "bell", "hz": 250, "gain_db": 14.0, "q": 0.8}]}}


def band(hz: float) -> int:
    return int(np.argmin(np.abs(np.array(CENTRES_HZ) - hz)))


def two_tones(seconds: float) -> np.ndarray:
    """A tone at 250 Hz in the first half, one at 2 kHz half as high in the second."""
    time = np.arange(round(seconds * RATE)) / RATE
    first = time < seconds / 2
    sound = np.where(first, PEAK * np.sin(2 * np.pi * LOW * time), 0.5 * PEAK * np.sin(2 * np.pi * HIGH * time))
    return sound.astype(np.float32)[None]


@pytest.fixture(scope="module")
def wired() -> DepthModel:
    """Two sections of four seconds, one tone in each; the wire lets through what it is fed."""
    return model_of(song(), two_tones(8.0))


def test_each_section_has_the_power_of_its_own_tone_at_its_third_octave(wired) -> None:
    dry = wired.dry_spectra["voice"].sum(axis=1)
    left, right = track_gains(1, 0.0, 0.0)
    gain = float(np.sum(np.square(left)) + np.sum(np.square(right)))
    assert dry[0, band(LOW)] == pytest.approx(gain * PEAK**2 / 2, rel=0.02)
    assert dry[1, band(HIGH)] == pytest.approx(gain * (PEAK / 2) ** 2 / 2, rel=0.02)
    assert dry[0, band(HIGH)] < 1e-3 * dry[1, band(HIGH)]


def test_the_whole_song_is_the_mean_of_its_sections_and_a_wire_gives_what_it_is_fed(wired) -> None:
    spectrum = wired.return_spectra["wire"]
    for powers in (spectrum.fed, spectrum.out, wired.dry_spectra["voice"]):
        assert powers[-1] == pytest.approx(powers[:-1].mean(axis=0))
    assert spectrum.out == pytest.approx(wired.dry_spectra["voice"] * gain_of_db(-6.0) ** 2, rel=1e-3, abs=1e-9)


def test_a_send_that_moves_by_section_feeds_each_section_at_its_own_level(wired) -> None:
    target = SendTarget(source="voice", target="wire", param="level_db")
    moved = wired.edited(set_section_value(wired.plan, target, "b", -18.0))
    change = moved.return_spectra["wire"].fed[:2].sum(axis=(1, 2)) / wired.return_spectra["wire"].fed[:2].sum(
        axis=(1, 2)
    )
    assert 10 * np.log10(change) == pytest.approx([0.0, -12.0], abs=0.3)


def test_a_return_that_feeds_another_does_so_at_its_own_level_and_main_hears_its_width() -> None:
    sends = [{"from": "voice", "to": "wire", "level_db": 0.0}, {"from": "wire", "to": "second", "level_db": -6.0}]
    plan = song(returns=[{"id": "wire", "chain": [WIRE]}, {"id": "second", "chain": [WIRE]}], sends=sends)
    quiet = model_of(set_return(plan, "wire", level_db=-4.0), two_tones(8.0))
    first, second = (quiet.return_spectra[key] for key in ("wire", "second"))
    assert second.fed == pytest.approx(first.fed * gain_of_db(-10.0) ** 2, rel=1e-3, abs=1e-9)
    assert first.out == pytest.approx(first.fed * gain_of_db(-4.0) ** 2, rel=1e-3, abs=1e-9)


def test_low_mids_lie_in_the_sections_in_which_they_build_up() -> None:
    plan_base = base(np.random.default_rng(3))
    document = plan_base.document | {"returns": [
        each | {"chain": [*each["chain"][:1], BOOMY]} if each["id"] == "hall" else each for each in plan_base.document["returns"]
    ]}  # fmt: skip
    there = heard(document, plan_base.stems)
    there = there.edited(set_send(there.plan, "voice", "hall", level_db=-14.0))
    everywhere = _low_mids(there)
    pad = SendTarget(source="pad", target="hall", param="on")
    voice = SendTarget(source="voice", target="hall", param="on")
    plan = there.plan
    for target in (pad, voice):
        plan = set_section_value(plan, target, "refrain", False)
    without = _low_mids(there.edited(plan))
    refrain = there.span("refrain")
    assert refrain in everywhere
    assert without
    assert refrain not in without


def _low_mids(there: Heard) -> tuple[tuple[float, float], ...]:
    (found,) = look(there, only=["low-mids-build-up"])
    return found.places
