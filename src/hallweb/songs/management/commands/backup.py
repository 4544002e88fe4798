"""`manage.py backup FOLDER`: write all rows and files into a folder, or add to the backup there what is new."""

from argparse import ArgumentParser
from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from hallweb.songs.backups import BackupError, back_up


class Command(BaseCommand):
    help = "Writes a backup into a folder; files that an earlier one has already are not copied again."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("folder", type=Path)

    def handle(self, *_args: object, **options: Path) -> None:
        try:
            count = back_up(options["folder"])
        except (BackupError, OSError) as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"The database and {count} new files are in {options['folder']}")
