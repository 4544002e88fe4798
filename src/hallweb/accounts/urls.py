"""Sign-in and sign-out."""

from django.contrib.auth import views
from django.urls import path

app_name = "accounts"
urlpatterns = [
    path("sign-in/", views.LoginView.as_view(template_name="accounts/sign_in.html"), name="sign-in"),
    path("sign-out/", views.LogoutView.as_view(), name="sign-out"),
]
