"""`manage.py invite ADDRESS`: invite somebody to make an account."""

from argparse import ArgumentParser

from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError
from django.core.validators import validate_email

from hallweb.accounts.invitations import invite


class Command(BaseCommand):
    help = "Mail an invitation to make an account, and print its address."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("email")
        parser.add_argument("--site", default="http://localhost:8000", help="the address of the installation")

    def handle(self, *, email: str, site: str, **_options: object) -> None:
        try:
            validate_email(email)
        except ValidationError:
            raise CommandError(f'"{email}" is not an e-mail address') from None
        self.stdout.write(invite(email, site))
