"""Addresses of portraits below ``/api/``."""

from django.urls import path

from sortija.server.portraits.api import against, book, offers, places, segments, table

urlpatterns = [
    path("studies/<int:study>/portraits", table.PortraitsView.as_view()),
    path("studies/<int:study>/portraits/book", book.BookView.as_view()),
    path("studies/<int:study>/portraits/book/figures", book.BookFigures.as_view()),
    path("studies/<int:study>/portraits/book/file", book.BookFile.as_view()),
    path("studies/<int:study>/portraits/rules", table.RulesView.as_view()),
    path("studies/<int:study>/portraits/against", against.AgainstView.as_view()),
    path("studies/<int:study>/portraits/multiples", against.MultiplesView.as_view()),
    path("studies/<int:study>/portraits/offers", offers.OffersView.as_view()),
    path("studies/<int:study>/portraits/first", against.FirstView.as_view()),
    path("studies/<int:study>/portraits/places", places.PlacesView.as_view()),
    path("studies/<int:study>/portraits/spread", table.SpreadView.as_view()),
    path(
        "studies/<int:study>/portraits/segments/<int:segment>/names",
        segments.NamesOfSegment.as_view(),
    ),
    path("studies/<int:study>/portraits/segments/<int:segment>", segments.OneSegment.as_view()),
]
