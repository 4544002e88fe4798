"""The Sends screen."""

from django.urls import path

from hallweb.screens.sends import views

app_name = "sends"
urlpatterns = [
    path("songs/<int:song_id>/sends/", views.show, name="show"),
    path("songs/<int:song_id>/sends/set/", views.set_value, name="set-send"),
    path("songs/<int:song_id>/sends/set-many/", views.set_many, name="set-many-sends"),
    path("songs/<int:song_id>/sends/wetness/", views.wetness, name="wetness"),
]
