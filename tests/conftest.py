"""What all tests share: a data folder of their own."""

import shutil
import tempfile
from pathlib import Path

import pytest


@pytest.fixture(scope="session")
def data_folder():
    folder = Path(tempfile.mkdtemp(prefix="high-hall-test-"))
    yield folder
    shutil.rmtree(folder)


@pytest.fixture(autouse=True)
def _own_data_folder(request, data_folder):
    if "db" in request.fixturenames or "transactional_db" in request.fixturenames:
        settings = request.getfixturevalue("settings")
        settings.DATA_DIR = data_folder
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # fast, and never stored
