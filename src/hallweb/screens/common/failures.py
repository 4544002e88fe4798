"""What is answered when a request cannot be: one sentence, in the corner of the screen or on a page of its own."""

import sys

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from hallweb.screens.common.context import refused

BROKE = "Something in High Hall broke. Nothing was changed; try again, and tell who runs it if it stays so."
AWAY = "The database does not answer. Nothing was changed; try again in a moment."


def _answer(request: HttpRequest, heading: str, problem: str, status: int) -> HttpResponse:
    if getattr(request, "htmx", False):
        return refused(request, problem, status)
    return render(request, "common/apart.html", {"heading": heading, "problem": problem}, status=status)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say what a request has that no screen of ours sends."""
    return _answer(request, "That cannot be read", f"The request is not one of ours: {exception}.", 400)


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say what somebody may not do."""
    return _answer(request, "Not allowed", str(exception) or "You may not do that.", 403)


def too_large(request: HttpRequest) -> HttpResponse:
    """Say that more was sent than is taken at a time."""
    return _answer(
        request, "Too large", "That is more than is taken at a time. Send files from the page of a song.", 413
    )


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:  # noqa: ARG001 - Django gives it
    """Say that there is nothing under an address."""
    problem = (
        "There is nothing here, or nothing that you may see. It may have been removed, or belong to somebody else."
    )
    return _answer(request, "Nothing here", problem, 404)


def broken(request: HttpRequest) -> HttpResponse:
    """Say that something of ours broke, or that the database is away."""
    if isinstance(sys.exc_info()[1], OperationalError | InterfaceError):
        return _answer(request, "One moment", AWAY, 503)
    return _answer(request, "Something broke", BROKE, 500)


def untrusted(request: HttpRequest, reason: str = "") -> HttpResponse:  # noqa: ARG001 - Django gives it
    """Say that a form was not sent by a page of ours, or by one that is too old."""
    return _answer(
        request, "Send it again", "This page is too old, or its cookies are off. Reload it and try again.", 403
    )
