"""Prints, the recall sheet, and files for other programs."""

from django.urls import path, re_path

from hallweb.screens.handoff import views

app_name = "handoff"
urlpatterns = [
    path("songs/<int:song_id>/hand-off/", views.show, name="hand-off"),
    path("songs/<int:song_id>/hand-off/print/", views.start, name="print"),
    path("songs/<int:song_id>/hand-off/<int:job_id>/", views.progress, name="progress"),
    path("songs/<int:song_id>/hand-off/<int:job_id>/cancel/", views.cancel, name="cancel"),
    path("songs/<int:song_id>/hand-off/<int:job_id>/remove/", views.remove, name="remove"),
    path("songs/<int:song_id>/hand-off/<int:job_id>/all.zip", views.download_all, name="download-all"),
    path("songs/<int:song_id>/hand-off/<int:job_id>/files/<path:name>", views.download, name="download"),
    path("songs/<int:song_id>/hand-off/sheet/<int:number>/", views.sheet_leaf, name="sheet"),
    path("songs/<int:song_id>/hand-off/sheet.html", views.sheet_page, name="sheet-page"),
    path("songs/<int:song_id>/hand-off/sheet.pdf", views.sheet_file, name="sheet-file"),
    re_path(
        r"^songs/(?P<song_id>\d+)/hand-off/export/(?P<kind>midi|tables|responses|song|plan)/$",
        views.export,
        name="export",
    ),
]
