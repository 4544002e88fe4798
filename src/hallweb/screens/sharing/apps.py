from django.apps import AppConfig


class SharingScreenConfig(AppConfig):
    name = "hallweb.screens.sharing"
    label = "sharing_screen"
