"""Customers and receipts over HTTP: their pages, and what can be corrected about them."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.ledger.customers import actions
from sortija.server.ledger.customers.page import CustomerPage, customer_page
from sortija.server.ledger.customers.receipt import ReceiptPage, receipt_page
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, body, expected_revision, reply


class CustomerView(APIView):
    @extend_schema(responses=CustomerPage)
    def get(self, request: Request, study: int, customer: int) -> Response:
        """One customer: cards, traits with their history, receipts."""
        return reply(customer_page(study_for(request.user, study), customer))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, study: int, customer: int) -> Response:
        """Erase a person for good."""
        actions.erase_customer(study_for(request.user, study, "owner"), request.user, customer)
        return Response(status=204)


class CardBody(BaseModel):
    code: str


class CardsKept(BaseModel):
    """The customer whom the card belongs to now."""

    customer: int


class MergeCards(APIView):
    @extend_schema(parameters=[REVISION], request=CardBody, responses=CardsKept)
    def post(self, request: Request, study: int, customer: int) -> Response:
        """Put another card together with this customer's."""
        found = study_for(request.user, study, "analyst")
        code = body(request, CardBody).code
        kept = actions.merge_cards(found, request.user, customer, code, expected_revision(request))
        return reply(CardsKept(customer=kept))


class PartCard(APIView):
    @extend_schema(parameters=[REVISION], request=CardBody, responses=CardsKept)
    def post(self, request: Request, study: int) -> Response:
        """Take a card away from its customer, to stand alone."""
        found = study_for(request.user, study, "analyst")
        code = body(request, CardBody).code
        kept = actions.part_card(found, request.user, code, expected_revision(request))
        return reply(CardsKept(customer=kept))


class CorrectionBody(BaseModel):
    trait: str
    value: str


class CorrectTrait(APIView):
    """If-Match: the traits' revision that the customer's page gave."""

    @extend_schema(parameters=[REVISION], request=CorrectionBody, responses={204: None})
    def post(self, request: Request, study: int, customer: int) -> Response:
        found = study_for(request.user, study, "analyst")
        asked = body(request, CorrectionBody)
        actions.correct_trait(
            found, request.user, customer, asked.trait, asked.value, expected_revision(request)
        )
        return Response(status=204)


class ReceiptView(APIView):
    @extend_schema(responses=ReceiptPage)
    def get(self, request: Request, study: int, key: str) -> Response:
        """One receipt: its lines, and what was returned of them."""
        return reply(receipt_page(study_for(request.user, study), key))
