from django.apps import AppConfig


class FindingsScreenConfig(AppConfig):
    name = "hallweb.screens.findings"
    label = "findings_screen"
