"""Addresses of measures below ``/api/``."""

from django.urls import path

from sortija.server.measures import api, api_pairs

urlpatterns = [
    path("studies/<int:study>/measures", api.MeasuresView.as_view()),
    path("studies/<int:study>/measure/<str:name>", api.OneMeasure.as_view()),
    path("studies/<int:study>/measure/<str:name>/fill/<int:customer>", api.MeasureFill.as_view()),
    path("studies/<int:study>/preparations", api.PreparationRecord.as_view()),
    path("studies/<int:study>/preparations/<str:name>", api.KeptPreparation.as_view()),
    path(
        "studies/<int:study>/customer/<int:customer>/measures", api.CustomerMeasuresView.as_view()
    ),
    path("studies/<int:study>/alike", api_pairs.AlikeView.as_view()),
    path("studies/<int:study>/pair", api_pairs.PairView.as_view()),
    path("studies/<int:study>/pair/points", api_pairs.PairPoints.as_view()),
    path("studies/<int:study>/pairs", api_pairs.MatrixView.as_view()),
    path("studies/<int:study>/levels", api_pairs.LevelsView.as_view()),
    path("studies/<int:study>/series", api_pairs.SeriesView.as_view()),
    path("studies/<int:study>/own-measures", api_pairs.OwnMeasures.as_view()),
    path("studies/<int:study>/own-measures/<str:name>", api_pairs.OneOwn.as_view()),
    path("studies/<int:study>/formula", api_pairs.FormulaCheck.as_view()),
]
