"""What may be a stem, what may not, and what is made of many channels."""

from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from highhall.errors import CoreError
from highhall.interchange.channels import ManyChannels, to_stereo
from highhall.interchange.sound_check import checked_sound
from tests.core.plans import write_stem
from tests.core.wave_files import wave_file

NOISE = 0.1 * np.random.default_rng(0).standard_normal((48000, 2))


def write(path: Path, samples: np.ndarray = NOISE, *, rate: int = 48000, subtype: str | None = None, kind: str | None = None) -> Path:  # fmt: skip
    sf.write(path, samples, rate, subtype=subtype, format=kind)
    return path


@pytest.mark.parametrize(
    ("name", "subtype", "kind"),
    [
        ("a.wav", "PCM_16", None), ("a.wav", "PCM_24", None), ("a.wav", "PCM_32", None), ("a.wav", "FLOAT", None), ("a.wav", "PCM_24", "WAVEX"),
        ("a.wav", "PCM_24", "RF64"), ("a.aiff", "PCM_24", None), ("a.flac", "PCM_24", None), ("a.ogg", "VORBIS", None), ("a.mp3", None, None),
    ],
)  # fmt: skip
def test_every_kind_of_file_that_engineers_send_is_taken(tmp_path, name: str, subtype: str | None, kind: str) -> None:
    facts = checked_sound(write(tmp_path / name, subtype=subtype, kind=kind))
    assert (facts.channels, facts.sample_rate) == (2, 48000)
    assert facts.seconds == pytest.approx(1.0, abs=0.06)


@pytest.mark.parametrize("rate", [8000, 11025, 44100, 96000, 192000])
def test_any_rate_from_8_to_192_khz_is_taken(tmp_path, rate: int) -> None:
    assert checked_sound(write(tmp_path / "a.wav", rate=rate)).sample_rate == rate


def broken(path: Path, *, keep: float = 1.0, start: bytes = b"") -> Path:
    """Cut a file to a share of its bytes, or write over its start."""
    content = path.read_bytes()
    path.write_bytes((start + content[len(start) :])[: round(keep * len(content))])
    return path


def with_nan() -> np.ndarray:
    samples = NOISE.copy()
    samples[30000] = np.nan
    return samples


@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda f: write(f / "a.wav", NOISE[:0]), '"a.wav" holds no samples'),
        (lambda f: write(f / "a.wav", with_nan(), subtype="FLOAT"), r'"a.wav" holds samples that are not numbers \(NaN or infinity\)'),
        (lambda f: write(f / "a.wav", np.full((100, 1), np.inf), subtype="DOUBLE"), "not numbers"),
        (lambda f: broken(write(f / "a.wav"), keep=0.6), r'"a.wav" is cut off: \d+ bytes of its sound are missing'),
        (lambda f: broken(write(f / "a.wav", kind="RF64"), keep=0.6), '"a.wav" is cut off'),
        (lambda f: broken(write(f / "a.aiff"), keep=0.6), '"a.aiff" is cut off'),
        (lambda f: broken(write(f / "a.flac"), keep=0.6), '"a.flac" (is cut off|breaks off)'),
        (lambda f: broken(write(f / "a.flac"), start=b"fLaX"), '"a.flac" cannot be read as sound'),
        (lambda f: write(f / "a.wav", NOISE[:100], rate=4000), '"a.wav" has a rate of 4000 Hz; expected 8000 to 192000 Hz'),
        (lambda f: write(f / "a.flac", np.zeros((8000 * 3 * 3600, 1), np.int16), rate=8000, subtype="PCM_16"), '"a.flac" lasts 180 minutes; expected at most 60'),
    ],
    ids=["empty", "nan", "infinity", "short-wav", "short-rf64", "short-aiff", "short-flac", "no-flac", "slow", "3-hours"],
)  # fmt: skip
def test_what_no_stem_may_be_is_one_clear_sentence(tmp_path, make, sentence: str) -> None:
    with pytest.raises(CoreError, match=sentence) as refusal:
        checked_sound(make(tmp_path))
    assert "\n" not in str(refusal.value)


def test_a_wav_that_does_not_know_its_length_yet_is_read_to_its_end(tmp_path) -> None:
    path = wave_file(tmp_path / "a.wav")
    content = bytearray(path.read_bytes())
    content[40:44] = b"\xff\xff\xff\xff"
    path.write_bytes(bytes(content))
    assert checked_sound(path).seconds == pytest.approx(1.0, abs=0.01)


def channels(count: int) -> np.ndarray:
    """A constant on every channel: 0.1 on the first, 0.2 on the second and so on."""
    return np.repeat(0.1 * np.arange(1, count + 1)[:, None], 1000, axis=1)


@pytest.mark.parametrize(
    ("count", "left", "right"),
    [(3, 0.1 + 0.3 * 0.5**0.5, 0.2 + 0.3 * 0.5**0.5), (4, 0.1 + 0.3 * 0.5**0.5, 0.2 + 0.4 * 0.5**0.5), (6, 0.1 + 0.8 * 0.5**0.5, 0.2 + 0.9 * 0.5**0.5)],
)  # fmt: skip
def test_a_fold_down_follows_the_standard_and_does_not_clip(tmp_path, count: int, left: float, right: float) -> None:
    write_stem(tmp_path / "many.wav", 2 * channels(count))
    to_stereo(tmp_path / "many.wav", tmp_path / "two.wav", ManyChannels.FOLD_DOWN)
    samples, _ = sf.read(tmp_path / "two.wav")
    np.testing.assert_allclose(samples.mean(axis=0), [2 * left, 2 * right], atol=2e-4)


def test_the_first_pair_is_taken_as_it_is_and_odd_numbers_are_not_folded(tmp_path) -> None:
    write_stem(tmp_path / "many.wav", channels(7))
    to_stereo(tmp_path / "many.wav", tmp_path / "two.wav", ManyChannels.FIRST_PAIR)
    np.testing.assert_allclose(sf.read(tmp_path / "two.wav")[0].mean(axis=0), [0.1, 0.2], atol=1e-4)
    with pytest.raises(CoreError, match="has 7 channels, which cannot be folded down; expected 3, 4, 5, 6, 8"):
        to_stereo(tmp_path / "many.wav", tmp_path / "no.wav", ManyChannels.FOLD_DOWN)
    with pytest.raises(CoreError, match="has 7 channels; expected one"):
        to_stereo(tmp_path / "many.wav", tmp_path / "no.wav", ManyChannels.REFUSE)
    assert not (tmp_path / "no.wav").exists()
