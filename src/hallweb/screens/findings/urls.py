"""The Findings screen."""

from django.urls import path

from hallweb.screens.findings import views

app_name = "findings"
urlpatterns = [
    path("songs/<int:song_id>/findings/", views.show, name="show"),
    path("songs/<int:song_id>/findings/count/", views.count, name="count"),
    path("songs/<int:song_id>/findings/take/", views.take_findings, name="take"),
    path("songs/<int:song_id>/findings/set-aside/", views.set_aside, name="set-aside"),
    path("songs/<int:song_id>/findings/bring-back/", views.bring_back, name="bring-back"),
    path("songs/<int:song_id>/findings/strictness/", views.change_strictness, name="strictness"),
]
