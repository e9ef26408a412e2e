"""Every address: the interface below ``/api/``, the page for all the rest."""

from __future__ import annotations

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularJSONAPIView
from rest_framework.permissions import IsAuthenticated

from sortija.server import page

_APPS = (
    "accounts", "studies", "jobs", "lens", "ledger", "measures", "scores", "groups", "portraits",
    "crossings", "campaigns",
)  # fmt: skip

urlpatterns = [
    *(path("api/", include(f"sortija.server.{app}.urls")) for app in _APPS),
    path("api/schema", SpectacularJSONAPIView.as_view(permission_classes=[IsAuthenticated])),
    path("policy-report", page.policy_report),
    re_path(r"^(?!api/|static/)(?P<path>.*)$", page.page),
]
