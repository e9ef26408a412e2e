"""Expected visits: the likelihood by definition, known parameters recovered, held-out months."""

import math
import unittest
from dataclasses import replace
from datetime import date, timedelta

import numpy as np
from scipy.optimize import approx_fprime
from scipy.special import gammaln

from sortija.core.calendar import day_number
from sortija.core.engine import Engine
from sortija.core.ledger.log import Log, order_lines
from sortija.core.measures import expected
from sortija.core.measures.expected import (
    ExpectedModel,
    Rhythm,
    already_there,
    chance_active,
    expected_visits,
    fit_expected,
    log_likelihood,
    rhythm_of,
)
from sortija.core.measures.heldout import check_expected, next_days

TRUE = (0.6, 5.0, 0.8, 2.5)
LAST = date(2026, 6, 30)


def simulate(customers, parameters, rng, ahead=13.0):
    """Customers who come at random and stop for good; what they did, and will do."""
    r, alpha, a, b = parameters
    rate, stop = rng.gamma(r, 1 / alpha, customers), rng.beta(a, b, customers)
    age = rng.uniform(20, 130, customers)
    again, last, now = np.zeros(customers), np.zeros(customers), np.zeros(customers)
    coming, active = np.zeros(customers), np.ones(customers, bool)
    left = np.arange(customers)
    while len(left):
        now[left] += rng.exponential(1 / rate[left])
        inside = left[now[left] <= age[left]]
        again[inside] += 1
        last[inside] = now[inside]
        later = left[(now[left] > age[left]) & (now[left] <= age[left] + ahead)]
        coming[later] += 1
        came = np.concatenate([inside, later])
        gone = rng.random(len(came)) < stop[came]
        active[inside[gone[: len(inside)]]] = False
        left = came[~gone]
    return Rhythm(again, last, age, np.arange(customers)), coming, active


