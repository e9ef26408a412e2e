"""Addresses of lens below ``/api/``."""

from django.urls import path

from sortija.server.lens import api, api_exports

urlpatterns = [
    path("studies/<int:study>/fields", api.FieldsView.as_view()),
    path("studies/<int:study>/dock", api.DockView.as_view()),
    path("studies/<int:study>/lens", api.LensView.as_view()),
    path("studies/<int:study>/lens/<str:digest>", api.LensByDigest.as_view()),
    path("studies/<int:study>/kept", api.KeptView.as_view()),
    path("studies/<int:study>/kept/<int:kept>", api.OneKept.as_view()),
    path("studies/<int:study>/names", api.NamesView.as_view()),
    path("studies/<int:study>/customers", api.CustomersView.as_view()),
    path("studies/<int:study>/exports", api_exports.ExportsView.as_view()),
    path("studies/<int:study>/exports/<int:export>", api_exports.OneExport.as_view()),
    path("studies/<int:study>/exports/<int:export>/file", api_exports.ExportFile.as_view()),
    path(
        "studies/<int:study>/exports/<int:export>/dictionary",
        api_exports.ExportDictionary.as_view(),
    ),
]
