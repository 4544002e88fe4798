from collections.abc import Iterator

import pytest
from django.core.files.storage import Storage, storages

from tests.trust.s3_stand_in import bucket
from tests.web.conftest import (  # noqa: F401 - the application that is to be trusted is the one of tests/web
    _measured_at_once,
    _no_sessions_left,
    data_folder,
    empty_song,
    signed_in,
    song,
    stranger,
    user,
)


@pytest.fixture
def elsewhere(settings) -> Iterator[Storage]:
    """Files that have to last are in a stand-in for S3; gives that storage."""
    with bucket() as (name, address):
        options = {
            "bucket_name": name, "endpoint_url": address, "access_key": "key", "secret_key": "secret",
            "region_name": "us-east-1", "addressing_style": "path", "file_overwrite": True,
        }  # fmt: skip
        s3 = {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": options}
        settings.STORAGES = {**settings.STORAGES, "lasting": s3}
        settings.FILES_ARE_ELSEWHERE = True
        yield storages["lasting"]
