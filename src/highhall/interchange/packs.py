"""A whole song as one file: a ZIP with its plan, its stems, its impulse responses, and a manifest of them with their hashes.

The manifest comes first. Packing the same song twice gives the same bytes.
"""

import errno
import hashlib
import json
import shutil
import stat
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash
from highhall.interchange.zip_stream import Content, zip_chunks
from highhall.plan import Plan, PlanRefusedError, parse_plan, write_plan
from highhall.plan.references import files_of

MANIFEST, PLAN = "high-hall-song.json", "plan.json"
FORMAT, VERSION = "high-hall-song", 1
_LONGEST_TEXT = 64 << 20
_RESERVE_BYTES = 1 << 30
_CHUNK_BYTES = 1 << 20
_DAMAGED = (zipfile.BadZipFile, zlib.error, struct.error, EOFError, NotImplementedError, RuntimeError, ValueError)
"""What zipfile raises for archives that are broken."""


class PackError(CoreError):
    """A file is not a song that can be opened; the text says what is wrong with it."""


@dataclass(frozen=True, slots=True)
class Entry:
    """A file of a pack as its manifest lists it."""

    path: str
    size: int
    sha256: str


def pack_chunks(plan: Plan, folder: Path) -> Iterator[bytes]:
    """Return the pack of a plan whose files lie in a folder, a chunk after another.

    Raises
    ------
    PackError
        If a file is missing; that is so before the first chunk.
    """
    for path in files_of(plan):
        if not (folder / path).is_file():
            raise PackError(f'"{path}" is missing; "{plan.song.title}" is packed with all its files')
    return _packed(plan, folder)


def _packed(plan: Plan, folder: Path) -> Iterator[bytes]:
    document = write_plan(plan).encode()
    entries = [Entry(PLAN, len(document), hashlib.sha256(document).hexdigest())]
    contents: dict[str, Content] = {PLAN: document}
    for path in files_of(plan):
        entries.append(Entry(path, (folder / path).stat().st_size, content_hash(folder / path)))
        contents[path] = folder / path
    rows = [{"path": each.path, "size": each.size, "sha256": each.sha256} for each in entries]
    manifest = {"format": FORMAT, "version": VERSION, "title": plan.song.title, "files": rows}
    text = json.dumps(manifest, indent=1, ensure_ascii=False) + "\n"
    yield from zip_chunks({MANIFEST: text.encode(), **contents})


