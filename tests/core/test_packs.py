"""Songs as one file: the same song comes back, the same song is the same bytes, and hostile files leave nothing."""

import hashlib
import io
import json
import re
import stat
import struct
import zipfile
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall import cli
from highhall.errors import CoreError
from highhall.interchange.packs import FORMAT, MANIFEST, pack_chunks, unpack
from highhall.interchange.zip_stream import zip_chunks
from highhall.plan import document_of, plan_from_document, write_plan
from highhall.render import Engine, Stems
from tests.core.laws.strategies import documents
from tests.core.plans import make_document, make_plan, write_stem


@pytest.fixture(scope="module")
def source(tmp_path_factory):
    """Stems of half a second, and an impulse response."""
    folder = tmp_path_factory.mktemp("source")
    chance = np.random.default_rng(5)
    for name in ("voice.wav", "harp.wav", "drum.wav", "ir/room.wav"):
        (folder / name).parent.mkdir(exist_ok=True)
        write_stem(folder / name, 0.1 * chance.standard_normal((2, 24_000)) * np.exp(-np.arange(24_000) / 6000))
    return folder


def packed(plan, folder, path):
    path.write_bytes(b"".join(pack_chunks(plan, folder)))
    return path


@pytest.fixture
def pack(source, tmp_path):
    return packed(make_plan(), source, tmp_path / "song.zip")


@settings(derandomize=True, max_examples=50, deadline=None)
@given(document=documents())
def test_any_song_comes_back_as_the_same_plan_with_the_same_bytes(document, source, tmp_path_factory) -> None:
    plan, folder = plan_from_document(document), tmp_path_factory.mktemp("round")
    first = packed(plan, source, folder / "a.zip")
    assert unpack(first, folder / "song") == plan
    assert (folder / "song/plan.json").read_text() == write_plan(plan)
    for path in (path for path in (folder / "song").rglob("*.wav")):
        assert path.read_bytes() == (source / path.relative_to(folder / "song")).read_bytes()
    assert packed(plan, folder / "song", folder / "b.zip").read_bytes() == first.read_bytes()


def test_a_song_that_comes_back_sounds_the_same(source, pack, tmp_path) -> None:
    plan = unpack(pack, tmp_path / "song")
    heard = [
        Engine(plan, Stems.opened(plan, folder, tmp_path / "decoded" / str(number))).advance(48_000).main
        for number, folder in enumerate((source, tmp_path / "song"))
    ]
    np.testing.assert_array_equal(heard[0], heard[1])
    assert np.abs(heard[0]).max() > 0.01


def test_other_programs_open_a_pack(pack) -> None:
    with zipfile.ZipFile(pack) as file:
        assert file.testzip() is None
        assert file.namelist()[:2] == [MANIFEST, "plan.json"]
        manifest = json.loads(file.read(MANIFEST))
        for row in manifest["files"]:
            assert hashlib.sha256(file.read(row["path"])).hexdigest() == row["sha256"]


def test_an_archive_is_written_a_piece_at_a_time(tmp_path) -> None:
    big = tmp_path / "big.bin"
    with big.open("wb") as file:
        file.truncate(8 << 20)
    chunks = list(zip_chunks({"big.bin": big, "text": b"word"}))
    assert max(len(chunk) for chunk in chunks) < 2 << 20
    with zipfile.ZipFile(io.BytesIO(b"".join(chunks))) as archive:
        assert archive.read("text") == b"word"
        assert archive.getinfo("big.bin").file_size == 8 << 20


def test_a_song_whose_stem_is_gone_is_not_packed(tmp_path) -> None:
    with pytest.raises(CoreError, match=r'"drum.wav" is missing; "'):
        pack_chunks(make_plan(), tmp_path)  # refused before the first chunk


def test_a_folder_with_something_in_it_is_not_written_to(pack, tmp_path) -> None:
    (tmp_path / "there").mkdir()
    (tmp_path / "there/mine.txt").write_text("mine")
    with pytest.raises(CoreError, match="exists already; choose a new folder"):
        unpack(pack, tmp_path / "there")
    assert (tmp_path / "there/mine.txt").read_text() == "mine"


# hostile and damaged files


def archive(
    path, *, files: dict[str, bytes] | None = None, listed: list[dict] | None = None, change: Callable | None = None
):
    """Write an archive as a pack, with its manifest, and something done to it."""
    document = json.dumps(
        {**document_of(make_plan()), "tracks": [], "sends": [], "moves": [], "groups": [], "returns": []}
    )
    contents = {"plan.json": document.encode(), **(files or {})}
    rows = [{"path": k, "size": len(v), "sha256": hashlib.sha256(v).hexdigest()} for k, v in contents.items()]
    with zipfile.ZipFile(path, "w") as file:
        manifest = {"format": FORMAT, "version": 1, "files": listed if listed is not None else rows}
        file.writestr(MANIFEST, json.dumps(manifest))
        for name, content in contents.items():
            info = zipfile.ZipInfo(name)
            info.external_attr = 0o100644 << 16
            if change:
                change(info)
            file.writestr(info, content)
    return path


def refused(path, tmp_path, **limits) -> str:
    before = sorted(p.name for p in tmp_path.iterdir())
    with pytest.raises(CoreError) as error:
        unpack(path, tmp_path / "out", **limits)
    assert sorted(p.name for p in tmp_path.iterdir()) == before, "nothing is left"
    assert "\n" not in str(error.value)
    return str(error.value)


