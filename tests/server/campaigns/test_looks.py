"""Who looks every week is not told of an effect more often than who waits for the planned day."""

from datetime import date, timedelta

import numpy as np
from django.test import SimpleTestCase

from sortija.core.calendar import day_number
from sortija.core.campaigns.effect import effect_of
from sortija.core.campaigns.responses import Responses
from sortija.core.campaigns.strata import arms_of
from sortija.server.campaigns import result
from sortija.server.campaigns.drawn import Drawn
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.responses import Outcome

SENT, WEEKS, CUSTOMERS = date(2026, 1, 5), 8, 1200
SENT_DAY = day_number(SENT)
READ = SENT + timedelta(weeks=WEEKS)


class Looks(SimpleTestCase):
    def looked(self, drawn, day, week):
        """What the screen says after so many weeks: its verdict, and whether 0 is left out."""
        through = SENT_DAY + 7 * week
        came = np.where((day > 0) & (day <= 7 * week), SENT_DAY + day, -1)
        nothing = np.zeros(CUSTOMERS, np.int64)
        told = Responses(came, nothing, nothing)
        outcome = Outcome(drawn, None, told, SENT_DAY, through, week == WEEKS, "")
        campaign = Campaign(send_on=SENT, read_on=READ)
        page = result._nothing(campaign, "")
        arms = arms_of(drawn.held, drawn.stratum)
        effect = effect_of(told.came, arms)
        result._tell(campaign, outcome, effect, page)
        return page.verdict, effect.returned.low > 0 or effect.returned.high < 0

    def test_without_any_effect_at_most_5_in_100_are_told_of_one_however_often_they_look(self):
        rng = np.random.default_rng(11)
        wrong = hasty = 0
        worlds = 500
        customers = np.arange(CUSTOMERS)
        for _ in range(worlds):
            held = rng.random(CUSTOMERS) < 0.4
            one = np.ones(CUSTOMERS, np.int64)
            drawn = Drawn(customers, held, one * 0, one * 0, one)
            day = rng.geometric(0.006, CUSTOMERS)  # the first purchase, in days from sending
            looks = [self.looked(drawn, day, week) for week in range(1, WEEKS + 1)]
            self.assertTrue(all(verdict is None for verdict, _ in looks[:-1]))
            wrong += looks[-1][0] in ("more", "fewer")
            hasty += any(told for _, told in looks)
        spread = np.sqrt(0.05 * 0.95 / worlds)
        self.assertLessEqual(wrong / worlds, 0.05 + 2.5 * spread)
        self.assertGreater(wrong, 5)
        self.assertGreater(hasty, 2 * wrong)  # whom a verdict at every look would mislead
