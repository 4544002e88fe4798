"""The Moves screen."""

from django.urls import path

from hallweb.screens.moves.views import move_cells, moves, phrases, points, throws

app_name = "moves"
urlpatterns = [
    path("songs/<int:song_id>/moves/", moves.show, name="show"),
    path("songs/<int:song_id>/moves/measured/", moves.measured_wet, name="measured-wet"),
    path("songs/<int:song_id>/moves/cells/", move_cells.change_cells, name="change-cells"),
    path("songs/<int:song_id>/moves/throw/", throws.throw_one, name="throw-one"),
    path("songs/<int:song_id>/moves/throws/", throws.change_throw, name="change-throw"),
    path("songs/<int:song_id>/moves/phrase-end/", phrases.move_phrase_end, name="move-phrase-end"),
    path("songs/<int:song_id>/moves/points/", points.change_points, name="change-points"),
]
