"""Words for the values of traits, over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.ledger.customers.value_words import (
    ValueWordsPage,
    change_words,
    value_words_page,
)
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, body, expected_revision, reply

__all__ = ["ValueWords"]


class ValueWordsBody(BaseModel):
    """Value → words; empty: as it is in its file."""

    words: dict[str, str]


class ValueWords(APIView):
    @extend_schema(responses=ValueWordsPage)
    def get(self, request: Request, study: int, trait: str) -> Response:
        """The values of a trait, with what they are called."""
        return reply(value_words_page(study_for(request.user, study), trait))

    @extend_schema(parameters=[REVISION], request=ValueWordsBody, responses=ValueWordsPage)
    def put(self, request: Request, study: int, trait: str) -> Response:
        """Call values of a trait something else, wherever they are read."""
        found = study_for(request.user, study, "analyst")
        words = body(request, ValueWordsBody).words
        change_words(found, request.user, trait, words, expected_revision(request))
        return reply(value_words_page(found, trait))
