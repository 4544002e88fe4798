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
