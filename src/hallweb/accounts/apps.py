from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "hallweb.accounts"

    def ready(self) -> None:
        from hallweb.accounts import signals  # noqa: F401 - connects what listens to sign-ins