def test_what_is_only_such_an_archive_is_opened(tmp_path) -> None:
    assert unpack(archive(tmp_path / "a.zip"), tmp_path / "out").tracks == ()


@pytest.mark.parametrize("name", ["../evil", "/etc/evil", "a/../../evil", "..\\evil", "C:evil"])
def test_paths_that_lead_out_are_refused(tmp_path, name: str) -> None:
    path = archive(tmp_path / "a.zip", files={name: b"x"})
    assert "which leads out of the song's folder" in refused(path, tmp_path)


@pytest.mark.parametrize("mode", [stat.S_IFLNK, stat.S_IFIFO, stat.S_IFCHR])
def test_links_and_devices_are_refused(tmp_path, mode: int) -> None:
    def as_link(info) -> None:
        info.external_attr = (mode | 0o777) << 16

    path = archive(tmp_path / "a.zip", files={"voice.wav": b"/etc/passwd"}, change=as_link)
    assert "which is a link or a device" in refused(path, tmp_path)


def test_a_bomb_is_refused_before_it_is_written_and_one_that_lies_while_it_is(tmp_path) -> None:
    def deflated(info) -> None:
        info.compress_type = zipfile.ZIP_DEFLATED

    path = archive(tmp_path / "a.zip", files={"bomb.wav": bytes(50_000_000)}, change=deflated)
    assert path.stat().st_size < 100_000
    assert "needs 0.1 GB, there is room for 0.0 GB" in refused(path, tmp_path, most_bytes=1_000_000)
    data = bytearray(path.read_bytes())
    honest = struct.pack("<I", 50_000_000)
    lie = struct.pack("<I", 1000)
    rows = json.dumps(50_000_000).encode()
    assert data.count(honest) >= 2
    path.write_bytes(bytes(data).replace(honest, lie).replace(rows, b"    1000"))
    assert "a.zip" in refused(path, tmp_path, most_bytes=1_000_000)


@pytest.mark.parametrize(
    ("files", "listed", "sentence"),
    [
        ({"more.txt": b"x"}, [], "which its manifest does not list"),
        ({}, [{"path": "plan.json", "size": 1, "sha256": ""}], "has another size than its manifest says"),
        ({}, [{"path": "plan.json", "size": -1, "sha256": ""}], "the manifest of .* cannot be read"),
        ({}, [{"path": "plan.json"}], "the manifest of .* cannot be read"),
    ],
)
def test_manifests_that_lie_are_refused(tmp_path, files, listed, sentence: str) -> None:
    assert re.search(sentence, refused(archive(tmp_path / "a.zip", files=files, listed=listed), tmp_path))


@settings(derandomize=True, max_examples=60, deadline=None)
@given(data=st.data())
def test_a_torn_or_altered_file_is_refused_in_a_sentence_or_whole(data, source, tmp_path_factory) -> None:
    folder = tmp_path_factory.mktemp("torn")
    whole = bytearray(b"".join(pack_chunks(make_plan(), source)))
    if data.draw(st.booleans()):
        whole = whole[: data.draw(st.integers(0, len(whole) - 1))]
    else:
        whole[data.draw(st.integers(0, len(whole) - 1))] ^= data.draw(st.integers(1, 255))
    (folder / "a.zip").write_bytes(whole)
    try:
        plan = unpack(folder / "a.zip", folder / "out")
    except CoreError:
        assert [path.name for path in folder.iterdir()] == ["a.zip"]
    else:
        assert plan == make_plan()


@pytest.mark.parametrize("content", [b"", b"not a zip", b"PK\x05\x06" + bytes(18)])
def test_what_is_no_song_is_refused(tmp_path, content: bytes) -> None:
    (tmp_path / "a.zip").write_bytes(content)
    assert refused(tmp_path / "a.zip", tmp_path).startswith('"a.zip" is ')


def test_a_plan_whose_stem_is_not_in_the_pack_is_refused(tmp_path) -> None:
    document = make_document()
    text = json.dumps(document).encode()
    row = {"path": "plan.json", "size": len(text), "sha256": hashlib.sha256(text).hexdigest()}
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as file:
        file.writestr(MANIFEST, json.dumps({"format": FORMAT, "version": 1, "files": [row]}))
        file.writestr("plan.json", text)
    assert 'lacks "drum.wav", which its plan needs' in refused(tmp_path / "a.zip", tmp_path)


def test_pack_and_unpack_by_command(source, tmp_path, capsys) -> None:
    (source / "plan.json").write_text(write_plan(make_plan()))
    assert cli.main(["pack", str(source / "plan.json"), "--out", str(tmp_path / "song.zip")]) == 0
    assert "the plan and 3 files" in capsys.readouterr().out
    assert cli.main(["unpack", str(tmp_path / "song.zip"), "--out", str(tmp_path / "song")]) == 0
    assert capsys.readouterr().out.strip() == f"{tmp_path}/song/plan.json: Test, 3 files"
    assert cli.main(["check", str(tmp_path / "song/plan.json")]) == 0
    assert cli.main(["unpack", str(tmp_path / "song.zip"), "--out", str(tmp_path / "song")]) == 2
