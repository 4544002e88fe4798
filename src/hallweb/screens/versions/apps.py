from django.apps import AppConfig


class VersionsScreenConfig(AppConfig):
    name = "hallweb.screens.versions"
    label = "versions_screen"
