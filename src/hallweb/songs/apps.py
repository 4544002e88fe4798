from django.apps import AppConfig


class SongsConfig(AppConfig):
    """Songs, their plans and their revisions."""

    name = "hallweb.songs"
