"""Addresses of campaigns below ``/api/``."""

from django.urls import path

from sortija.server.campaigns import api

urlpatterns = [
    path("studies/<int:study>/campaigns", api.CampaignsView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>", api.OneCampaign.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/draw", api.DrawView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/list", api.ListView.as_view()),
]
