"""The Song screen."""

from django.urls import path

from hallweb.screens.song.views import sections, song, stems, time, tracks

app_name = "song"
urlpatterns = [
    path("songs/<int:song_id>/song/", song.show, name="show"),
    path("songs/<int:song_id>/analysis/", song.progress, name="progress"),
    path("songs/<int:song_id>/stems/take/", stems.take, name="take-stems"),
    path("songs/<int:song_id>/tracks/set/", tracks.set_values, name="set-tracks"),
    path("songs/<int:song_id>/tracks/place/", tracks.place, name="place-tracks"),
    path("songs/<int:song_id>/tracks/remove/", tracks.remove, name="remove-tracks"),
    path("songs/<int:song_id>/tracks/replace/", tracks.replace_stem, name="replace-stem"),
    path("songs/<int:song_id>/tracks/<slug:key>/reading/", song.reading, name="reading"),
    path("songs/<int:song_id>/tracks/<slug:key>/details/", song.details, name="details"),
    path("songs/<int:song_id>/tracks/<slug:key>/listen-again/", song.listen_again, name="listen-again"),
    path("songs/<int:song_id>/tracks/<slug:key>/threshold/", song.set_threshold, name="set-threshold"),
    path("songs/<int:song_id>/groups/add/", tracks.add_group, name="add-group"),
    path("songs/<int:song_id>/groups/<slug:key>/set/", tracks.set_group, name="set-group"),
    path("songs/<int:song_id>/groups/<slug:key>/remove/", tracks.remove_group, name="remove-group"),
    path("songs/<int:song_id>/sections/add/", sections.add, name="add-section"),
    path("songs/<int:song_id>/sections/<slug:key>/set/", sections.set_value, name="set-section"),
    path("songs/<int:song_id>/sections/<slug:key>/split/", sections.split, name="split-section"),
    path("songs/<int:song_id>/sections/<slug:key>/remove/", sections.remove, name="remove-section"),
    path("songs/<int:song_id>/time/tempo/", time.set_tempo, name="set-tempo"),
    path("songs/<int:song_id>/time/tempo/remove/", time.remove_tempo, name="remove-tempo"),
    path("songs/<int:song_id>/time/meter/", time.set_meter, name="set-meter"),
    path("songs/<int:song_id>/time/meter/remove/", time.remove_meter, name="remove-meter"),
    path("songs/<int:song_id>/time/end/", time.set_end, name="set-end"),
    path("songs/<int:song_id>/time/import/", time.import_map, name="import-map"),
    path("songs/<int:song_id>/time/estimate/", time.estimate, name="estimate-tempo"),
]
