from django.apps import AppConfig


class SongsScreenConfig(AppConfig):
    name = "hallweb.screens.songs"
    label = "songs_screen"
