"""`manage.py compile_kernels`: compile the sound kernels now rather than on a user's first click."""

from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Compile the sound kernels, or load them where they were compiled before."

    def handle(self, *_args: object, **_options: object) -> None:
        import highhall.demo.instruments
        import highhall.prints  # noqa: F401
