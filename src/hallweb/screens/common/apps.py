from django.apps import AppConfig


class CommonScreenConfig(AppConfig):
    name = "hallweb.screens.common"
    label = "common_screen"
