from django.apps import AppConfig


class AnalysisConfig(AppConfig):
    name = "hallweb.analysis"
