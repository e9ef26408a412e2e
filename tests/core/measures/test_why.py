"""A customer's measures in sentences: by hand, and against the kernels on random receipts."""

import re
import unittest
from datetime import date

import numpy as np

from sortija.core.ledger.log import Log, order_lines
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.why import Visit, account, tell
from sortija.core.measures.window import Window, day_number

JUNE = Window(date(2026, 6, 30), 12)


def day(text):
    return day_number(date.fromisoformat(text))


def told(visits, joined=None, usual=None, window=JUNE):
    found = account(visits, window, 0)
    return {each.name: each for each in tell(found, 2, "£", joined, usual)}


class ByHand(unittest.TestCase):
    VISITS = (
        Visit(1, day("2025-05-01"), 500, 0, 1, frozenset({"Pots"})),  # before the window
        Visit(2, day("2025-07-01"), 1000, 0, 2, frozenset({"Seeds"})),
        Visit(3, day("2026-01-10"), 2500, -500, 1, frozenset({"Pots"})),
        Visit(4, day("2026-02-01"), 0, -300, 0),  # brought back, no purchase
        Visit(5, day("2026-06-29"), 1200, 0, 1, frozenset({"Seeds"})),
        Visit(6, -1, 900, 0, 1, frozenset({"Tools"})),  # without a date
    )

    def test_every_sentence(self):
        found = told(self.VISITS)
        for name, words, receipts in (
            ("recency", "on 29 Jun 2026; from then to the end of 30 Jun 2026 are 2 days", (5,)),
            ("frequency", "3 receipts with at least one kept sale from 1 Jul 2025 to 30 Jun 2026",
             (2, 3, 5)),
            ("monetary", "£47.00 of sales less £8.00 of returns", (2, 3, 5, 4)),
            ("basket_mean", "3 purchases of £42.00 together: £14.00 each", (2, 3, 5)),
            ("basket_median", "is £12.00", (2, 3, 5)),
            ("tenure", "first purchase was on 1 May 2025, 426 days before", ()),
            ("silence", "2 days since the last visit against the usual gap of 182 days: 0.01", ()),
            ("gap_mean", "3 visit days lie 2 gaps apart, 181.5 days each", (2, 3, 5)),
            ("breadth", "2 departments: Pots, Seeds", (2, 3, 5)),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertIn(words, found[name].words)
                self.assertEqual(found[name].receipts, receipts)

    def test_joining(self):
        known = told(self.VISITS, joined=day("2020-06-30"))["tenure"].words
        self.assertIn("Joined on 30 Jun 2020, 2,192 days before", known)
        late = told(self.VISITS, joined=day("2026-08-01"))["tenure"].words
        self.assertIn("after the window ended", late)

    def test_too_few_visits_go_by_all_customers(self):
        one = self.VISITS[4:5]
        self.assertIn("against the 40 days usual among all", told(one, usual=40)["silence"].words)
        self.assertIn("the 14 days usual", told(one, usual=3)["silence"].words)
        self.assertIn("too few visits to know", told(one)["silence"].words)
        self.assertNotIn("gap_mean", told(one))

    def test_nothing_in_the_window(self):
        found = told(self.VISITS[:1])
        self.assertEqual(list(found), ["frequency"])
        self.assertIn("No purchase from 1 Jul 2025 to 30 Jun 2026", found["frequency"].words)


class AgainstTheKernels(unittest.TestCase):
    def test_random_receipts(self):
        rng = np.random.default_rng(11)
        for seed in range(30):
            lines = int(rng.integers(3, 40))
            days = np.sort(rng.integers(day("2024-06-01"), day("2026-06-30"), lines))
            receipt = rng.integers(1, 15, lines).astype(np.uint64) + (days * 100).astype(np.uint64)
            back = rng.random(lines) < 0.2
            money = rng.integers(1, 5000, lines) * np.where(back, -1, 1)
            customer = np.zeros(lines, np.int32)
            order, start = order_lines(customer, days.astype(np.int32), receipt, 1)
            log = Log(
                start, days.astype(np.int32)[order], receipt[order],
                np.where(back, -1000, 1000)[order], money[order].astype(np.int64),
                back.astype(np.int8)[order], np.zeros(lines, np.int16),
                np.zeros(lines, np.int16), np.zeros(lines, np.int16),
                np.where(back, 64, 0).astype(np.int32)[order],
            )  # fmt: skip
            derived = derive(log, JUNE, 0, 2, Names(("Seeds", "Pots"), ("till",)))
            visits = []
            for key in np.unique(receipt):
                mine = receipt == key
                sale = mine & ~back
                visits.append(
                    Visit(int(key), int(days[mine][0]), int(money[sale].sum()),
                          int(money[mine & back].sum()), int(sale.sum()))
                )  # fmt: skip
            found = told(visits)
            value = {c.name: c.values[0] for c in derived.table}
            with self.subTest(seed):
                if not derived.present[0]:
                    self.assertIn("No purchase", found["frequency"].words)
                    continue
                self.assertEqual(len(found["frequency"].receipts), value["frequency"])
                (recency,) = re.findall(r"are ([\d,]+) days?", found["recency"].words)
                self.assertEqual(int(recency.replace(",", "")), value["recency"])
                for name in ("monetary", "basket_mean", "basket_median"):
                    last = re.findall(r"(−?)£([\d,]+\.\d\d)", found[name].words)[-1]
                    amount = float(last[1].replace(",", "")) * (-1 if last[0] else 1)
                    self.assertAlmostEqual(amount, value[name], delta=0.0051)


if __name__ == "__main__":
    unittest.main()
