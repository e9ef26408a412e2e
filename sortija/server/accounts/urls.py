"""Addresses of accounts below ``/api/``."""

from django.urls import path

from sortija.server.accounts import api, api_self

urlpatterns = [
    path("session", api.SessionView.as_view()),
    path("links/look", api.LinkLook.as_view()),
    path("links/use", api.LinkUse.as_view()),
    path("links/accept", api.LinkAccept.as_view()),
    path("sign-ins", api_self.SignIns.as_view()),
    path("sign-ins/<int:sign_in>", api_self.OneSignIn.as_view()),
    path("password", api_self.PasswordView.as_view()),
]
