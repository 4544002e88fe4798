"""The Versions screen."""

from django.urls import path

from hallweb.screens.versions import views

app_name = "versions"
urlpatterns = [
    path("songs/<int:song_id>/versions/", views.show, name="show"),
    path("songs/<int:song_id>/versions/keep/", views.keep, name="keep-version"),
    path("songs/<int:song_id>/versions/verdict/", views.verdict, name="verdict"),
    path("songs/<int:song_id>/versions/<int:version_id>/open/", views.reopen, name="open-version"),
    path("songs/<int:song_id>/versions/<int:version_id>/take/", views.take, name="take-difference"),
    path("songs/<int:song_id>/versions/<int:version_id>/remove/", views.remove, name="remove-version"),
]
