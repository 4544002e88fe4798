"""Which app answers which address."""

from django.urls import include, path

urlpatterns = [
    path("", include("hallweb.desk.urls")),
    path("", include("hallweb.audition.urls")),
    path("", include("hallweb.handoff.urls")),
    path("accounts/", include("hallweb.accounts.urls")),
]
