"""A customer's measures in sentences: by hand, and against the kernels on random receipts."""

import re
import unittest
from datetime import date

import numpy as np

from sortija.core.calendar import day_number
from sortija.core.ledger.log import Log, order_lines
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.explanations import Context, Visit, account, tell
from sortija.core.measures.window import Window

JUNE = Window(date(2026, 6, 30), 12)


def day(text):
    return day_number(date.fromisoformat(text))


def told(visits, joined=None, usual=None, window=JUNE):
    found = account(visits, window, 0)
    return {each.name: each for each in tell(found, 2, "£", joined, Context(usual))}


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
                weekend = ((days[sale] + 3) % 7 >= 5).any()
                visits.append(
                    Visit(int(key), int(days[mine][0]), int(money[sale].sum()),
                          int(money[mine & back].sum()), int(sale.sum()), frozenset(),
                          int(mine.sum()), int((mine & back).sum()), int(money[mine].sum()) // 2,
                          {"weekend": int(money[sale].sum()) if weekend else 0,
                           "share_department_seeds": int(money[sale].sum())})
                )  # fmt: skip
            shares = {"weekend": "at weekends", "share_department_seeds": "in Seeds",
                      "share_department_pots": "in Pots"}  # fmt: skip
            found = account(visits, JUNE, 0)
            context = Context(None, derived.trend, 2, shares)
            found = {t.name: t for t in tell(found, 2, "£", None, context)}
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
                self.compare(found, value)

    def compare(self, found, value):
        """The last figure of each sentence is the measure."""
        for name in ("returned", "weekend", "share_department_seeds", "evenness"):
            if name in found:
                (share,) = re.findall(r"([\d.]+)%\.$", found[name].words)
                self.assertAlmostEqual(float(share) / 100, value[name], delta=0.00051)
            elif name != "evenness":
                self.assertTrue(np.isnan(value[name]))
        self.assertEqual(len(found["visit_days"].receipts), value["frequency"])
        (days,) = re.findall(r"([\d,]+) different days?\.$", found["visit_days"].words)
        self.assertEqual(int(days), value["visit_days"])
        if np.isnan(value["trend"]):
            self.assertIn("No trend is told", found["trend"].words)
        else:
            (trend,) = re.findall(r"([+−][\d.]+)\.$", found["trend"].words)
            self.assertAlmostEqual(float(trend.replace("−", "-")), value["trend"], delta=0.0051)
        if "gap_cv" in found:
            (cv,) = re.findall(r": ([\d.]+) times", found["gap_cv"].words)
            self.assertAlmostEqual(float(cv), value["gap_cv"], delta=0.0051)
        else:
            self.assertTrue(np.isnan(value["gap_cv"]))
        self.assertIn("that the goods cost", found["margin"].words)

    def test_no_margin_without_a_cost(self):
        visits = [Visit(1, day("2026-06-01"), 500, 0, 1), Visit(2, day("2026-06-02"), 5, 0, 1)]
        words = told(visits)["margin"].words
        self.assertIn("For 2 receipts nobody said what the goods cost", words)


if __name__ == "__main__":
    unittest.main()
