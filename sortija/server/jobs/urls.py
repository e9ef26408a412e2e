"""Addresses of jobs below ``/api/``."""

from django.urls import path

from sortija.server.jobs import health

urlpatterns = [
    path("health", health.HealthView.as_view()),
]
