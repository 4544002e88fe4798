from django.apps import AppConfig


class MovesScreenConfig(AppConfig):
    name = "hallweb.screens.moves"
    label = "moves_screen"
