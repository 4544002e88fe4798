from django.apps import AppConfig


class HandoffConfig(AppConfig):
    name = "hallweb.handoff"
