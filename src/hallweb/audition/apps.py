from django.apps import AppConfig


class AuditionConfig(AppConfig):
    name = "hallweb.audition"
