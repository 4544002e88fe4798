"""`manage.py tidy`: remove what nobody needs any more, and say how large the rest is."""

from django.core.management.base import BaseCommand
from django.template.defaultfilters import filesizeformat

from hallweb.songs.tidying import sizes, tidy


class Command(BaseCommand):
    help = "Remove what is kept only to be quick and is not needed any more; print what each folder takes."

    def handle(self, **_options: object) -> None:
        tidy()
        for name, size in sizes().items():
            self.stdout.write(f"{name:12} {filesizeformat(size)}")
