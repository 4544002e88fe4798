"""The form of the door, in our words."""

from typing import Any

from allauth.account.forms import LoginForm


class SignIn(LoginForm):
    """Name or e-mail address, and password."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:  # noqa: ANN401 - as allauth's
        super().__init__(*args, **kwargs)
        self.fields["login"].label = "Name or e-mail"
        self.fields["login"].widget.attrs.update(autocomplete="username", autofocus=True)
