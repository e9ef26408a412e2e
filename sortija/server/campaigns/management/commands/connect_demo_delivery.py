"""``connect_demo_delivery --url URL``: let the demo's letters go to its own delivery service.

Says in JSON what that service has to know, or ``null`` where the demo is gone or its letters are
delivered by another service.
"""

from __future__ import annotations

import json
from secrets import token_urlsafe
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from sortija.server.campaigns.delivery.service import new_secret
from sortija.server.campaigns.models import DeliveryService
from sortija.server.ledger.management.commands.load_demo import NAME
from sortija.server.studies.actions import changing
from sortija.server.studies.models import Study

#: How tokens begin that were made here.
OURS = "demo-"


class Command(BaseCommand):
    help = "Let the demo's letters go to its own delivery service."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--url", required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        study = Study.objects.filter(name=NAME, binned_at=None).order_by("id").first()
        self.stdout.write(json.dumps(self._connected(study, options["url"]) if study else None))

    def _connected(self, study: Study, url: str) -> dict[str, str] | None:
        with changing(study):
            row = DeliveryService.objects.filter(study=study).first()
            if row is None:
                row = DeliveryService(
                    study=study, token=f"{OURS}{token_urlsafe(24)}", secret=new_secret(),
                    wait_minutes=1, revision=0,
                )  # fmt: skip
            elif not row.token.startswith(OURS):
                return None
            if row.url != url:
                row.url, row.revision = url, row.revision + 1
                row.save()
        return {"token": row.token, "secret": row.secret}
