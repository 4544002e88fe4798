"""Files and values that are meant to hurt are refused in a sentence: quickly, and without anything but the core's own error."""

import json
import struct

import mido
import numpy as np
import pytest
import soundfile as sf
from django.urls import reverse

from highhall.errors import CoreError
from highhall.interchange.midi import MidiFileError, read_midi
from highhall.interchange.sections import SectionTableError, read_sections_csv
from highhall.interchange.sound_check import checked_sound
from highhall.plan import PlanRefusedError, parse_plan, plan_from_document
from highhall.plan.edits import end_at
from highhall.plan.order import feeding_path
from highhall.timing import Position
from tests.core.plans import make_document, make_plan


def refused(document: dict) -> str:
    with pytest.raises(PlanRefusedError) as caught:
        plan_from_document(document)
    str(caught.value).encode()
    return str(caught.value)


def test_a_song_lasts_four_hours_at_most() -> None:
    document = make_document()
    document["song"]["end"] = "99999|1"
    assert "song.end: a song lasts 4 hours at most, 99999|1 is after 55.6" in refused(document)
    with pytest.raises(CoreError, match="4 hours at most"):
        end_at(make_plan(), Position(8000))


def test_a_midi_file_of_some_bytes_cannot_make_a_song_of_days(tmp_path) -> None:
    track = b"\x00\xff\x51\x03\x07\xa1\x20" + b"\x98\xb5\x00\xff\x2f\x00"
    (tmp_path / "long.mid").write_bytes(
        b"MThd" + struct.pack(">IHHH", 6, 0, 1, 1) + b"MTrk" + struct.pack(">I", len(track)) + track
    )
    song_map = read_midi(tmp_path / "long.mid")
    with pytest.raises(CoreError, match="4 hours at most"):
        end_at(make_plan(), song_map.end)


@pytest.mark.parametrize("at", ["header", "track"])
def test_lengths_that_lie_in_a_midi_file_take_no_memory(tmp_path, at: str) -> None:
    lie = struct.pack(">I", 0xFFFFFFFF)
    header = lie if at == "header" else struct.pack(">I", 6)
    (tmp_path / "lie.mid").write_bytes(b"MThd" + header + struct.pack(">HHH", 0, 1, 96) + b"MTrk" + lie + b"\x00" * 30)
    with pytest.raises(MidiFileError):
        read_midi(tmp_path / "lie.mid")


def test_a_tempo_of_zero_and_a_bad_key_in_a_midi_file_do_not_break_it(tmp_path) -> None:
    for name, message in (("tempo.mid", b"\xff\x51\x03\x00\x00\x00"), ("key.mid", b"\xff\x59\x02\x64\x64")):
        track = b"\x00" + message + b"\x00\xff\x2f\x00"
        (tmp_path / name).write_bytes(
            b"MThd" + struct.pack(">IHHH", 6, 0, 1, 96) + b"MTrk" + struct.pack(">I", len(track)) + track
        )
        with pytest.raises((MidiFileError, CoreError)):
            end_at(make_plan(), read_midi(tmp_path / name).end)
    assert mido


@pytest.mark.parametrize(
    ("spoil", "sentence"),
    [
        (lambda d: d["song"].update(title="a\ud800b"), "song.title: expected a text"),
        (lambda d: d.update({"\ud800": 1}), "unknown key"),
        (lambda d: d["song"]["tempos"][0].update(bpm=10**400), "song.tempos[0].bpm: expected a number"),
        (lambda d: d["song"].update(sample_rate=10**400), "song.sample_rate: expected"),
        (lambda d: d.update(sends=[d["sends"][0]] * 1_000_000), "sends: expected 0 to 5000 elements, got 1000000"),
        (lambda d: d.update(tracks=[{}] * 100_000), "tracks: expected 0 to 500 elements, got 100000"),
    ],
    ids=["half-a-character", "half-a-key", "endless-tempo", "endless-rate", "a-million-sends", "tracks"],
)  # fmt: skip
def test_a_plan_with_odd_values_is_refused_with_its_place(spoil, sentence: str) -> None:
    document = make_document()
    spoil(document)
    assert sentence in refused(document)


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("{" + ",".join(f'"k{n % 7999}": 0' for n in range(8000)) + "}", 'the key "k0" stands twice'),
        ('{"a": ' + "9" * 5000 + "}", "not JSON: "),
        ('{"a": ' + "[" * 100_000, "nested too deeply"),
        (" " * (33 << 20), "longer than 32 MiB"),
    ],
    ids=["doubled-key", "digits", "depth", "length"],
)
def test_a_document_that_is_meant_to_hurt_is_refused(text: str, sentence: str) -> None:
    with pytest.raises(PlanRefusedError, match=sentence):
        parse_plan(text)


