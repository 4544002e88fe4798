"""How much room songs take on disk, and whether there is room for more: for their owner, and on the disk."""

import shutil

from django.conf import settings
from django.contrib.auth.models import User
from django.db.models import Sum
from django.template.defaultfilters import filesizeformat

from hallweb.accounts.models import Allowance
from hallweb.songs.files import arrived_bytes
from hallweb.songs.models import Song, Stem, Upload
from highhall.errors import CoreError


class NoRoomError(CoreError):
    """There is no room for something; the text says for how much there is."""


def used_bytes(owner: User) -> int:
    """Return what a user's songs take: stems with their decoded copies, prints, and what is on its way in. Deleted songs count."""
    songs = Song.objects.filter(owner=owner)
    sums = (
        Stem.objects.filter(song__in=songs).aggregate(sum=Sum("bytes")),
        songs.aggregate(sum=Sum("prints__bytes")),
        Upload.objects.filter(owner=owner).aggregate(sum=Sum("size")),
    )
    return sum(each["sum"] or 0 for each in sums)


def allowed_bytes(owner: User) -> int:
    """Return how much a user's songs may take."""
    own = Allowance.objects.filter(user=owner).values_list("gibibytes", flat=True).first()
    return settings.ALLOWANCE_BYTES if own is None else own << 30


def require_room(owner: User, size: int) -> None:
    """Require room for some bytes more.

    Raises
    ------
    NoRoomError
        If the user's songs would take more than they may, or the disk would be left with too little.
    """
    used, allowed = used_bytes(owner), allowed_bytes(owner)
    if used + size > allowed:
        raise NoRoomError(
            f"there is no room for {filesizeformat(size)} more: the songs of {owner.get_username()} take {filesizeformat(used)} of "
            f"{filesizeformat(allowed)}; delete songs or prints, or ask for more room"
        )
    free = shutil.disk_usage(settings.DATA_DIR).free - _still_to_come()
    if free - size < settings.DISK_RESERVE_BYTES:
        raise NoRoomError(f"the disk has no room for {filesizeformat(size)} more; tell who runs this installation")


def _still_to_come() -> int:
    """Return how much of all uploads has not arrived yet; that room is promised."""
    return sum(size - arrived_bytes(pk) for pk, size in Upload.objects.values_list("pk", "size"))