def unpack(archive: Path, folder: Path, *, most_bytes: int | None = None) -> Plan:
    """Write a packed song into a new folder and return its plan; if anything is wrong with it, nothing is left there.

    most_bytes: how much its files may take together; None is what the disk has, less a reserve of 1 GiB.

    Raises
    ------
    PackError
        If the folder exists and is not empty, or the file is damaged, too big, or not such a pack; nothing outside of the folder is written.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise PackError(f"{folder} exists already; choose a new folder")
    folder.parent.mkdir(parents=True, exist_ok=True)
    room = shutil.disk_usage(folder.parent).free - _RESERVE_BYTES if most_bytes is None else most_bytes
    with tempfile.TemporaryDirectory(dir=folder.parent, prefix=".unpack-") as temporary:
        inside = Path(temporary) / "song"
        inside.mkdir()
        plan = _unpacked(archive, inside, room)
        if folder.exists():
            folder.rmdir()
        inside.rename(folder)
    return plan


def _unpacked(archive: Path, folder: Path, room: int) -> Plan:
    name = archive.name
    try:
        with zipfile.ZipFile(archive) as file:
            there = _members(file, name)
            entries = _entries(file, there, name, room)
            for entry in entries:
                _write(file, there[entry.path], entry, folder, name)
        plan = parse_plan((folder / PLAN).read_text(encoding="utf-8"))
    except _DAMAGED as error:
        raise PackError(f'"{name}" is damaged or no ZIP archive: {error}') from None
    except OSError as error:
        if error.errno != errno.EINVAL:  # that is a place before the file's beginning
            raise
        raise PackError(f'"{name}" is damaged or no ZIP archive') from None
    except PlanRefusedError as error:
        raise PackError(f'the plan in "{name}" is refused: {error}') from None
    missing = [path for path in files_of(plan) if path not in {entry.path for entry in entries}]
    if missing:
        raise PackError(f'"{name}" lacks "{missing[0]}", which its plan needs; pack the song again')
    return plan


def _members(file: zipfile.ZipFile, name: str) -> Mapping[str, zipfile.ZipInfo]:
    """Return what is in an archive, by path; refuse what is not a plain file inside of it."""
    found: dict[str, zipfile.ZipInfo] = {}
    for info in file.infolist():
        if info.is_dir():
            continue
        if stat.S_IFMT(info.external_attr >> 16) not in (0, stat.S_IFREG):
            raise PackError(f'"{name}" holds "{info.filename}", which is a link or a device; a song holds files only')
        if not _is_inside(info.filename):
            raise PackError(f'"{name}" holds "{info.filename}", which leads out of the song\'s folder')
        if info.filename in found:
            raise PackError(f'"{name}" holds "{info.filename}" twice')
        found[info.filename] = info
    return found


def _is_inside(path: str) -> bool:
    parts = PurePosixPath(path).parts
    return bool(parts) and not path.startswith("/") and "\\" not in path and ":" not in parts[0] and ".." not in parts


def _entries(file: zipfile.ZipFile, there: Mapping[str, zipfile.ZipInfo], name: str, room: int) -> list[Entry]:
    """Read the manifest and compare it with what is there, before anything is written."""
    if MANIFEST not in there:
        if any(path.lower().endswith(".zip") for path in there):
            raise PackError(f'"{name}" holds other archives; unpack it and open the songs in it one by one')
        raise PackError(f'"{name}" is no song of High Hall: {MANIFEST} is missing in it')
    entries = _listed(_read(file, there[MANIFEST], name), name)
    listed = {entry.path for entry in entries}
    for path in there:
        if path not in listed and path != MANIFEST:
            raise PackError(f'"{name}" holds "{path}", which its manifest does not list')
    for entry in entries:
        if entry.path not in there:
            raise PackError(f'"{name}" lacks "{entry.path}"; it was not sent whole')
        if there[entry.path].file_size != entry.size:
            raise PackError(f'"{entry.path}" in "{name}" has another size than its manifest says')
    if PLAN not in listed:
        raise PackError(f'"{name}" holds no plan: {PLAN} is missing in it')
    total = sum(entry.size for entry in entries)
    if total > room:
        raise PackError(f'"{name}" needs {total / 1e9:.1f} GB, there is room for {max(room, 0) / 1e9:.1f} GB')
    return entries


def _listed(text: bytes, name: str) -> list[Entry]:
    try:
        manifest: Any = json.loads(text)
        if manifest["format"] != FORMAT:
            raise PackError(f'"{name}" is no song of High Hall: its format is "{manifest["format"]}"')
        if manifest["version"] > VERSION:
            raise PackError(f'"{name}" is of version {manifest["version"]}; this program opens up to {VERSION}')
        found = [Entry(str(row["path"]), int(row["size"]), str(row["sha256"])) for row in manifest["files"]]
    except (ValueError, KeyError, TypeError):
        raise PackError(f'the manifest of "{name}" cannot be read') from None
    if any(entry.size < 0 for entry in found) or len({entry.path for entry in found}) != len(found):
        raise PackError(f'the manifest of "{name}" cannot be read')
    return found


def _read(file: zipfile.ZipFile, info: zipfile.ZipInfo, name: str) -> bytes:
    if info.file_size > _LONGEST_TEXT:
        raise PackError(f'"{info.filename}" in "{name}" is too big')
    with file.open(info) as entry:
        return entry.read(_LONGEST_TEXT)


def _write(file: zipfile.ZipFile, info: zipfile.ZipInfo, entry: Entry, folder: Path, name: str) -> None:
    """Write one file, no more of it than was said, and check its hash."""
    target = folder / entry.path
    target.parent.mkdir(parents=True, exist_ok=True)
    digest, left = hashlib.sha256(), entry.size
    with file.open(info) as source, target.open("xb") as out:
        while chunk := source.read(min(_CHUNK_BYTES, left + 1)):
            left -= len(chunk)
            if left < 0:
                raise PackError(f'"{entry.path}" in "{name}" is bigger than its manifest says')
            digest.update(chunk)
            out.write(chunk)
    if left or digest.hexdigest() != entry.sha256:
        raise PackError(f'"{entry.path}" in "{name}" is damaged: its SHA-256 differs')
