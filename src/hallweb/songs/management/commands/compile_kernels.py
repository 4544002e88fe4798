"""`manage.py compile_kernels`: compile the sound kernels now rather than on a user's first click."""

from typing import Any

from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Compile the sound kernels, or load them where they were compiled before."

    def handle(self, *_args: Any, **_options: Any) -> None:
        import highhall.demo.instruments  # noqa: PLC0415 - importing compiles
        import highhall.render  # noqa: F401, PLC0415
