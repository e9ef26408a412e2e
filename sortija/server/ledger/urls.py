"""Addresses of ledger below ``/api/``."""

from django.urls import path

from sortija.server.ledger.api import attachments, customers, files, values, waterline

urlpatterns = [
    path("studies/<int:study>/ledger", waterline.LedgerView.as_view()),
    path("studies/<int:study>/ledger/rules/<str:rule>", waterline.RuleSwitch.as_view()),
    path("studies/<int:study>/ledger/lines", waterline.LinesView.as_view()),
    path("studies/<int:study>/ledger/lines/file", waterline.LinesFile.as_view()),
    path("studies/<int:study>/ledger/staff", waterline.StaffView.as_view()),
    path("studies/<int:study>/ledger/returns", waterline.ReturnsView.as_view()),
    path("studies/<int:study>/ledger/rates", waterline.RatesView.as_view()),
    path("studies/<int:study>/ledger/own", waterline.OwnRules.as_view()),
    path("studies/<int:study>/ledger/own/try", waterline.TryOwnRule.as_view()),
    path("studies/<int:study>/ledger/own/<int:slot>", waterline.OneOwnRule.as_view()),
    path("studies/<int:study>/ledger/summaries", waterline.SummariesView.as_view()),
    path("studies/<int:study>/ledger/districts", waterline.PlacesView.as_view()),
    path("studies/<int:study>/currency", files.CurrencyView.as_view()),
    path("studies/<int:study>/uploads", files.Uploads.as_view()),
    path("studies/<int:study>/uploads/<int:upload>/parts", files.UploadParts.as_view()),
    path("studies/<int:study>/attachments", attachments.Attachments.as_view()),
    path("studies/<int:study>/attachments/<int:attachment>", attachments.OneAttachment.as_view()),
    path("studies/<int:study>/attachments/<int:attachment>/look", attachments.LookAgain.as_view()),
    path("studies/<int:study>/intakes", files.Intakes.as_view()),
    path("studies/<int:study>/intakes/<int:intake>", files.OneIntake.as_view()),
    path("studies/<int:study>/intakes/<int:intake>/count", files.CountIntake.as_view()),
    path("studies/<int:study>/intakes/<int:intake>/columns", files.ChangeColumns.as_view()),
    path("studies/<int:study>/intakes/<int:intake>/overlap", files.OverlapView.as_view()),
    path("studies/<int:study>/intakes/<int:intake>/role", files.ReadAs.as_view()),
    path("studies/<int:study>/intakes/<int:intake>/encoding", files.ReadIn.as_view()),
    path("studies/<int:study>/intakes/<int:intake>/apart", files.WithoutHeads.as_view()),
    path("studies/<int:study>/customer/<int:customer>", customers.CustomerView.as_view()),
    path("studies/<int:study>/customer/<int:customer>/cards", customers.MergeCards.as_view()),
    path("studies/<int:study>/customer/<int:customer>/trait", customers.CorrectTrait.as_view()),
    path("studies/<int:study>/traits/<str:trait>/words", values.ValueWords.as_view()),
    path("studies/<int:study>/cards/apart", customers.PartCard.as_view()),
    path("studies/<int:study>/receipt/<str:key>", customers.ReceiptView.as_view()),
]
