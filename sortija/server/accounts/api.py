"""Signing in and out, and links for the first time."""

from __future__ import annotations

import logging

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import PermissionDenied, ValidationError
from django.db import transaction
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.accounts import pauses
from sortija.server.accounts.joining import joins
from sortija.server.accounts.models import Person, SignInLink
from sortija.server.accounts.refusals import refuse

log = logging.getLogger(__name__)


class Session(BaseModel):
    """Who is signed in; name empty when nobody is."""

    name: str
    initials: str


class Credentials(BaseModel):
    name: str
    password: str


class FirstSignIn(BaseModel):
    """A link's token, and the name (for invitations) and password the person chooses."""

    token: str
    password: str
    name: str = ""


class LinkKind(BaseModel):
    """``name``: whose sign-in link it is; ``by``: who invites, for an invitation."""

    name: str
    invitation: bool
    by: str


class LinkToken(BaseModel):
    token: str


class Joined(BaseModel):
    """The study that an invitation let its person into."""

    study: int


def _session(person: Person | None) -> Response:
    session = Session(
        name=person.username if person else "", initials=person.initials if person else ""
    )
    return Response(session.model_dump())


def _from_here(request: Request) -> None:
    """Refuse what a page of another site sends, before anybody is signed in by it.

    Raises
    ------
    PermissionDenied
        The browser says that it came from elsewhere.
    """
    origin = request.headers.get("Origin", "")
    own = {f"{request.scheme}://{request.get_host()}", *settings.CSRF_TRUSTED_ORIGINS}
    site = request.headers.get("Sec-Fetch-Site", "same-origin")
    if (origin and origin not in own) or site not in ("same-origin", "none"):
        raise PermissionDenied("Sign in at Sortija's own page.")


class SessionView(APIView):
    permission_classes = [AllowAny]

    @extend_schema(responses=Session)
    def get(self, request: Request) -> Response:
        """Who is signed in."""
        return _session(request.user if request.user.is_authenticated else None)

    @extend_schema(request=Credentials, responses=Session)
    def post(self, request: Request) -> Response:
        """Sign in with a name and a password."""
        _from_here(request)
        given = Credentials.model_validate(request.data)
        address = request.META.get("REMOTE_ADDR", "")
        wait = pauses.seconds_left(given.name, address)
        if wait:
            return refuse(f"Too many wrong passwords. Try again in {pauses.time_words(wait)}.", 429)
        with pauses.one_of_few() as free:
            if not free:
                return refuse("Many people are signing in just now. Try again in a moment.", 503)
            person = authenticate(request, username=given.name, password=given.password)
        if person is None:
            pauses.wrong(given.name, address)
            log.warning("sign-in refused from %s", address)
            return refuse("Wrong name or password. Try again.", 403)
        pauses.right(given.name, address)
        login(request, person)
        log.info("person %s signed in from %s", person.pk, address)
        return _session(person)

    @extend_schema(responses=Session)
    def delete(self, request: Request) -> Response:
        """Sign out."""
        logout(request)
        return _session(None)


class LinkLook(APIView):
    """What a link is for. Looking does not use it up."""

    permission_classes = [AllowAny]

    @extend_schema(request=LinkToken, responses=LinkKind)
    def post(self, request: Request) -> Response:
        link = SignInLink.find(LinkToken.model_validate(request.data).token)
        if link is None:
            return refuse("This link was already used or has expired. Ask for a new one.", 404)
        name = link.person.username if link.person else ""
        by = link.made_by.username if link.made_by else ""
        told = LinkKind(name=name, invitation=link.study is not None, by=by)
        return Response(told.model_dump())


class LinkUse(APIView):
    """Use a link up: the person sets a password and is signed in."""

    permission_classes = [AllowAny]

    @extend_schema(request=FirstSignIn, responses=Session)
    def post(self, request: Request) -> Response:
        _from_here(request)
        given = FirstSignIn.model_validate(request.data)
        try:
            validate_password(given.password)
        except ValidationError as problem:
            return refuse(" ".join(problem.messages))
        with transaction.atomic():
            link = SignInLink.find(given.token)
            if link is None or not _used_up(link):
                return refuse("This link was already used or has expired.", 404)
            person = link.person
            if person is None:
                name = given.name.strip()
                if not name or Person.objects.filter(username__iexact=name).exists():
                    transaction.set_rollback(True)
                    return refuse("This name is taken. Choose another.")
                person = Person(username=name[:150])
            person.set_password(given.password)
            person.save()
            if link.study is not None:
                _join(person, link)
        login(request, person, backend="django.contrib.auth.backends.ModelBackend")
        return _session(person)


class LinkAccept(APIView):
    """Use an invitation up as the person who is signed in: no second account, no new password."""

    @extend_schema(request=LinkToken, responses=Joined)
    def post(self, request: Request) -> Response:
        person = request.user
        assert isinstance(person, Person)
        with transaction.atomic():
            link = SignInLink.find(LinkToken.model_validate(request.data).token)
            if link is None or link.study is None or not _used_up(link):
                return refuse("This invitation was already used or has expired.", 404)
            _join(person, link)
        return Response(Joined(study=link.study).model_dump())


def _used_up(link: SignInLink) -> bool:
    """Mark the link as used; False where somebody was quicker."""
    free = SignInLink.objects.filter(pk=link.pk, used_at=None)
    return bool(free.update(used_at=timezone.now()))


def _join(person: Person, link: SignInLink) -> None:
    assert link.study is not None, "an invitation names its study"
    joins.function(person, link.study, link.role)
