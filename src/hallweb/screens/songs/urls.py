"""The list of songs."""

from django.urls import path

from hallweb.screens.songs import views

app_name = "songs"
urlpatterns = [
    path("", views.song_list, name="show"),
    path("songs/new-demo/", views.make_demo_song, name="new-demo"),
    path("songs/new/", views.new_song, name="new-song"),
]
