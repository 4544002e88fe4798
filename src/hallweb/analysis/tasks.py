"""Analyses in the background; each task takes ids and may run twice."""

from collections.abc import Iterable
from contextlib import suppress

from django.db import transaction
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.exceptions import AlreadyEnqueued

from hallweb.analysis.stems import analyse, is_analysed
from hallweb.songs import news
from hallweb.songs.connections import own_connection
from hallweb.songs.models import Stem


@app.task(name="analyse-stem", aliases=["measure-stem"], retry=RetryStrategy(max_attempts=3, wait=2))
@own_connection()
def analyse_stem(stem_id: int, sample_rate: int) -> None:
    """Listen to one stem; see `hallweb.analysis.stems.analyse`."""
    stem = Stem.objects.filter(pk=stem_id).first()
    if stem:
        analyse(stem, sample_rate)
        news.tell(stem.song_id, news.STEMS, news.of_stem(stem.pk))


def analyse_again(stem: Stem, sample_rate: int) -> None:
    """Forget why a stem could not be listened to, and queue it."""
    Stem.objects.filter(pk=stem.pk).update(problem="")
    stem.problem = ""
    ask_to_analyse([stem], sample_rate)


def ask_to_analyse(stems: Iterable[Stem], sample_rate: int) -> None:
    """Queue those of the stems that nobody has listened to yet; those that wait already do so once."""
    unknown = {_lock_of(stem): stem for stem in stems if not is_analysed(stem, sample_rate)}
    if not unknown:
        return
    waiting = ProcrastinateJob.objects.filter(queueing_lock__in=unknown, status__in=("todo", "doing"))
    for lock in unknown.keys() - set(waiting.values_list("queueing_lock", flat=True)):
        task = analyse_stem.configure(queueing_lock=lock)
        with suppress(AlreadyEnqueued), transaction.atomic():
            task.defer(stem_id=unknown[lock].pk, sample_rate=sample_rate)


def _lock_of(stem: Stem) -> str:
    return f"analyse-{stem.pk}"
