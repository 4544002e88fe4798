"""Sound files in and out: exact where they can be, whole or not there."""

import numpy as np
import pytest
import soundfile as sf

from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash, decoded_stem, written_whole
from highhall.interchange.sound_writer import SoundWriter
from tests.core.plans import write_stem


@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("suffix", ["wav", "flac"])
def test_a_stem_at_the_songs_rate_is_taken_bit_for_bit(tmp_path, channels: int, suffix: str) -> None:
    noise = np.random.default_rng(0).uniform(-0.9, 0.9, (channels, 150_001))
    samples = (np.round(noise * 2**23) / 2**23).astype(np.float32)  # what 24 bits hold
    write_stem(tmp_path / f"a.{suffix}", samples)
    np.testing.assert_array_equal(decoded_stem(tmp_path / f"a.{suffix}", 48000, tmp_path / "decoded"), samples)


@pytest.mark.parametrize("rate", [8000, 44100, 96000, 192000])
def test_another_rate_is_resampled_in_level_and_time(tmp_path, rate: int) -> None:
    hz, seconds = 1000.0, 2
    wave = 0.5 * np.sin(2 * np.pi * hz * np.arange(seconds * rate) / rate)
    write_stem(tmp_path / "a.wav", wave[None].astype(np.float32), rate)
    heard = decoded_stem(tmp_path / "a.wav", 48000, tmp_path / "decoded")[0]
    assert len(heard) == pytest.approx(seconds * 48000, abs=2)
    inside = slice(4800, 91_000)
    ideal = 0.5 * np.sin(2 * np.pi * hz * np.arange(seconds * 48000) / 48000)
    assert np.abs(heard[inside] - ideal[inside]).max() < 1e-4


def test_the_decoded_copy_is_named_by_content_and_reused(tmp_path) -> None:
    write_stem(tmp_path / "a.wav", np.ones((1, 100)))
    write_stem(tmp_path / "b.wav", np.ones((1, 100)))
    assert content_hash(tmp_path / "a.wav") == content_hash(tmp_path / "b.wav")
    folder = tmp_path / "decoded"
    decoded_stem(tmp_path / "a.wav", 48000, folder)
    before = [path.stat().st_mtime_ns for path in folder.iterdir()]
    decoded_stem(tmp_path / "b.wav", 48000, folder)
    assert [path.stat().st_mtime_ns for path in folder.iterdir()] == before
    assert len(before) == 1


def test_a_stem_whose_content_is_known_is_not_read_for_its_name(tmp_path) -> None:
    samples, folder = np.ones((1, 100)), tmp_path / "decoded"
    write_stem(tmp_path / "a.wav", samples)
    known = content_hash(tmp_path / "a.wav")
    decoded_stem(tmp_path / "a.wav", 48000, folder)
    write_stem(tmp_path / "a.wav", 0.5 * samples)
    np.testing.assert_array_equal(decoded_stem(tmp_path / "a.wav", 48000, folder, known), samples)


def test_a_stem_that_is_refused_leaves_no_copy(tmp_path) -> None:
    write_stem(tmp_path / "a.wav", np.full((1, 200_000), np.inf))
    with pytest.raises(CoreError, match="not numbers"):
        decoded_stem(tmp_path / "a.wav", 48000, tmp_path / "decoded")
    assert list((tmp_path / "decoded").iterdir()) == []


def test_a_file_appears_whole_or_not_at_all(tmp_path) -> None:
    target = tmp_path / "out" / "a.txt"

    def break_off() -> None:
        with written_whole(target) as temporary:
            temporary.write_text("half")
            raise RuntimeError

    with pytest.raises(RuntimeError):
        break_off()
    assert list(target.parent.iterdir()) == []
    with written_whole(target) as temporary:
        temporary.write_text("whole")
        assert not target.exists()
    assert target.read_text() == "whole"


@pytest.mark.parametrize(("depth", "step"), [("24", 2**-23), ("32f", 2**-24)])
def test_what_is_written_is_what_is_read(tmp_path, depth: str, step: float) -> None:
    block = np.random.default_rng(1).uniform(-1, 1, (2, 100_000)).astype(np.float32)
    writer = SoundWriter(tmp_path / "a.wav", sample_rate=44100, file_format="wav", depth=depth)
    writer.write(block[:, :70_000])
    writer.write(block[:, 70_000:])
    writer.close()
    heard, rate = sf.read(tmp_path / "a.wav", dtype="float64")
    assert (rate, writer.frames, writer.clipped_samples) == (44100, 100_000, 0)
    assert np.abs(heard.T - block).max() <= step


def test_float_files_keep_what_lies_over_full_scale(tmp_path) -> None:
    writer = SoundWriter(tmp_path / "a.wav", sample_rate=48000, file_format="wav", depth="32f")
    writer.write(np.full((2, 10), 3.5, np.float32))
    writer.close()
    assert sf.read(tmp_path / "a.wav")[0].max() == 3.5
    assert writer.clipped_samples == 0


def test_16_bits_are_dithered_without_bias(tmp_path) -> None:
    """With triangular dither the mean of many samples is right far below one step."""
    writer = SoundWriter(tmp_path / "a.flac", sample_rate=48000, file_format="flac", depth="16")
    level = 0.3 / 32768
    writer.write(np.full((2, 200_000), level, np.float32))
    writer.close()
    assert sf.read(tmp_path / "a.flac")[0].mean() * 32768 == pytest.approx(0.3, abs=0.02)
