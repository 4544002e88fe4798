"""Every screen of the application, and undo and redo, which draw the open one anew."""

from django.urls import include, path

from hallweb.screens import history

urlpatterns = [
    path("", include("hallweb.screens.health")),
    path("", include("hallweb.screens.songs.urls")),
    path("", include("hallweb.screens.uploads")),
    path("", include("hallweb.screens.song.urls")),
    path("", include("hallweb.screens.returns.urls")),
    path("", include("hallweb.screens.sends.urls")),
    path("", include("hallweb.screens.moves.urls")),
    path("", include("hallweb.screens.hall.urls")),
    path("", include("hallweb.screens.findings.urls")),
    path("", include("hallweb.screens.versions.urls")),
    path("", include("hallweb.screens.handoff.urls")),
    path("", include("hallweb.screens.sharing.urls")),
    path("", include("hallweb.screens.listening.urls")),
    path(
        "",
        include(
            (
                [
                    path("songs/<int:song_id>/newest/", history.newest, name="newest"),
                    path("songs/<int:song_id>/newest/stream/", history.stream, name="stream"),
                    path("songs/<int:song_id>/undo/", history.undo, name="undo"),
                    path("songs/<int:song_id>/redo/", history.redo, name="redo"),
                ],
                "history",
            )
        ),
    ),
]