class TheModel(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.found, cls.coming, cls.active = simulate(40_000, TRUE, np.random.default_rng(4))
        cls.model = fit_expected(cls.found, Engine(2))

    def test_the_likelihood_is_the_paper_s(self):
        r, alpha, a, b = 0.7, 6.0, 0.9, 2.2
        few = Rhythm(np.array([0.0, 1, 4]), np.array([0.0, 3, 20]), np.array([30.0, 30, 25]),
                     np.arange(3))  # fmt: skip
        total = 0.0
        for x, t, end in zip(few.again, few.last, few.age, strict=True):
            front = gammaln(r + x) - gammaln(r) + r * math.log(alpha)
            front += gammaln(a + b) + gammaln(b + x) - gammaln(b) - gammaln(a + b + x)
            inside = (1 / (alpha + end)) ** (r + x)
            if x > 0:
                inside += a / (b + x - 1) * (1 / (alpha + t)) ** (r + x)
            total += front + math.log(inside)
        self.assertAlmostEqual(log_likelihood((r, alpha, a, b), few), total, 9)

    def test_the_gradient_is_the_slope(self):
        few, _, _ = simulate(300, TRUE, np.random.default_rng(5))
        data = expected._together(few, Engine(1))
        at = np.log([0.5, 4.0, 0.7, 2.0])
        slope = approx_fprime(at, lambda logs: expected._cost(logs, data)[0], 1e-6)
        np.testing.assert_allclose(expected._cost(at, data)[1], slope, rtol=1e-3, atol=1e-2)

    def test_known_parameters_are_recovered_within_their_errors(self):
        self.assertTrue(self.model.converged)
        for mine, true, error in zip(self.model.parameters, TRUE, self.model.errors, strict=True):
            self.assertLess(abs(mine - true), 3 * error)
            self.assertLess(error, 0.06 * true)
        cost = -log_likelihood(TRUE, self.found)
        self.assertLessEqual(self.model.cost, cost + 1e-6)  # no worse than the truth itself

    def test_what_is_expected_comes(self):
        told = expected_visits(self.model, self.found, 13, Engine(2))
        self.assertAlmostEqual(told.sum() / self.coming.sum(), 1, delta=0.03)
        for low, high in ((0, 0), (1, 2), (3, 6), (7, 99)):
            who = (self.found.again >= low) & (self.found.again <= high)
            self.assertAlmostEqual(told[who].mean(), self.coming[who].mean(), delta=0.05)
        self.assertTrue((np.diff([expected_visits(self.model, self.found, w).sum()
                                  for w in (1, 5, 20, 60)]) > 0).all())  # fmt: skip
        self.assertAlmostEqual(float(expected_visits(self.model, self.found, 1e-9).max()), 0, 6)

    def test_who_has_stopped(self):
        chance = chance_active(self.model, self.found)
        self.assertTrue(((chance >= 0) & (chance <= 1)).all())
        self.assertTrue((chance[self.found.again == 0] == 1).all())
        for low, high in ((0.05, 0.25), (0.4, 0.6), (0.8, 0.95)):
            who = (chance > low) & (chance < high) & (self.found.again > 0)
            self.assertAlmostEqual(chance[who].mean(), self.active[who].mean(), delta=0.04)

    def test_the_same_on_any_number_of_threads(self):
        few, _, _ = simulate(3000, TRUE, np.random.default_rng(6))
        self.assertEqual(fit_expected(few, Engine(1)), fit_expected(few, Engine(2)))

    def test_too_little_to_tell(self):
        few, _, _ = simulate(40, TRUE, np.random.default_rng(7))
        self.assertIsNone(fit_expected(few))
        once = Rhythm(np.zeros(99), np.zeros(99), np.full(99, 9.0), np.arange(99))
        self.assertIsNone(fit_expected(once))

    def test_a_whole_a_has_a_removable_hole(self):
        at_one = ExpectedModel(0.6, 5.0, 1.0, 2.5, (0, 0, 0, 0), 0, 9, True)
        near = ExpectedModel(0.6, 5.0, 1.001, 2.5, (0, 0, 0, 0), 0, 9, True)
        np.testing.assert_allclose(
            expected_visits(at_one, self.found, 13)[:99],
            expected_visits(near, self.found, 13)[:99], rtol=0.01,
        )  # fmt: skip


class Beginnings(unittest.TestCase):
    """Customers whose first visit in the log is not their first of all."""

    def seen(self, begins, seed):
        """The share told of a world of five years, of which the log has what came from then on."""
        rng = np.random.default_rng(seed)
        joined = rng.uniform(0, 260, 3000)
        first, last, count = [], [], []
        for start in joined:
            visits = start + np.r_[0.0, np.cumsum(rng.exponential(rng.gamma(2, 3), 60))]
            visits = visits[(visits < 260) & (visits >= begins)]
            if len(visits):
                first.append(visits[0])
                last.append(visits[-1])
                count.append(len(visits) - 1.0)
        first, last = np.array(first), np.array(last)
        rhythm = Rhythm(np.array(count), last - first, 260 - first, np.arange(len(first)))
        return already_there(rhythm, 260.0 - begins)

    def test_a_log_that_begins_late_says_so(self):
        for seed in range(5):
            self.assertGreater(self.seen(130.0, seed), 0.4)

    def test_a_log_from_the_first_day_on_says_nothing(self):
        for seed in range(5):
            self.assertIsNone(self.seen(0.0, seed))

    def test_a_short_log_cannot_tell(self):
        self.assertIsNone(self.seen(240.0, 1))


def log_from(days, customer, customers):
    """A log with one sale a row."""
    days, customer = np.asarray(days, np.int32), np.asarray(customer, np.int32)
    number = np.arange(len(days)).astype(np.uint64)
    order, start = order_lines(customer, days, number, customers)
    small = np.zeros(len(days), np.int16)
    many, none = np.ones(len(days), np.int64), np.zeros(len(days), np.int32)
    return Log(start, days[order], number[order], many * 1000, many * 500,
               none.astype(np.int8), small, small, small, none)  # fmt: skip


class OnALog(unittest.TestCase):
    def test_visits_are_days(self):
        end = day_number(LAST) + 1
        log = log_from([end - 20, end - 20, end - 6, end + 3, end - 4], [0, 0, 0, 0, 2], 3)
        found = rhythm_of(log, 0, end)
        self.assertEqual(found.rows.tolist(), [0, 2])
        self.assertEqual(found.again.tolist(), [1, 0])
        np.testing.assert_allclose(found.last, [2, 0])
        np.testing.assert_allclose(found.age, [20 / 7, 4 / 7])

    def customers(self, seasonal):
        rng = np.random.default_rng(3)
        begin = day_number(date(2024, 1, 1))
        span = day_number(LAST) - begin
        days, who = [], []
        for customer in range(1500):
            weekly = rng.gamma(1.2, 0.12)
            mine = begin + np.sort(rng.integers(0, span, rng.poisson(weekly * span / 7) + 1))
            if seasonal:
                month = mine.astype("M8[D]").astype("M8[M]").astype(int) % 12
                mine = mine[(month >= 2) & (month <= 5)]
            days.extend(mine)
            who.extend([customer] * len(mine))
        return log_from(days, who, 1500), begin

    def test_steady_customers_fit(self):
        log, begin = self.customers(seasonal=False)
        check, model = check_expected(log, 0, LAST, begin, Engine(2))
        self.assertTrue(check.fits, (check.error, check.worst))
        self.assertEqual(len(check.ends), 6)
        self.assertEqual(check.ends[-1], day_number(LAST))
        split = date(1970, 1, 1) + timedelta(days=check.split)
        self.assertEqual(split, date(2026, 1, 1))
        # Whoever first came in the months held out is not among those expected.
        known = {c for c in range(1500) if (log.day[log.start[c] : log.start[c + 1]]
                                            < check.split).any()}  # fmt: skip
        self.assertEqual(check.customers, len(known))
        seen = sum(
            len(set(log.day[log.start[c] : log.start[c + 1]][
                log.day[log.start[c] : log.start[c + 1]] >= check.split].tolist()))
            for c in known
        )  # fmt: skip
        self.assertEqual(check.observed.sum(), seen)
        self.assertAlmostEqual(
            (check.by_class[:, 0] * check.by_class[:, 2]).sum(), check.observed.sum(), 6
        )
        self.assertAlmostEqual(
            (check.by_class[:, 0] * check.by_class[:, 1]).sum(), check.expected.sum(), 6
        )
        self.assertIsNotNone(model)

    def test_seasons_do_not_fit_and_say_so(self):
        log, begin = self.customers(seasonal=True)
        check, _ = check_expected(log, 0, LAST, begin, Engine(2))
        self.assertFalse(check.fits)

    def test_a_month_without_a_visit_is_no_division_by_nothing(self):
        log, begin = self.customers(seasonal=False)
        quiet = log.day < day_number(date(2026, 1, 1))
        bits = np.where(quiet, 0, 8).astype(np.int32)
        check, _ = check_expected(replace(log, bits=bits), 8, LAST, begin, Engine(1))
        self.assertEqual(check.observed.sum(), 0)
        self.assertTrue(math.isnan(check.error) and math.isfinite(check.worst))
        self.assertFalse(check.fits)

    def test_a_short_log_is_not_checked(self):
        log, _ = self.customers(seasonal=False)
        self.assertIsNone(check_expected(log, 0, LAST, day_number(date(2026, 4, 1)), Engine(1)))

    def test_the_next_months_are_calendar_months(self):
        self.assertEqual(next_days(date(2026, 6, 30)), 31 + 31 + 30)
        self.assertEqual(next_days(date(2026, 1, 31), 1), 28)


if __name__ == "__main__":
    unittest.main()
