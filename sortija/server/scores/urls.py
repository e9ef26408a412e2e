"""Addresses of scores below ``/api/``."""

from django.urls import path

from sortija.server.scores import api

urlpatterns = [
    path("studies/<int:study>/scores", api.ScoresView.as_view()),
    path("studies/<int:study>/scores/recipe", api.ScoreRecipeView.as_view()),
    path("studies/<int:study>/scores/codes", api.CodesView.as_view()),
    path("studies/<int:study>/scores/worth", api.WorthView.as_view()),
]
