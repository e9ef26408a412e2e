"""Which service delivers a study's letters, and what it needs to know of us."""

from __future__ import annotations

from base64 import b64encode
from secrets import token_bytes
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from pydantic import BaseModel, Field

from sortija.server.campaigns.models import DeliveryService
from sortija.server.studies.actions import changing, record
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = ["ServiceAsked", "ServiceBody", "events_address", "new_secret", "service_body",
           "service_of", "set_service"]  # fmt: skip

#: What leaves waits so many minutes at most.
MOST_MINUTES = 1440


class ServiceAsked(BaseModel):
    """``url``: where letters are posted to, empty for no service; ``token``: what it knows us by,
    null: as it is; ``wait_minutes``: how long what leaves can be stopped."""

    url: str = ""
    token: str | None = None
    wait_minutes: int = Field(10, ge=0, le=MOST_MINUTES)


class ServiceBody(BaseModel):
    """``has_token``: one was given, which is never shown; ``secret``: what the service signs with,
    shown to owners alone; ``events_to``: where it posts what became of the letters."""

    url: str
    host: str
    has_token: bool
    secret: str
    events_to: str
    wait_minutes: int
    revision: int


def service_of(study: Study) -> DeliveryService | None:
    """The service in use; None without one."""
    return DeliveryService.objects.filter(study=study).exclude(url="").first()


def events_address(study: Study) -> str:
    """Where the service posts events to."""
    return f"{settings.SORTIJA_URL.rstrip('/')}/api/delivery/{study.pk}/events"


def new_secret() -> str:
    """A secret to sign with, as Standard Webhooks write it."""
    return f"whsec_{b64encode(token_bytes(24)).decode()}"


def service_body(study: Study, secrets: bool) -> ServiceBody:
    """The service for the wire; ``secrets``: whether the person may see what it signs with."""
    row = DeliveryService.objects.filter(study=study).first()
    url = row.url if row else ""
    return ServiceBody(
        url=url, host=urlsplit(url).netloc, has_token=bool(row and row.token),
        secret=row.secret if row and secrets else "", events_to=events_address(study),
        wait_minutes=row.wait_minutes if row else 10, revision=row.revision if row else 0,
    )  # fmt: skip


def set_service(study: Study, person: Any, asked: ServiceAsked, expected: int) -> None:
    """Say which service delivers; the words of history tell its host, never its token.

    Raises
    ------
    Problem
        The address is none.
    """
    url = asked.url.strip().rstrip("/")
    parts = urlsplit(url)
    if url and (parts.scheme not in ("http", "https") or not parts.hostname or len(url) > 300):
        raise Problem("The service's address begins with https:// or http://, then its host.")
    with changing(study):
        row = DeliveryService.objects.filter(study=study).first()
        if (row.revision if row else 0) != expected:
            raise Conflict("The delivery service was changed since you loaded this page.")
        if row is None:
            row = DeliveryService(study=study, secret=new_secret(), revision=0)
        before = row.url
        row.url, row.wait_minutes, row.revision = url, asked.wait_minutes, row.revision + 1
        if asked.token is not None:
            row.token = asked.token.strip()
        row.save()
        words = f"Letters are delivered by {parts.netloc}" if url else "No service delivers letters"
        record(study, person, "delivery service", words, "delivery", urlsplit(before).netloc,
               parts.netloc)  # fmt: skip
