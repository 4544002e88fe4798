"""`manage.py make_demo`: the demo user with the demo song, made on the first run only."""

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
        user = users.filter(username=settings.DEMO_USER).first()
        if user is None:
            user = users.create_user(settings.DEMO_USER, password=settings.DEMO_PASSWORD)
        if Song.objects.filter(owner=user, title=demo_song().title).exists():
            return
        song = create_demo_song(user, lambda share: self.stdout.write(f"  demo song {share:.0%}"))
        ask_to_analyse(song.stems.all(), song.sample_rate)
        open_stems(song_sounds(song.pk), song.sample_rate)
