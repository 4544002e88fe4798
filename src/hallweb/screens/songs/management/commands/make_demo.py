"""`manage.py make_demo`: the demo user with the demo song, made on the first run only."""

import secrets

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand

from hallweb.analysis.tasks import ask_to_analyse
from hallweb.songs.demo import create_demo_song
from hallweb.songs.models import Song
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.demo.plan import demo_song


class Command(BaseCommand):
    help = "Make the demo user and the demo song, unless they exist."

    def handle(self, *_args: object, **_options: object) -> None:
        users = User.objects
        user = users.filter(username=settings.DEMO_USER).first() or users.create_user(settings.DEMO_USER)
        _say_sign_in(_password_of(user))
        if Song.objects.filter(owner=user, title=demo_song().title).exists():
            return
        song = create_demo_song(user, lambda share: self.stdout.write(f"  demo song {share:.0%}"))
        ask_to_analyse(song.stems.all(), song.sample_rate)
        open_stems(song_sounds(song.pk), song.sample_rate)


def _password_of(user: User) -> str | None:
    """Give the demo user the password that everybody knows, or, where others can reach it, one of its own; None if it has that already."""
    is_public = user.check_password(settings.DEMO_PASSWORD)
    if settings.IS_LOOPBACK_ONLY and (is_public or not user.has_usable_password()):
        password = settings.DEMO_PASSWORD
    elif is_public or not user.has_usable_password():
        password = secrets.token_urlsafe(12)
    else:
        return None
    user.set_password(password)
    user.save(update_fields=["password"])
    return password


def _say_sign_in(password: str | None) -> None:
    """Leave what bin/demo prints at its end."""
    words = f"sign in as {settings.DEMO_USER}, " + (f"password {password}" if password else "with the password it has")
    if not settings.IS_LOOPBACK_ONLY:
        words += " (others can reach this machine: the demo's usual password was taken away)"
    (settings.DATA_DIR / "sign-in").write_text(words + "\n", encoding="utf-8")