def test_a_table_of_sections_has_a_limit(tmp_path) -> None:
    rows = "\n".join(f"Part {number},{number}|1," for number in range(1, 100_001))
    (tmp_path / "many.csv").write_text(f"name,start,end\n{rows}\n")
    with pytest.raises(SectionTableError, match=r'"many\.csv" has more than 1000 rows'):
        read_sections_csv(tmp_path / "many.csv", Position(200_000))


def test_samples_far_over_full_scale_are_refused(tmp_path) -> None:
    sf.write(tmp_path / "loud.wav", np.full(100, 3e38, np.float32), 48000, subtype="FLOAT")
    with pytest.raises(CoreError, match=r'"loud.wav" holds samples of 3e\+38 times full scale; expected at most 1000'):
        checked_sound(tmp_path / "loud.wav")


def test_a_size_that_lies_beyond_every_disk_is_refused(tmp_path) -> None:
    sf.write(tmp_path / "a.wav", np.zeros(100), 48000, format="RF64", subtype="PCM_16")
    content = bytearray((tmp_path / "a.wav").read_bytes())
    content[:4] = b"RF64"
    at = content.find(b"ds64")
    if at < 0:  # written small, as RIFF: a ds64 chunk is put before the others
        content[12:12] = b"ds64" + struct.pack("<IQQQI", 28, 2**63, 2**63, 2**63, 0)
    else:
        content[at + 8 : at + 32] = struct.pack("<QQQ", 2**63, 2**63, 2**63)
    sizes = content.find(b"data")
    content[sizes + 4 : sizes + 8] = b"\xff\xff\xff\xff"
    (tmp_path / "a.wav").write_bytes(content)
    with pytest.raises(CoreError, match=r'"a.wav"'):
        checked_sound(tmp_path / "a.wav")


def test_ways_through_many_returns_are_found_at_once() -> None:
    document = make_document()
    ids = [f"r{number}" for number in range(60)]
    document["returns"] = [{"id": each, "chain": []} for each in ids]
    document["moves"] = []
    document["sends"] = [
        {"from": ids[first], "to": ids[second]}
        for first in range(60)
        for second in range(first + 1, min(first + 9, 60))
    ]
    assert feeding_path(plan_from_document(document), "r0", "r59")[-1] == "r59"
    assert feeding_path(plan_from_document(document), "r59", "r0") == []


ODD = ["\0", "\ud800", "9" * 5000, "1e999", "nan", "-inf", "99999|1", "1|0", "x" * 300_000, "\u0663", "[]", "../../x"]


@pytest.mark.parametrize("value", ODD, ids=range(len(ODD)))
def test_odd_values_in_requests_are_never_a_broken_page(signed_in, song, value: str) -> None:
    signed_in.raise_request_exception = False
    value = value.encode("utf-8", "surrogatepass").decode("latin-1") if "\ud800" in value else value
    fields = (
        "value",
        "at",
        "title",
        "name",
        "bpm",
        "path",
        "field",
        "section",
        "from",
        "to",
        "end",
        "meter",
        "text",
        "key",
    )
    for name in (
        "song:set-end", "song:set-tempo", "song:set-meter", "song:add-section", "song:set-tracks", "song:add-group", "returns:add-return",
        "sends:set-send", "sends:set-many-sends", "moves:change-points", "moves:throw-one", "hall:space", "hall:apply", "hall:deepen",
        "versions:keep-version", "handoff:print", "sharing:add-comment", "sharing:add-person", "songs:rename", "uploads:begin-stem",
    ):  # fmt: skip
        said = dict.fromkeys(fields, value) | {"revision": "1", "track": "voice", "source": "voice", "target": "hall"}
        for some in (
            said,
            {**said, "field": "level_db", "path": "chain/space/decay_s"},
            {**said, "at": "1|1", "bpm": "100"},
        ):
            answer = signed_in.post(reverse(name, args=[song.pk]), some)
            assert answer.status_code < 500, f"{name} with {value[:20]!r} in {sorted(some)}"
    for name in (
        "song:show",
        "sends:show",
        "moves:show",
        "hall:show",
        "findings:show",
        "audition:manifest",
        "audition:loudness",
    ):
        assert (
            signed_in.get(reverse(name, args=[song.pk]), dict.fromkeys((*fields, "version", "solo"), value)).status_code
            < 500
        ), name


def test_a_set_of_a_mebibyte_is_read_at_once() -> None:
    effects = [{"id": f"e{n}", "kind": "tone", "params": {"bands": []}} for n in range(16)]
    returns = [{"id": f"r{n}", "chain": effects} for n in range(100)]
    document = make_document()
    document |= {"returns": returns, "sends": [], "moves": []}
    text = json.dumps(document)
    assert len(parse_plan(text + " " * (1 << 20)).returns) == 100
