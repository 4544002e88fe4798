"""The list of songs."""

from django.contrib.auth.decorators import login_required
from django.contrib.auth.models import User
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from hallweb.songs.demo import create_demo_song
from hallweb.songs.models import Song


@login_required
def song_list(request: HttpRequest) -> HttpResponse:
    """Show the user's songs, or an invitation to start with the demo song."""
    counted = Song.objects.visible_to(request.user).select_related("head")
    songs = counted.annotate(track_count=Count("tracks", distinct=True), return_count=Count("returns", distinct=True))
    return render(request, "desk/songs.html", {"songs": songs})


@login_required
@require_POST
def make_demo_song(request: HttpRequest) -> HttpResponse:
    """Make another copy of the demo song for this user."""
    owner = get_object_or_404(User, pk=request.user.pk)
    return redirect(create_demo_song(owner))
