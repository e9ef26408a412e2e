"""What people do to their own account: the password, and where they are signed in."""

from __future__ import annotations

import logging

from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import Http404
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.accounts import pauses, sessions
from sortija.server.accounts.models import Person
from sortija.server.accounts.refusals import refuse

log = logging.getLogger(__name__)


class SignInRow(BaseModel):
    """``own``: the sign-in that asks."""

    id: int
    browser: str
    address: str
    began_at: str
    seen_at: str
    own: bool


class SignInList(BaseModel):
    sign_ins: list[SignInRow]


class NewPassword(BaseModel):
    present: str
    wanted: str


class Ended(BaseModel):
    """How many sign-ins were ended elsewhere."""

    ended: int


def _person(request: Request) -> Person:
    assert isinstance(request.user, Person)
    return request.user


class SignIns(APIView):
    @extend_schema(responses=SignInList)
    def get(self, request: Request) -> Response:
        """Where one is signed in: each browser with its last use."""
        sessions.seen(request)
        own = request.session.session_key
        rows = [
            SignInRow(
                id=row.pk, browser=row.browser, address=row.address, own=row.session == own,
                began_at=row.began_at.isoformat(), seen_at=row.seen_at.isoformat(),
            )
            for row in sessions.sign_ins(_person(request))
        ]  # fmt: skip
        return Response(SignInList(sign_ins=rows).model_dump())

    @extend_schema(responses=Ended, operation_id="sign_ins_end_others")
    def delete(self, request: Request) -> Response:
        """End every other sign-in."""
        ended = sessions.end_others(_person(request), request.session.session_key)
        return Response(Ended(ended=ended).model_dump())


class OneSignIn(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, sign_in: int) -> Response:
        """Sign one browser out."""
        if not sessions.end(_person(request), sign_in):
            raise Http404("This session has already ended.")
        return Response(status=204)


class PasswordView(APIView):
    """Another password. Whoever else is signed in by the old one is not any more."""

    @extend_schema(request=NewPassword, responses=Ended)
    def put(self, request: Request) -> Response:
        given, person = NewPassword.model_validate(request.data), _person(request)
        address = request.META.get("REMOTE_ADDR", "")
        wait = pauses.seconds_left(person.username, address)
        if wait:
            return refuse(f"Too many wrong passwords. Try again in {pauses.time_words(wait)}.", 429)
        if not person.check_password(given.present):
            pauses.wrong(person.username, address)
            return refuse("That is not your current password.", 403)
        try:
            validate_password(given.wanted, person)
        except ValidationError as problem:
            return refuse(" ".join(problem.messages))
        with transaction.atomic():
            person.set_password(given.wanted)
            person.save(update_fields=["password"])
            ended = sessions.end_others(person, request.session.session_key)
            sessions.renew(request, lambda: update_session_auth_hash(request, person))
        pauses.right(person.username, address)
        log.info("person %s changed the password", person.pk)
        return Response(Ended(ended=ended).model_dump())
