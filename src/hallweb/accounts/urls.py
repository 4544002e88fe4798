"""What allauth has no address for."""

from django.urls import path

from hallweb.accounts import views

app_name = "accounts"
urlpatterns = [path("join/<str:token>/", views.join, name="join")]
