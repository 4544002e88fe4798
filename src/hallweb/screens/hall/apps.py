from django.apps import AppConfig


class HallScreenConfig(AppConfig):
    name = "hallweb.screens.hall"
    label = "hall_screen"
