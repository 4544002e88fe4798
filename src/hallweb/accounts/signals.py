"""Sign-ins are written into the log."""

from typing import Any

from django.contrib.auth.models import User
from django.contrib.auth.signals import user_logged_in, user_logged_out, user_login_failed
from django.dispatch import receiver
from django.http import HttpRequest

from hallweb.audit import tell


@receiver(user_logged_in)
def came_in(request: HttpRequest, user: User, **_: object) -> None:
    """Tell who signed in from where."""
    tell("signed in", account=user.get_username(), address=request.META.get("REMOTE_ADDR"))


@receiver(user_logged_out)
def went_out(user: User | None, **_: object) -> None:
    """Tell who signed out."""
    tell("signed out", account=user.get_username() if user else None)


@receiver(user_login_failed)
def was_refused(credentials: dict[str, Any], request: HttpRequest | None = None, **_: object) -> None:
    """Tell under which name somebody tried to sign in; the password is not told."""
    name = credentials.get("username") or credentials.get("email")
    tell("refused to sign in", account=name, address=request.META.get("REMOTE_ADDR") if request else None)
