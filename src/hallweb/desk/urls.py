"""The screens of a song."""

from django.urls import path

from hallweb.desk.views import history, material, returns, sends, songs

app_name = "desk"
urlpatterns = [
    path("", songs.song_list, name="songs"),
    path("songs/new-demo/", songs.make_demo_song, name="new-demo"),
    path("songs/new/", songs.new_song, name="new-song"),
    path("songs/<int:song_id>/song/", material.show, name="song"),
    path("songs/<int:song_id>/stems/", material.receive, name="receive-stem"),
    path("songs/<int:song_id>/stems/take/", material.take, name="take-stems"),
    path("songs/<int:song_id>/tracks/<slug:key>/set/", material.set_value, name="set-track"),
    path("songs/<int:song_id>/tracks/<slug:key>/remove/", material.remove, name="remove-track"),
    path("songs/<int:song_id>/tracks/<slug:key>/material/", material.reading, name="material"),
    path("songs/<int:song_id>/returns/", returns.show, name="returns"),
    path("songs/<int:song_id>/returns/add/", returns.add, name="add-return"),
    path("songs/<int:song_id>/returns/<slug:key>/set/", returns.set_value, name="set-return"),
    path("songs/<int:song_id>/returns/<slug:key>/remove/", returns.remove, name="remove-return"),
    path("songs/<int:song_id>/returns/<slug:key>/bands/", returns.add_band, name="add-band"),
    path("songs/<int:song_id>/returns/<slug:key>/bands/remove/", returns.remove_band, name="remove-band"),
    path("songs/<int:song_id>/sends/", sends.show, name="sends"),
    path("songs/<int:song_id>/sends/set/", sends.set_value, name="set-send"),
    path("songs/<int:song_id>/sends/wetness/", sends.wetness, name="wetness"),
    path("songs/<int:song_id>/undo/", history.undo, name="undo"),
    path("songs/<int:song_id>/redo/", history.redo, name="redo"),
]
