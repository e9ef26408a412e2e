"""What tests of letters share: a plan, a service, and what it tells."""

from datetime import timedelta
from unittest import mock

from django.utils import timezone

from sortija.server.campaigns.delivery import outbox, post, push
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import (
    Campaign,
    DeliveryService,
    Departure,
)
from tests.server.campaigns.post_office import PostOffice, signed
from tests.server.support import DemoCase, run_jobs

__all__ = ["AWAY", "PLAN", "TOKEN", "DeliveryCase"]

PLAN = {"name": "Spring letter", "send_on": "2026-07-10", "read_on": "2026-08-20", "holdout": 0.25}
AWAY = {"field": "measure:recency", "ranges": [[30, None]]}
TOKEN = "a token of ours"


class DeliveryCase(DemoCase):
    once = DemoCase.four_groups

    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.object(push, "BLOCK", 20))
        self.enterContext(mock.patch.object(post, "PAUSES", (0.01,) * 12))
        self.row = self.send("post", "campaigns", {**PLAN, "clauses": [AWAY]}, 201)
        self.path = f"campaigns/{self.row['id']}"

    def drawn(self):
        self.send("post", f"{self.path}/draw")
        self.campaign = Campaign.objects.select_related("study").get()
        drawn = drawn_of(self.campaign)
        self.written = drawn.customers[~drawn.held].tolist()
        self.held = drawn.customers[drawn.held].tolist()

    def serve(self, wait=0, **more):
        """A service, and what the study has to know of it."""
        office = PostOffice(self, TOKEN, **more)
        self.known(office.url, wait)
        return office

    def known(self, url, wait=0, token=TOKEN):
        self.send(
            "put", "campaigns/delivery", {"url": url, "token": token, "wait_minutes": wait},
        )  # fmt: skip

    def due(self):
        """The time that it waits is over."""
        Departure.objects.update(goes_at=timezone.now() - timedelta(seconds=1))
        outbox.send_due()
        run_jobs()

    def left(self):
        return self.get(f"{self.path}/letters")["departures"][0]

    def tell(self, *events, status=200, **how):
        """What a service tells us; a reference, a kind and perhaps a moment each."""
        told = [
            {"reference": r, "kind": kind, "at": (at or ["2026-07-11T10:00:00Z"])[0]}
            for r, kind, *at in events
        ]
        secret = how.pop("secret", DeliveryService.objects.get().secret)
        body, headers = signed(secret, told, **how)
        return self.told(body, headers, status)

    def told(self, body, headers, status=200):
        self.client.logout()
        answer = self.client.post(
            f"/api/delivery/{self.study.pk}/events", body, content_type="application/json",
            headers=headers,
        )  # fmt: skip
        self.client.force_login(self.owner)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def references(self):
        number = Departure.objects.get(way="service").pk
        return [f"{number}-{customer}" for customer in self.written]
