"""Sound to the browser."""

from django.urls import path

from hallweb.audition import views

app_name = "audition"
urlpatterns = [
    path("songs/<int:song_id>/manifest/", views.manifest, name="manifest"),
    path("songs/<int:song_id>/may-hear/", views.may_hear, name="may-hear"),
    path("songs/<int:song_id>/loudness/", views.loudness, name="loudness"),
    path(
        "songs/<int:song_id>/segments/<int:revision>/<slug:lane>/<int:index>-<slug:key>.flac",
        views.segment,
        name="segment",
    ),
]
