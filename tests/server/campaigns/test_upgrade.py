"""What was drawn before draws were columns: the same people afterwards."""

from datetime import UTC, date, datetime

from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.studies.models import Population
from tests.server.support import ServerCase

BEFORE = ("campaigns", "0002_quick_draw")
#: customer, held, stratum, segment
PEOPLE = [(3, 0, 12, 1), (70_001, 1, 12, 1), (7, 0, 40, 2), (9, 1, 5, 0)]


class Upgrade(ServerCase):
    def migrated(self, to):
        executor = MigrationExecutor(connection)
        executor.migrate([to])
        return MigrationExecutor(connection).loader.project_state([to]).apps

    def newest(self):
        [leaf] = MigrationExecutor(connection).loader.graph.leaf_nodes("campaigns")
        return leaf

    def test_each_campaign_keeps_its_people_arms_strata_and_segments(self):
        Population.objects.filter(study=self.study).update(size=70_005)
        try:
            then = self.migrated(BEFORE)
            campaigns, members = (
                then.get_model("campaigns", name).objects for name in ("Campaign", "Member")
            )
            plan = {
                "study_id": self.study.pk, "window": "2026-06-30:12", "send_on": date(2026, 7, 1),
                "read_on": date(2026, 8, 1),
            }  # fmt: skip
            drawn = campaigns.create(
                name="Drawn", state="drawn", drawn_at=datetime(2026, 6, 30, tzinfo=UTC), **plan
            )
            campaigns.create(name="Draft", **plan)
            for customer, held, stratum, segment in PEOPLE:
                members.create(
                    campaign=drawn, customer=customer, card=customer, held=held, stratum=stratum,
                    segment=segment,
                )  # fmt: skip
        finally:
            self.migrated(self.newest())
        found = drawn_of(Campaign.objects.get(name="Drawn"))
        told = zip(found.customers, found.held, found.segment, strict=True)
        self.assertEqual([(int(c), int(h), int(s)) for c, h, s in told],
                         [(c, h, s) for c, h, _, s in sorted(PEOPLE)])  # fmt: skip
        strata = found.stratum.tolist()  # 3, 7, 9, 70001
        self.assertEqual(strata[0], strata[3])
        self.assertEqual(len(set(strata)), 3)
        self.assertEqual(len(drawn_of(Campaign.objects.get(name="Draft")).customers), 0)
