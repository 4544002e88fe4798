"""Where our rules for accounts meet allauth: who may make one."""

from allauth.account.adapter import DefaultAccountAdapter
from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.forms import BaseForm
from django.http import HttpRequest

from hallweb.accounts.models import Invitation

INVITED = "invitation"
"""Under which name a session keeps the invitation that was opened in it."""


_NO_MATCH = "Name and password do not match. Check both and try again."


class Accounts(DefaultAccountAdapter):
    """Accounts by invitation, unless the setting opens sign-up to all."""

    error_messages = {
        **DefaultAccountAdapter.error_messages,
        "username_password_mismatch": _NO_MATCH,
        "email_password_mismatch": _NO_MATCH,
        "too_many_login_attempts": "Too many wrong passwords. Wait five minutes, then try again.",
    }

    def is_open_for_signup(self, request: HttpRequest) -> bool:
        """Whether this browser may make an account."""
        return settings.SIGN_UP_IS_OPEN or self._invitation(request) is not None

    def save_user(
        self, request: HttpRequest, user: AbstractBaseUser, form: BaseForm, commit: bool = True
    ) -> AbstractBaseUser:
        """Store a new account; the invitation is used up then."""
        saved = super().save_user(request, user, form, commit)
        invitation = self._invitation(request)
        if invitation and commit:
            Invitation.objects.filter(pk=invitation.pk).update(account_id=saved.pk)
            request.session.pop(INVITED, None)
        return saved

    def _invitation(self, request: HttpRequest) -> Invitation | None:
        return Invitation.objects.open().filter(pk=request.session.get(INVITED) or 0).first()
