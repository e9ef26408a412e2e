"""Addresses of portraits below ``/api/``."""

from django.urls import path

from sortija.server.portraits import api

urlpatterns = [
    path("studies/<int:study>/portraits", api.PortraitsView.as_view()),
    path("studies/<int:study>/portraits/rules", api.RulesView.as_view()),
    path("studies/<int:study>/portraits/against", api.AgainstView.as_view()),
    path("studies/<int:study>/portraits/multiples", api.MultiplesView.as_view()),
    path("studies/<int:study>/portraits/offers", api.OffersView.as_view()),
    path("studies/<int:study>/portraits/first", api.FirstView.as_view()),
    path("studies/<int:study>/portraits/spread", api.SpreadView.as_view()),
    path(
        "studies/<int:study>/portraits/segments/<int:segment>/names",
        api.NamesOfSegment.as_view(),
    ),
    path("studies/<int:study>/portraits/segments/<int:segment>", api.OneSegment.as_view()),
]
