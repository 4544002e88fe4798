"""Stems that have arrived: checked whole and stored in their song."""

from pathlib import Path, PurePath

from hallweb.songs.files import bytes_on_disk, song_folder
from hallweb.songs.lasting import keep
from hallweb.songs.models import Song, Stem, Upload
from hallweb.songs.uploads import AskedBackError, UploadError, safe_name, whole
from highhall.interchange.audio_files import content_hash
from highhall.interchange.channels import ManyChannels, to_stereo
from highhall.interchange.folder import SUFFIXES
from highhall.interchange.sound_check import checked_sound

FOLDER = "stems"
LARGEST_BYTES = 4 << 30


class ChannelsNotChosenError(AskedBackError):
    """A file has more than two channels, and it was not said what to do with them; it stays where it is."""

    def __init__(self, name: str, channels: int) -> None:
        super().__init__(f'"{name}" has {channels} channels; a stem has one or two')
        self.channels = channels


def require_sound_name(name: str) -> None:
    """Require the name of a sound file.

    Raises
    ------
    UploadError
        If no stem can come of a file of that name.
    """
    if PurePath(safe_name(name)).suffix.lower() not in SUFFIXES:
        kinds = ", ".join(sorted(suffix[1:] for suffix in SUFFIXES))
        raise UploadError(f'"{name}" is not a kind of sound file that can be read; expected {kinds}')


def store_stem(song: Song, upload: Upload, many_channels: ManyChannels = ManyChannels.REFUSE, digest: str = "") -> Stem:
    """Check what has arrived and make it a stem of the song; the upload is gone then. A sound that the song has is that stem.

    Raises
    ------
    UploadError
        If bytes are missing (the upload stays), or others have arrived than were sent (see `uploads.whole`).
    ChannelsNotChosenError
        If it has more than two channels and nothing was chosen; the upload stays.
    AudioFileError
        If it is not sound that a stem may be; nothing is left behind.
    """
    with whole(upload, digest) as part:
        facts = checked_sound(part, shown_as=upload.name)
        channels = facts.channels
        if channels > 2 and many_channels is not ManyChannels.REFUSE:
            to_stereo(part, part, many_channels, shown_as=upload.name)
        elif channels > 2:
            raise ChannelsNotChosenError(upload.name, channels)
        sha256 = content_hash(part)
        Song.objects.select_for_update().get(pk=song.pk)  # two files of one name never get one path
        known = song.stems.filter(content_hash=sha256).first()
        if known:
            part.unlink()
        else:
            path = _free_path(song, upload.name, is_converted=channels > 2)
            path.parent.mkdir(parents=True, exist_ok=True)
            relative = path.relative_to(song_folder(song.pk)).as_posix()
            stem = Stem.objects.create(
                song=song, path=relative, content_hash=sha256, bytes=bytes_on_disk(part, facts, song.sample_rate)
            )
            part.replace(path)
            keep(path)
        upload.delete()
    return known or stem


def _free_path(song: Song, name: str, *, is_converted: bool) -> Path:
    """Return where a file goes: it keeps its name, by which it is known again, if need be in a folder of its own."""
    safe = PurePath(safe_name(name))
    file_name = f"{safe.stem}.wav" if is_converted else safe.name
    taken, folder = set(song.stems.values_list("path", flat=True)), PurePath(FOLDER)
    path, count = folder / file_name, 1
    while path.as_posix() in taken:
        count += 1
        path = folder / str(count) / file_name
    return song_folder(song.pk) / path
