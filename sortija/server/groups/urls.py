"""Addresses of groups below ``/api/``."""

from django.urls import path

from sortija.server.groups import api
from sortija.server.groups.pictures import api as pictures
from sortija.server.groups.yardsticks import api as yardsticks

urlpatterns = [
    path("studies/<int:study>/groups", api.GroupsView.as_view()),
    path("studies/<int:study>/groups/recipe", api.RecipeView.as_view()),
    path("studies/<int:study>/groups/run", api.RunView.as_view()),
    path("studies/<int:study>/groups/adopt", api.AdoptView.as_view()),
    path("studies/<int:study>/groups/take-up", api.TakeUpView.as_view()),
    path("studies/<int:study>/groups/swap", api.SwapView.as_view()),
    path("studies/<int:study>/groups/kept", api.KeptView.as_view()),
    path("studies/<int:study>/groups/kept/<int:grouping>", api.KeptOne.as_view()),
    path("studies/<int:study>/groups/<int:grouping>/open", api.OpenView.as_view()),
    path("studies/<int:study>/groups/model", yardsticks.ModelView.as_view()),
    path("studies/<int:study>/groups/place", yardsticks.PlaceFileView.as_view()),
    path("studies/<int:study>/ladder", api.LadderView.as_view()),
    path("studies/<int:study>/groups/balance", pictures.BalanceView.as_view()),
    path("studies/<int:study>/groups/compare", pictures.CompareView.as_view()),
    path("studies/<int:study>/groups/merges", pictures.MergesView.as_view()),
    path("studies/<int:study>/groups/proposals", pictures.ProposalsView.as_view()),
    path("studies/<int:study>/groups/<int:grouping>/profile", pictures.CandidateView.as_view()),
    path("studies/<int:study>/groups/<int:grouping>/centres", pictures.CentresView.as_view()),
    path("studies/<int:study>/groups/<int:grouping>/map", pictures.MapView.as_view()),
    path("studies/<int:study>/groups/<int:grouping>/plane", pictures.PlaneView.as_view()),
    path("studies/<int:study>/groups/<int:grouping>/points", pictures.PointsView.as_view()),
    path("studies/<int:study>/groups/<int:grouping>/widths", pictures.WidthsView.as_view()),
    path(
        "studies/<int:study>/groups/<int:grouping>/neighbourhood",
        pictures.NeighbourhoodView.as_view(),
    ),
]
