"""The Hall screen."""

from django.urls import path

from hallweb.screens.hall import views

app_name = "hall"
urlpatterns = [
    path("songs/<int:song_id>/hall/", views.show, name="show"),
    path("songs/<int:song_id>/hall/measured/", views.measured_place, name="measured"),
    path("songs/<int:song_id>/hall/apply/", views.apply, name="apply"),
    path("songs/<int:song_id>/hall/propose/", views.propose, name="propose"),
    path("songs/<int:song_id>/hall/propose/take/", views.take_proposal, name="take"),
    path("songs/<int:song_id>/hall/pan/", views.set_pan, name="set-pan"),
    path("songs/<int:song_id>/hall/deepen/", views.deepen_section, name="deepen"),
    path("songs/<int:song_id>/hall/again/", views.place_again, name="again"),
    path("songs/<int:song_id>/hall/forget/", views.forget, name="forget"),
    path("songs/<int:song_id>/hall/space/", views.change_space, name="space"),
]
