"""A log of one population is fitted and simulated as it is."""

import unittest
from datetime import date

import numpy as np

from sortija.core.ledger.log import Log
from sortija.core.measures.derive import derive
from sortija.core.measures.one_population import fit_population, simulate
from sortija.core.measures.window import Window
from tests import worlds


class Simulated(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(1)
        cls.log, cls.window = worlds.log_of([(12.0, 1.0, 3.0, 365)], rng, 4000)
        cls.population = fit_population(cls.log, cls.window, worlds.MASK)

    def test_the_parameters_are_found_again(self):
        p = self.population
        self.assertAlmostEqual(p.r, 1.0, delta=0.12)
        self.assertAlmostEqual(p.mean, 12.0, delta=0.8)
        self.assertAlmostEqual(p.within, 0.5, delta=0.02)
        self.assertGreater(p.tie, 0.4)

    def test_measures_of_simulated_customers_are_those_of_the_log(self):
        own = derive(self.log, self.window, worlds.MASK, 2)
        log = simulate(self.population, 4000, np.random.default_rng(2))
        made = derive(log, self.window, worlds.MASK, 2)
        self.assertTrue(made.present.all())
        at = [0.1, 0.25, 0.5, 0.75, 0.9]
        for name, rtol in (("recency", 0.25), ("frequency", 0.2), ("monetary", 0.3),
                           ("basket_mean", 0.1), ("tenure", 0.1)):  # fmt: skip
            real = np.asarray(own.table[name].values)[own.present]
            mine = np.asarray(made.table[name].values)
            wanted = np.quantile(real, at)
            np.testing.assert_allclose(
                np.quantile(mine, at), wanted, rtol=rtol, atol=1.01, err_msg=name
            )
        # Twice the same seed is the same log.
        again = simulate(self.population, 4000, np.random.default_rng(2))
        for name in ("day", "money", "start", "department"):
            np.testing.assert_array_equal(getattr(log, name), getattr(again, name))

    def test_a_long_log_is_fitted_on_some_customers(self):
        from sortija.core.measures import one_population

        before, one_population.MOST_LINES = one_population.MOST_LINES, 10_000
        self.addCleanup(setattr, one_population, "MOST_LINES", before)
        found = fit_population(self.log, self.window, worlds.MASK)
        self.assertAlmostEqual(found.mean, 12.0, delta=2.5)

    def test_too_little_to_fit(self):
        few = self.log.start[20]
        names = ("day", "receipt", "quantity", "money", "kind", "department", "site", "channel")
        arrays = {n: getattr(self.log, n)[:few] for n in (*names, "bits")}
        start = np.append(self.log.start[:21], few)
        self.assertIsNone(fit_population(Log(start=start, **arrays), self.window, worlds.MASK))
        empty = Window(date(2001, 1, 1), 12)
        self.assertIsNone(fit_population(self.log, empty, worlds.MASK))


if __name__ == "__main__":
    unittest.main()
