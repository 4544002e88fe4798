from django.apps import AppConfig


class SendsScreenConfig(AppConfig):
    name = "hallweb.screens.sends"
    label = "sends_screen"
