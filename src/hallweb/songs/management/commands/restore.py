"""`manage.py restore FOLDER`: put a backup into an empty database and data folder, and check every sound."""

from argparse import ArgumentParser
from pathlib import Path

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from hallweb.songs.backups import BackupError, faults, restore


class Command(BaseCommand):
    help = "Puts a backup into an empty database and data folder, brings it up to date, and checks every sound by its hash."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("folder", type=Path)

    def handle(self, *_args: object, **options: Path) -> None:
        try:
            count = restore(options["folder"])
        except (BackupError, OSError) as error:
            raise CommandError(str(error)) from None
        call_command("migrate", verbosity=0)
        wrong = list(faults())
        if wrong:
            raise CommandError("It is restored, but not whole: " + "; ".join(wrong))
        self.stdout.write(f"The database and {count} files are restored, and every sound is what it was")
