"""Every address: the interface below ``/api/``, the page for all the rest."""

from __future__ import annotations

from django.urls import path, re_path
from drf_spectacular.views import SpectacularJSONAPIView
from rest_framework.permissions import IsAuthenticated

from sortija.server import page
from sortija.server.accounts import api as accounts
from sortija.server.accounts import api_self as own_account
from sortija.server.campaigns import api as campaigns
from sortija.server.crossings import api as crossings
from sortija.server.groups import api as groups
from sortija.server.jobs import health
from sortija.server.ledger.api import customers, files
from sortija.server.ledger.api import waterline as ledger
from sortija.server.lens import api as lens
from sortija.server.measures import api as measures
from sortija.server.portraits import api as portraits
from sortija.server.scores import api as scores
from sortija.server.studies import api as studies
from sortija.server.studies import api_members as members

_STATIONS = (
    accounts, own_account, studies, members, lens, ledger, files, customers, measures, scores,
    groups, portraits, crossings, campaigns, health,
)  # fmt: skip

urlpatterns = [
    *(
        path(f"api/{route}", view.as_view())
        for station in _STATIONS
        for route, view in station.urls()
    ),
    path("api/schema", SpectacularJSONAPIView.as_view(permission_classes=[IsAuthenticated])),
    path("policy-report", page.policy_report),
    re_path(r"^(?!api/|static/)(?P<path>.*)$", page.page),
]
