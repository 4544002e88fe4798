"""Which app answers which address."""

from django.urls import include, path

urlpatterns = [
    path("", include("hallweb.screens.urls")),
    path("", include("hallweb.audition.urls")),
    path("accounts/", include("hallweb.accounts.urls")),
]
