"""Workers killed in the middle of a draw, a list and a delivery: nobody twice, nobody lost.

More kills than the few of a usual run: ``python -m tests.longer letters 100``.
"""

import os
import random
import sys

import numpy as np

from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Block, Campaign, Departure
from sortija.server.studies.models import Column, HistoryEntry
from tests.server.campaigns.post_office import PostOffice
from tests.server.jobs.test_kills import MortalCase
from tests.server.support import SMALL, Demo

KILLS = int(os.environ.get("SORTIJA_TEST_KILLS", "6"))
SEED = int(os.environ.get("SORTIJA_TEST_SEED", "5"))
PLAN = {"send_on": "2026-07-10", "read_on": "2026-08-20", "holdout": 0.25}


class CampaignKills(Demo, MortalCase):
    def count_the_demo(self):
        for name in ("log.csv", "members.csv"):
            self.bring_in((SMALL / name).read_text(), name)

    def setUp(self):
        super().setUp()
        self.chance, self.rounds = random.Random(SEED), 0

    def plan(self):
        """Another plan; those before it are read by then, so that nobody falls away for them."""
        self.rounds += 1
        year = 2026 + 2 * self.rounds
        plan = {
            **PLAN, "name": f"Letter {self.rounds}", "send_on": f"{year}-07-10",
            "read_on": f"{year}-08-20",
        }  # fmt: skip
        return self.send("post", "campaigns", plan, 201)["id"]

    def drawn(self):
        number = self.plan()
        self.send("post", f"campaigns/{number}/draw")
        campaign = Campaign.objects.select_related("study").get(pk=number)
        drawn = drawn_of(campaign)
        return campaign, drawn.customers[~drawn.held].tolist()

    def tell(self, killed, what):
        print(f"{killed} killed in {self.rounds} {what}", file=sys.stderr)

    def test_a_draw_is_there_whole_or_not_at_all(self):
        first, usual = self.drawn()
        killed, columns = 0, Column.objects.filter(name__startswith="campaign ").count()
        while killed < KILLS:
            number = self.plan()
            Campaign.objects.filter(pk=number).update(seed=first.seed)
            fuse = self.chance.randint(1, 12) if self.chance.random() < 0.7 else 0
            killed += self.work_until(
                fuse, 60.0 if fuse else self.chance.uniform(0.01, 0.3), f"draw {number}"
            )
            campaign = Campaign.objects.select_related("study").get(pk=number)
            history = HistoryEntry.objects.filter(
                action="draw holdout", target=f"campaign:{number}"
            ).count()
            if campaign.state == Campaign.DRAFT:
                self.assertEqual((campaign.arms, history), (None, 0))
                self.send("post", f"campaigns/{number}/draw")
                campaign = Campaign.objects.select_related("study").get(pk=number)
            else:
                self.assertEqual(history, 1)
            drawn = drawn_of(campaign)
            self.assertEqual(drawn.customers[~drawn.held].tolist(), usual)
            columns += 3
            self.assertEqual(Column.objects.filter(name__startswith="campaign ").count(), columns)
        self.tell(killed, "draws")

    def test_a_list_has_everybody_once(self):
        killed = 0
        while killed < KILLS:
            campaign, written = self.drawn()
            row = self.send("post", f"campaigns/{campaign.pk}/list", {"kind": "csv"}, 201)
            killed += self.done(self.chance, moments=60)
            departure = Departure.objects.get(campaign=campaign)
            self.assertEqual((departure.state, departure.sent), (Departure.GONE, len(written)))
            rows = [r for block in departure.blocks.order_by("number") for r in block.rows]
            self.assertEqual([r[0] for r in rows], written)
            answer = self.client.get(self.url(f"exports/{row['id']}/file"))
            lines = answer.getvalue().decode().splitlines()[1:]
            self.assertEqual([line.split(",")[0] for line in lines], [r[1] for r in rows])
        self.tell(killed, "lists")

    def test_a_delivery_reaches_everybody_once(self):
        office, killed, sent = PostOffice(self, trouble=0.2), 0, 0
        self.send("put", "campaigns/delivery", {"url": office.url, "wait_minutes": 0})
        while killed < KILLS:
            campaign, written = self.drawn()
            self.send("post", f"campaigns/{campaign.pk}/outbox", {}, 201)
            killed += self.done(self.chance, moments=120, longest=1.5)
            sent += len(written)
            self.assertEqual(
                {k: office.counts()[k] for k in ("letters", "twice")},
                {"letters": sent, "twice": 0},
            )
            departure = Departure.objects.get(campaign=campaign)
            self.assertEqual((departure.state, departure.sent), (Departure.GONE, len(written)))
            rows = [r for b in Block.objects.filter(departure=departure) for r in b.rows]
            self.assertEqual(sorted(r[0] for r in rows), written)
            self.assertEqual(len(np.unique([r[0] for r in rows])), len(rows))
            handed = HistoryEntry.objects.filter(
                action="hand over", target=f"campaign:{campaign.pk}"
            )
            self.assertEqual(handed.count(), 1)
        self.tell(killed, "deliveries")
