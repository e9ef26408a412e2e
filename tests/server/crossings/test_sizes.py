"""Whether sizes changed: of whom it is told, again by hand, and when it is not."""

import numpy as np

from sortija.core.crossings.sizes import lopsided, sizes_changed
from sortija.core.ledger.first_purchases import first_purchases
from sortija.server.ledger.store.ledger import ledger_of
from tests.server.support import DemoCase


class Sizes(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        self.adopt(4)

    def test_of_those_who_were_there_before_both_windows(self):
        page = self.get("crossings", back="6")
        told = page["steps"][0]["sizes"]
        self.assertEqual((page["steps"][0]["overlap"], told["untold"]), (0, ""))
        names = [state["name"] for state in page["states"]][:4]
        before = self.everyone("segment:now", to=page["steps"][0]["from_to"], back="6")
        after = self.everyone("segment:now", to=page["steps"][0]["to"], back="6")
        # Known before the first window: they had bought by the day before it began.
        visits = self.everyone("measure:frequency", to="2024-12-31", back="all")
        self.assertEqual(told["since"], "2025-01-01")
        moves = np.zeros((4, 4), int)
        for code, (many,) in visits.items():
            first, second = before.get(code, [None])[0], after.get(code, [None])[0]
            if many and first in names and second in names:
                moves[names.index(first), names.index(second)] += 1
        self.assertEqual(told["customers"], moves.sum())
        self.assertAlmostEqual(told["p"], sizes_changed(moves).p)
        wanted = [row for row in lopsided(moves) if row.p < 0.05]
        self.assertEqual([(w["one"], w["other"], w["there"], w["back"]) for w in told["one_way"]],
                         [(r.one, r.other, r.there, r.back) for r in wanted])  # fmt: skip

    def test_since_when_each_is_known(self):
        ledger = ledger_of(self.study)
        lines, known = ledger.lines().log, first_purchases(ledger.lines().log.arrays(), ledger.mask)
        for customer in range(0, len(known), 7):
            own = range(lines.start[customer], lines.start[customer + 1])
            days = [
                int(lines.day[i]) for i in own
                if lines.bits[i] & ledger.mask == 0 and lines.kind[i] == 0
                and lines.quantity[i] > 0 and lines.day[i] >= 0
            ]  # fmt: skip
            self.assertEqual(known[customer], min(days, default=-1))

    def test_where_it_cannot_be_told(self):
        for query, words in (
            ({"by": "quarter", "back": "6"}, "different seasons"),
            ({"back": "24"}, "share 12 months"),
        ):
            for step in self.get("crossings", **query)["steps"]:
                self.assertIn(words, step["sizes"]["untold"])
                self.assertEqual((step["sizes"]["p"], step["sizes"]["one_way"]), (None, []))
