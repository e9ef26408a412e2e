"""Addresses of crossings below ``/api/``."""

from django.urls import path

from sortija.server.crossings import api
from sortija.server.crossings.watches import api as watches

urlpatterns = [
    path("studies/<int:study>/crossings", api.CrossingsView.as_view()),
    path("studies/<int:study>/crossings/why", api.WhyView.as_view()),
    path("studies/<int:study>/crossings/signs", api.SignsView.as_view()),
    path("studies/<int:study>/crossings/paths", api.PathsView.as_view()),
    path("studies/<int:study>/crossings/cohorts", api.CohortsView.as_view()),
    path("studies/<int:study>/crossings/yardstick", api.FitView.as_view()),
    path("studies/<int:study>/crossings/customer/<int:customer>", api.CustomerPathView.as_view()),
    path("studies/<int:study>/crossings/changed", api.ChangedView.as_view()),
    path("studies/<int:study>/crossings/refit", api.RefitView.as_view()),
    path("studies/<int:study>/crossings/next", api.AheadView.as_view()),
    path("studies/<int:study>/crossings/steadier/<int:grouping>", api.SteadierView.as_view()),
    path("studies/<int:study>/watches", watches.WatchesView.as_view()),
    path("studies/<int:study>/watches/<int:watch>", watches.OneWatch.as_view()),
]
