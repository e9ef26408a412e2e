"""Addresses of campaigns below ``/api/``."""

from django.urls import path

from sortija.server.campaigns import api
from sortija.server.campaigns.delivery import api as delivery

urlpatterns = [
    path("studies/<int:study>/campaigns", api.CampaignsView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>", api.OneCampaign.as_view()),
    path("studies/<int:study>/campaigns/customer/<int:customer>", api.CustomerView.as_view()),
    path("studies/<int:study>/campaigns/do-not-contact", api.DoNotContactView.as_view()),
    path("studies/<int:study>/campaigns/worked", api.WorkedView.as_view()),
    path("studies/<int:study>/campaigns/past", api.PastView.as_view()),
    path("studies/<int:study>/campaigns/standing", api.StandingView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/copy", api.CopyView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/move", api.MoveView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/costs", api.CostsView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/result", api.ResultView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/proof", api.ProofView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/later", api.LaterView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/report", api.ReportView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/report/file", api.ReportFileView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/draw", api.DrawView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/list", api.ListView.as_view()),
    path("studies/<int:study>/campaigns/delivery", delivery.ServiceView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/letters", delivery.LettersView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/outbox", delivery.OutboxView.as_view()),
    path("studies/<int:study>/campaigns/<int:campaign>/outbox/stop", delivery.StopView.as_view()),
    path(
        "studies/<int:study>/campaigns/<int:campaign>/left/<int:departure>",
        delivery.LeftAgainView.as_view(),
    ),
    path(
        "studies/<int:study>/campaigns/<int:campaign>/responses",
        delivery.ResponseFileView.as_view(),
    ),
    path("delivery/<int:study>/events", delivery.EventsView.as_view()),
]
