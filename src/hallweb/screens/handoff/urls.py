"""Prints and downloads."""

from django.urls import path

from hallweb.screens.handoff import views

app_name = "handoff"
urlpatterns = [
    path("songs/<int:song_id>/hand-off/", views.show, name="hand-off"),
    path("songs/<int:song_id>/hand-off/print/", views.start, name="print"),
    path("songs/<int:song_id>/hand-off/<int:job_id>/", views.progress, name="progress"),
    path("songs/<int:song_id>/hand-off/<int:job_id>/cancel/", views.cancel, name="cancel"),
    path("songs/<int:song_id>/hand-off/<int:job_id>/files/<path:name>", views.download, name="download"),
    path("songs/<int:song_id>/plan.json", views.plan_json, name="plan"),
]
