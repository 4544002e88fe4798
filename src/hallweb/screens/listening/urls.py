"""What a listening link opens, for whoever has it."""

from django.urls import path

from hallweb.screens.listening import views

app_name = "listening"
urlpatterns = [
    path("listen/<str:token>/", views.show, name="show"),
    path("listen/<str:token>/<int:print_id>/sound/", views.sound, name="sound"),
    path("listen/<str:token>/comments/", views.add_comment, name="add-comment"),
]
