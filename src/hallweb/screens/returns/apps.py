from django.apps import AppConfig


class ReturnsScreenConfig(AppConfig):
    name = "hallweb.screens.returns"
    label = "returns_screen"
