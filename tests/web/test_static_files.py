"""Static files as they are served: hashed, compressed, and every one of them there."""

import gzip
import posixpath
import re
from pathlib import Path

import pytest
from django.contrib.staticfiles import finders
from django.contrib.staticfiles.storage import staticfiles_storage
from django.core.management import call_command
from django.test import override_settings
from django.urls import reverse

HASHED = {"staticfiles": {"BACKEND": "hallweb.screens.common.static_files.HashedFiles"}}


@pytest.fixture(scope="module")
def collected(tmp_path_factory) -> Path:
    root = tmp_path_factory.mktemp("static")
    with override_settings(STATIC_ROOT=root, STORAGES=HASHED):
        call_command("collectstatic", interactive=False, verbosity=0, ignore_patterns=["django_htmx"])
    return root


def hashed(root: Path, suffix: str) -> list[Path]:
    return [path for path in root.rglob(f"*.{suffix}") if re.search(r"\.[0-9a-f]{12}\.", path.name)]


def test_scripts_import_scripts_by_the_names_of_their_content(collected: Path) -> None:
    imported = [
        (path, name) for path in hashed(collected, "js") for name in re.findall(r'from "(\.[^"]+)"', path.read_text())
    ]
    assert len(imported) > 40
    for path, name in imported:
        assert re.search(r"\.[0-9a-f]{12}\.js$", name), f"{path.name} imports {name}"
        assert (path.parent / name).exists()


def test_a_page_names_all_scripts_that_it_loads(signed_in, song) -> None:
    page = signed_in.get(reverse("returns:show", args=[song.pk])).content.decode()
    loaded = set(re.findall(r'(?:modulepreload" href|module" src)="/static/([^"]+)"', page))
    for name in loaded:
        for at in re.findall(r'from "(\.[^"]+)"', Path(finders.find(name)).read_text()):
            assert posixpath.normpath(posixpath.join(posixpath.dirname(name), at)) in loaded, f"{name} imports {at}"
    assert {"common/js/main.js", "common/js/player.js", "returns/js/main.js"} <= loaded


def test_styles_find_their_fonts_and_each_other(collected: Path) -> None:
    for path in hashed(collected, "css"):
        for name in re.findall(r'url\("(?!#|data:)([^"]+)"\)', path.read_text()):
            assert (path.parent / name).exists(), f"{path.name} wants {name}"


def test_what_is_text_is_compressed(collected: Path) -> None:
    sheet = next(path for path in hashed(collected, "css") if path.name.startswith("bootstrap"))
    packed = sheet.with_name(sheet.name + ".gz")
    assert packed.stat().st_size < sheet.stat().st_size / 4


def test_tests_run_on_the_files_as_they_lie() -> None:
    assert staticfiles_storage.url("common/js/main.js") == "/static/common/js/main.js"


def test_pages_are_compressed_and_sound_is_not(signed_in, song) -> None:
    asked = {"headers": {"Accept-Encoding": "gzip"}}
    page = signed_in.get(reverse("returns:show", args=[song.pk]), **asked)
    assert page["Content-Encoding"] == "gzip"
    assert len(page.content) < len(gzip.decompress(page.content)) / 4
    lane = signed_in.get(reverse("audition:manifest", args=[song.pk])).json()["lanes"][0]
    sound = signed_in.get(lane["url"].replace("INDEX", "0").replace("KEY", lane["keys"][0]), **asked)
    assert "Content-Encoding" not in sound
