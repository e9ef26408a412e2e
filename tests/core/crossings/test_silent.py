"""How many have gone silent where nobody ever changes: what the screen says of it."""

from __future__ import annotations

import unittest

import numpy as np

from sortija.core.measures.catalogue import GONE_SILENT
from tests.core.crossings.worlds import AFTER, world


class Silent(unittest.TestCase):
    def test_of_customers_who_never_change_so_many_are_at_any_time(self) -> None:
        for visits, said in ((4, 0.27), (12, 0.17), (40, 0.04)):
            shares = []
            for seed in (3, 4):
                silence = np.asarray(
                    world(3000, visits, seed).derived(AFTER).table["silence"].values
                )
                shares.append(np.mean(silence[~np.isnan(silence)] > GONE_SILENT))
            self.assertAlmostEqual(float(np.mean(shares)), said, delta=0.02)
