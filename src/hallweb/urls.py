"""Which app answers which address."""

from django.contrib import admin
from django.urls import include, path

urlpatterns = [
    path("", include("hallweb.screens.urls")),
    path("", include("hallweb.audition.urls")),
    path("accounts/", include("hallweb.accounts.urls")),
    path("accounts/", include("allauth.urls")),
    path("operator/", admin.site.urls),
]

handler400 = "hallweb.screens.common.failures.bad_request"
handler403 = "hallweb.screens.common.failures.forbidden"
handler404 = "hallweb.screens.common.failures.not_found"
handler500 = "hallweb.screens.common.failures.broken"
