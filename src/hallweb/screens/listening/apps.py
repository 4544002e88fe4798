from django.apps import AppConfig


class ListeningScreenConfig(AppConfig):
    name = "hallweb.screens.listening"
    label = "listening_screen"
