"""Broadcast WAV, read back by programs that are not ours."""

import struct
import wave

import numpy as np
import pytest
import soundfile as sf
from scipy.io import wavfile
from wavinfo import WavInfoReader

from highhall.interchange.audio_files import AudioFileError
from highhall.interchange.broadcast_wave import BroadcastWave, Label, Tags, time_reference_samples
from highhall.interchange.cue_points import read_cue_points
from highhall.interchange.sound_check import checked_sound
from highhall.interchange.sound_writer import SoundWriter
from highhall.interchange.wave_chunks import wave_chunks
from highhall.plan import SendTarget, Throw
from highhall.plan.edits import add_throws
from highhall.prints.labels import labels_of
from highhall.timing import NoteValue, Position
from tests.core.plans import make_plan

TAGS = Tags(
    title="Test, Hall",
    comment="Begins at 3|1.",
    coding_history="A=PCM,F=48000,W=24,M=stereo,T=High Hall\r\n",
    time_reference=192_000,
    labels=(Label(0, "Verse"), Label(48_000, "Refrain – 2")),
)


def written(path, *, depth: str = "24", file_format: str = "wav", tags: Tags = TAGS) -> np.ndarray:
    sound = (0.5 * np.sin(np.arange(96_001) / 20) * np.array([[1.0], [-0.5]])).astype(np.float32)
    writer = SoundWriter(path, sample_rate=48000, file_format=file_format, depth=depth, tags=tags)
    for block in np.array_split(sound, 7, axis=1):
        writer.write(block)
    writer.close(loudness_lufs=-16.41, true_peak_db=-3.2)
    return sound


@pytest.mark.filterwarnings("ignore:Chunk .non-data. not understood")  # it reads the sound alone
@pytest.mark.parametrize("depth", ["16", "24", "32f"])
def test_two_other_readers_find_the_same_sound(tmp_path, depth: str) -> None:
    path = tmp_path / "a.wav"
    sound = written(path, depth=depth)
    step = {"16": 2.5 / 2**15, "24": 1 / 2**23, "32f": 0}[depth]
    rate, by_scipy = wavfile.read(path)
    scale = {"16": 2.0**15, "24": 2.0**31, "32f": 1.0}[depth]
    assert rate == 48000
    assert np.abs(by_scipy.T / scale - sound).max() <= step
    by_libsndfile, _ = sf.read(path, dtype="float64")
    assert np.abs(by_libsndfile.T - sound).max() <= step
    if depth != "32f":
        with wave.open(str(path)) as file:
            assert (file.getnframes(), file.getnchannels(), file.getsampwidth()) == (96_001, 2, int(depth) // 8)


def test_another_parser_finds_time_reference_cues_and_loudness(tmp_path) -> None:
    path = tmp_path / "a.wav"
    written(path)
    info = WavInfoReader(str(path), info_encoding="utf-8")
    assert info.bext.time_reference == 192_000
    assert info.bext.version == 2
    assert info.bext.description.startswith("Test, Hall. Begins at 3|1")
    assert info.bext.coding_history.startswith("A=PCM,F=48000,W=24")
    assert (info.bext.loudness_value, info.bext.max_true_peak) == (-16.41, -3.2)
    assert [(cue.name, cue.sample_offset) for cue in info.cues.cues] == [(1, 0), (2, 48_000)]
    assert [info.cues.label_and_note(cue.name)[0] for cue in info.cues.cues] == ["Verse", "Refrain – 2"]
    assert (info.info.title, info.info.comment) == ("Test, Hall", "Begins at 3|1.")


def test_our_own_readers_find_what_was_written(tmp_path) -> None:
    path = tmp_path / "a.wav"
    written(path)
    assert time_reference_samples(path) == 192_000
    assert [(cue.seconds, cue.label) for cue in read_cue_points(path)] == [(0.0, "Verse"), (1.0, "Refrain – 2")]


@pytest.mark.parametrize("depth", ["16", "24", "32f"])
def test_a_print_may_come_back_as_a_stem(tmp_path, depth: str) -> None:
    path = tmp_path / "a.wav"
    written(path, depth=depth)
    assert checked_sound(path).frames == 96_001
    path.write_bytes(path.read_bytes()[:-5000])
    with pytest.raises(AudioFileError, match="is cut off"):
        checked_sound(path)


def test_without_labels_there_is_no_cue_chunk(tmp_path) -> None:
    path = tmp_path / "a.wav"
    written(path, tags=Tags(title="Plain"))
    assert {chunk.name for chunk in wave_chunks(path)} == {b"JUNK", b"bext", b"fmt ", b"data", b"LIST"}


def test_flac_has_the_same_as_tags(tmp_path) -> None:
    path = tmp_path / "a.flac"
    sound = written(path, file_format="flac")
    with sf.SoundFile(path) as file:
        assert file.title == "Test, Hall"
        assert "Begins at sample 192000 of the song" in file.comment
        assert "Refrain – 2 at sample 48000" in file.comment
        assert np.abs(file.read().T - sound).max() <= 1 / 2**23


def test_over_4_gib_it_is_rf64_with_its_sizes_in_ds64(tmp_path) -> None:
    """The sound is a hole in a sparse file."""
    path, frames = tmp_path / "big.wav", 800_000_000
    with path.open("wb") as file:
        big = BroadcastWave(file, TAGS, sample_rate=48000, channels=2, sample_format=1, bits=24)
        start = file.tell()
        file.seek(start + 6 * frames - 6)
        big.write(bytes([1, 0, 0, 2, 0, 0]))
        big.close()
    assert path.stat().st_size > 4 << 30
    with path.open("rb") as file:
        head = file.read(48)
    riff, size, wave_, ds64, _, whole, data, samples = struct.unpack_from("<4sI4s4sIQQQ", head)
    assert (riff, size, wave_, ds64) == (b"RF64", 0xFFFFFFFF, b"WAVE", b"ds64")
    assert (whole, data, samples) == (path.stat().st_size - 8, 6 * frames, frames)
    with sf.SoundFile(path) as file:
        assert file.frames == frames
        file.seek(frames - 1)
        assert (file.read(1, dtype="int32") >> 8).tolist() == [[1, 2]]
    assert time_reference_samples(path) == 192_000
    assert [cue.label for cue in read_cue_points(path)] == ["Verse", "Refrain – 2"]


def test_sections_and_throws_are_labels_counted_from_where_the_print_begins() -> None:
    plan = make_plan()
    target = SendTarget(source="voice", target="hall", param="level_db")
    throws = [Throw(at=Position(bar), length=NoteValue(1, 4), value=-3.0) for bar in (1, 2)]
    labels = labels_of(add_throws(plan, target, throws), 48_000, plan.song.end_sample)
    found = [(label.sample, label.text) for label in labels]
    assert found == [(0, "a"), (48_000, "Throw voice to hall"), (144_000, "b")]
