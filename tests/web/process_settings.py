"""The application's settings for a process that a test starts: the test's database and data folder."""

import os
from pathlib import Path

from hallweb.settings import *  # noqa: F403
from hallweb.settings import DATABASES

DATABASES["default"]["NAME"] = os.environ["HH_TEST_DATABASE"]
DATA_DIR = Path(os.environ["HH_TEST_DATA"])
