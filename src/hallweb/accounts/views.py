"""Following an invitation."""

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_safe

from hallweb.accounts.adapter import INVITED
from hallweb.accounts.invitations import opened


@require_safe
def join(request: HttpRequest, token: str) -> HttpResponse:
    """Let this browser make an account, if the invitation is open."""
    invitation = opened(token)
    if invitation is None:
        raise Http404
    request.session[INVITED] = invitation.pk
    return redirect("account_signup")
