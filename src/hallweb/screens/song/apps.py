from django.apps import AppConfig


class SongScreenConfig(AppConfig):
    name = "hallweb.screens.song"
    label = "song_screen"
