"""Parts of uploads, where files are elsewhere: each is stored before it is acknowledged, so that any machine goes on where another was."""

from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import storages

from hallweb.songs.files import arrived_bytes, upload_file
from hallweb.songs.lasting import forget, settle

_DIGITS = 15  # of the byte at which a part begins: parts are in order by name


def append_part(upload_id: int, offset: int, part: bytes) -> None:
    """Let a part that begins at a byte last, and append it to what has arrived."""
    path = upload_file(upload_id)
    path.parent.mkdir(parents=True, exist_ok=True)
    if settings.FILES_ARE_ELSEWHERE and part:
        storages["lasting"].save(f"{_folder(upload_id)}/{offset:0{_DIGITS}}", ContentFile(part))
    with path.open("ab") as file:
        file.write(part)
    settle(path)


def gather_parts(upload_id: int) -> int:
    """Append what another machine has taken; return how many bytes have arrived in all."""
    if settings.FILES_ARE_ELSEWHERE:
        _append_missing(upload_id)
    return arrived_bytes(upload_id)


def _append_missing(upload_id: int) -> None:
    storage, folder, path = storages["lasting"], _folder(upload_id), upload_file(upload_id)
    names = sorted(storage.listdir(folder)[1])
    if not names:
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    ends = [*map(int, names), int(names[-1]) + storage.size(f"{folder}/{names[-1]}")]
    with path.open("ab") as file:
        file.seek(max(end for end in ends if end <= file.tell()))
        file.truncate()  # a part that broke off while it was written
        for name in names:
            if int(name) == file.tell():
                with storage.open(f"{folder}/{name}") as stored:
                    file.write(stored.read())


def forget_parts(upload_id: int) -> None:
    """Remove all that has arrived of an upload."""
    upload_file(upload_id).unlink(missing_ok=True)
    if settings.FILES_ARE_ELSEWHERE:
        forget(settings.DATA_DIR / _folder(upload_id))


def _folder(upload_id: int) -> str:
    return f"uploads/{upload_id}"
