"""``load_demo_campaigns``: one campaign that is read, one that runs, one that is planned."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from sortija.core.lens.clauses import Clause
from sortija.demo.delivery.letters import events_of
from sortija.server.campaigns import actions
from sortija.server.campaigns.costs import CostsBody
from sortija.server.campaigns.delivery.events import Event, take_events
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.handing import hand_over
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.past import bring_in_past, read_arms
from sortija.server.ledger.management.commands.load_demo import NAME
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures import derivation
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

SENT, READ = date(2026, 1, 31), date(2026, 2, 28)
MAY, JUNE = (WindowInView(date(2026, month, day), "12") for month, day in ((5, 31), (6, 30)))
LETTER = CostsBody(contact=0.62, fixed=90, discount=0, margin=0.38, budget=None)
AWAY = Clause("measure:recency", ranges=((60.0, None),))


class Command(BaseCommand):
    help = "Give the demo its campaigns, unless it has some already."

    def handle(self, *args: Any, **options: Any) -> None:
        study = Study.objects.filter(name=NAME).order_by("id").first()
        file = settings.DATA / "demo" / "winter-letter.csv"
        if study is None or not file.exists() or study.campaigns.exists():
            return
        person = study.members.order_by("id").first()
        who = person.person if person else None
        read = bring_in_past(
            study, who, "Winter letter", SENT, READ, read_arms(file.read_text("utf-8"))
        )
        actions.set_costs(read, who, LETTER, read.revision)
        self._answered(read)
        for window in (MAY, JUNE):
            self._derive(study, window)
        running = self._plan(study, who, MAY, "Summer pots", date(2026, 6, 10), date(2026, 7, 22))
        running = actions.draw(running, who)
        hand_over(running, who, running.revision)
        self._plan(study, who, JUNE, "Autumn bulbs", date(2026, 8, 15), date(2026, 9, 26))

    def _answered(self, campaign: Campaign) -> None:
        """What became of its letters, as the service told whoever sent them."""
        drawn = drawn_of(campaign)
        take_events(campaign, [
            Event(customer, kind, at)
            for customer in drawn.customers[~drawn.held].tolist()
            for kind, at in events_of(f"winter-{customer}", SENT)
        ])  # fmt: skip

    def _plan(
        self, study: Study, who: Any, window: WindowInView, name: str, sent: date, read: date
    ) -> Campaign:
        row = actions.plan(study, who, window, [AWAY], name, sent, read, 0.3)
        return actions.set_costs(row, who, LETTER, row.revision)

    def _derive(self, study: Study, window: WindowInView) -> None:
        """The measures that a plan is drawn by, here and now: no worker runs yet."""
        ledger = ledger_of(study)
        if ledger is not None and not isinstance(measures_or_job(study, window), MeasureSet):
            derivation.make(ledger, window)
