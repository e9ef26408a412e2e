"""The demo's campaigns, and the service that its letters go to."""

import io
import json
import shutil

from django.conf import settings
from django.core.management import call_command
from django.test import override_settings

from sortija.server.campaigns.models import Campaign, ContactEvent, DeliveryService
from sortija.server.ledger.management.commands.load_demo import NAME
from tests.server.support import SMALL, DemoCase, run_jobs


class DemoCampaigns(DemoCase):
    def setUp(self):
        super().setUp()
        self.study.name = NAME
        self.study.save()
        self.enterContext(override_settings(DATA=self.folder))
        (settings.DATA / "demo").mkdir()
        shutil.copy(SMALL / "winter-letter.csv", settings.DATA / "demo")

    def connect(self, url="http://127.0.0.1:8200"):
        told = io.StringIO()
        call_command("connect_demo_delivery", url=url, stdout=told)
        return json.loads(told.getvalue())

    def test_one_is_read_one_runs_one_is_planned_and_only_once(self):
        for _ in range(2):
            call_command("load_demo_campaigns")
        run_jobs()
        rows = {row["name"]: row for row in self.get("campaigns")["campaigns"]}
        self.assertEqual({name: (r["state"], r["read"]) for name, r in rows.items()}, {
            "Winter letter": ("handed over", True), "Summer pots": ("handed over", False),
            "Autumn bulbs": ("draft", False),
        })  # fmt: skip
        winter = rows["Winter letter"]
        told = self.get(f"campaigns/{winter['id']}/letters")
        counts = {c["kind"]: c["customers"] for c in told["counts"]}
        self.assertEqual(counts["delivered"] + counts["bounced"], winter["written"])
        self.assertEqual(ContactEvent.objects.count(), sum(counts.values()))
        self.assertIsNotNone(self.get(f"campaigns/{winter['id']}/result")["returned"])

    def test_the_demos_service_follows_its_port_and_gives_way_to_another(self):
        first = self.connect()
        row = DeliveryService.objects.get()
        self.assertEqual((row.url, row.token, row.secret),
                         ("http://127.0.0.1:8200", first["token"], first["secret"]))  # fmt: skip
        self.assertEqual(self.connect("http://127.0.0.1:8201"), first)
        self.assertEqual(DeliveryService.objects.get().url, "http://127.0.0.1:8201")
        asked = {"url": "https://post.example.org", "token": "theirs"}
        self.send("put", "campaigns/delivery", asked)
        self.assertIsNone(self.connect())
        self.assertEqual(DeliveryService.objects.get().url, "https://post.example.org")
        self.study.name = "Another shop"
        self.study.save()
        self.assertIsNone(self.connect())
        self.assertFalse(Campaign.objects.exists())
