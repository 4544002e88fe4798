"""Inviting somebody by mail, and opening what they were sent."""

from datetime import timedelta

from django.conf import settings
from django.core.mail import send_mail
from django.urls import reverse
from django.utils import timezone

from hallweb.accounts.models import Invitation
from hallweb.tokens import kept_of, new_token


def invite(email: str, site: str) -> str:
    """Mail an invitation and return its address, which is kept nowhere. `site` is such as https://hall.example."""
    token = new_token()
    Invitation.objects.create(
        email=email, token_sha256=kept_of(token), expires=timezone.now() + timedelta(days=settings.INVITATION_DAYS)
    )
    address = f"{site.rstrip('/')}{reverse('accounts:join', args=[token])}"
    words = f"You are invited to High Hall. Make your account within {settings.INVITATION_DAYS} days:\n\n{address}\n"
    send_mail("High Hall: your invitation", words, None, [email])
    return address


def opened(token: str) -> Invitation | None:
    """Return the invitation of a token, as long as it is open."""
    return Invitation.objects.open().filter(token_sha256=kept_of(token)).first()
