from django.apps import AppConfig


class HandoffScreenConfig(AppConfig):
    name = "hallweb.screens.handoff"
    label = "handoff_screen"
