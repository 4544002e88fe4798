"""The list of songs."""

from django.urls import path

from hallweb.screens.songs import views

app_name = "songs"
urlpatterns = [
    path("", views.song_list, name="show"),
    path("songs/new-demo/", views.make_demo_song, name="new-demo"),
    path("songs/new/", views.new_song, name="new-song"),
    path("songs/new-for-stems/", views.new_song_for_stems, name="new-for-stems"),
    path("songs/save-all/", views.save_all, name="save-all"),
    path("songs/<int:song_id>/rename/", views.rename, name="rename"),
    path("songs/<int:song_id>/duplicate/", views.duplicate, name="duplicate"),
    path("songs/<int:song_id>/delete/", views.delete, name="delete"),
    path("songs/<int:song_id>/bring-back/", views.bring_back, name="bring-back"),
    path("songs/<int:song_id>/delete-now/", views.delete_now, name="delete-now"),
    path("songs/<int:song_id>/picture/", views.picture, name="picture"),
]
