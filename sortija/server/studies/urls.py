"""Addresses of studies below ``/api/``."""

from django.urls import path

from sortija.server.studies import api, api_members, api_sheets

urlpatterns = [
    path("studies", api.Studies.as_view()),
    path("studies/<int:study>/trail", api.TrailView.as_view()),
    path("studies/<int:study>/pulse", api.PulseView.as_view()),
    path("studies/<int:study>/jobs/<int:job>/cancel", api.CancelJob.as_view()),
    path("studies/<int:study>/jobs/<int:job>/again", api.RepeatJob.as_view()),
    path("studies/<int:study>/history", api.HistoryView.as_view()),
    path("studies/<int:study>/history/undo", api.Undo.as_view()),
    path("studies/<int:study>/history/redo", api.Redo.as_view()),
    path("studies/<int:study>/sheets", api_sheets.Sheets.as_view()),
    path("studies/<int:study>/members", api_members.Members.as_view()),
    path("studies/<int:study>/members/<int:member>", api_members.OneMember.as_view()),
    path("studies/<int:study>/invitations", api_members.Invitations.as_view()),
    path("studies/<int:study>/invitations/<int:invitation>", api_members.OneInvitation.as_view()),
]
