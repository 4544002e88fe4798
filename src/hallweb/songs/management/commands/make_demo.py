"""`manage.py make_demo`: the demo user with the demo song, made on the first run only."""

from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand

from hallweb.songs.actions import create_song
from hallweb.songs.models import Song
from hallweb.songs.stems import open_stems, stem_list
from highhall.demo import demo_plan, write_stems


class Command(BaseCommand):
    help = "Make the demo user and the demo song, unless they exist."

    def handle(self, *_args: object, **_options: object) -> None:
        users = User.objects
        user = users.filter(username=settings.DEMO_USER).first()
        if user is None:
            user = users.create_user(settings.DEMO_USER, password=settings.DEMO_PASSWORD)
        plan = demo_plan()
        if Song.objects.filter(owner=user, title=plan.song.title).exists():
            return

        def put_stems(folder: Path) -> None:
            write_stems(folder / "stems", lambda share: self.stdout.write(f"  demo song {share:.0%}"))

        song = create_song(user, plan, put_stems)
        open_stems(song.pk, song.sample_rate, stem_list(song.pk))
