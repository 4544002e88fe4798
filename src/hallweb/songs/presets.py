"""Presets: returns that a user has saved, with the impulse responses that they need, to apply to any song."""

import shutil
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path, PurePath
from types import MappingProxyType

from django.conf import settings
from django.contrib.auth.models import User

from hallweb.songs.files import song_folder
from hallweb.songs.lasting import here, keep
from hallweb.songs.models import Preset, Song
from hallweb.songs.responses import add_file, provide_response, shipped_paths
from highhall.errors import CoreError
from highhall.interchange.audio_files import written_whole
from highhall.plan import Effect
from highhall.plan.sets import ReturnSet, set_document, set_from_document


class NameTakenError(CoreError):
    """The user has a preset of that name already."""


def save_preset(owner: User, kept: ReturnSet, song: Song | None = None) -> Preset:
    """Save returns under their name, with the files of the impulse responses that they need.

    Raises
    ------
    NameTakenError
        If the user has a preset of that name.
    CoreError
        If they need a response that neither ships nor is the song's.
    """
    if Preset.objects.filter(owner=owner, name=kept.name).exists():
        raise NameTakenError(
            f'you have a preset called "{kept.name}" already; choose another name, or remove that one first'
        )
    own = dict(song.responses.values_list("path", "content_hash")) if song else {}
    hashes = {}
    for path in _needed_responses(kept):
        if path in shipped_paths():
            continue
        if song is None or path not in own:
            raise CoreError(
                f'the preset needs the impulse response "{path}", which is not here; add it to a song and save the preset from there'
            )
        hashes[path] = own[path]
        _store(here(song_folder(song.pk) / path, own[path]), _preset_file(own[path], path))
    return Preset.objects.create(owner=owner, name=kept.name, document=set_document(kept), responses=hashes)


def preset_for(row: Preset, song: Song) -> ReturnSet:
    """Return a preset's returns for a song, their impulse responses added to it under free paths.

    Raises
    ------
    CoreError
        If a response's file is gone.
    """
    own = dict(song.responses.values_list("path", "content_hash"))
    renamed = {}
    for path, content in row.responses.items():
        if own.get(path, content) == content:
            renamed[path] = path
        else:
            renamed[path] = str(PurePath(path).with_stem(f"{PurePath(path).stem}-{content[:8]}"))
        if renamed[path] not in own:
            add_file(song, renamed[path], here(_preset_file(content, path), content))
    return _with_effects(set_from_document(row.document), lambda effect: _renamed(effect, renamed))


def remove_preset(row: Preset) -> None:
    """Remove a preset; files of its impulse responses stay, as other presets may need them."""
    row.delete()


def provide_shipped(kept: ReturnSet, song: Song) -> None:
    """Add the shipped impulse responses that a preset needs to a song."""
    for path in _needed_responses(kept):
        provide_response(song, path)


def _needed_responses(kept: ReturnSet) -> Iterator[str]:
    effects = (effect for return_ in kept.returns for effect in return_.chain)
    return iter(sorted({effect.response for effect in effects if effect.response}))


def _renamed(effect: Effect, paths: dict[str, str]) -> Effect:
    if effect.table.response is None or effect.response is None:
        return effect
    params = {**effect.params, effect.table.response.name: paths.get(effect.response, effect.response)}
    return replace(effect, params=MappingProxyType(params))


def _with_effects(kept: ReturnSet, change: Callable[[Effect], Effect]) -> ReturnSet:
    return replace(kept, returns=tuple(replace(r, chain=tuple(map(change, r.chain))) for r in kept.returns))


def _preset_file(content: str, path: str) -> Path:
    return Path(settings.DATA_DIR) / "kept-responses" / f"{content}{PurePath(path).suffix}"


def _store(source: Path, target: Path) -> None:
    if not target.exists():
        target.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(target) as temporary:
            shutil.copyfile(source, temporary)
        keep(target)
