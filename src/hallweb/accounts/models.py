"""Invitations, who may make an account while sign-up is not open; and how much room an account has."""

from typing import Self

from django.conf import settings
from django.db import models
from django.utils import timezone


class InvitationQuerySet(models.QuerySet["Invitation"]):
    def open(self) -> Self:
        """Return the invitations that nobody has used and that are not over."""
        return self.filter(account=None, expires__gt=timezone.now())


class Invitation(models.Model):
    """An invitation to make one account. Of its token only the SHA-256 is kept."""

    email = models.EmailField()
    token_sha256 = models.CharField(max_length=64, unique=True, editable=False)
    created = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    account = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, null=True, blank=True, related_name="+")

    objects = InvitationQuerySet.as_manager()

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.email


class Allowance(models.Model):
    """How much room an account's songs may take, if that is not what all have."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="allowance")
    gibibytes = models.PositiveIntegerField()

    def __str__(self) -> str:
        return f"{self.gibibytes} GiB for {self.user}"
