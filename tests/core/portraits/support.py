"""Small tables with groups, numbers, categories and gaps."""

import numpy as np

from sortija.core.table import Column

__all__ = ["random_table"]


def random_table(rng, n=None):
    """(columns, groups, k): two numbers of few values and two categories, some of it missing,
    one of each with more to do with the groups than the other."""
    n = int(rng.integers(30, 120)) if n is None else n
    k = int(rng.integers(2, 5))
    groups = rng.integers(0, k, n)
    pull = rng.random(4) * 2
    columns = []
    for place in range(2):
        values = np.round(rng.normal(groups * pull[place], 1.0) * 3)
        columns.append(Column(f"x{place}", "number", np.where(rng.random(n) < 0.1, np.nan, values)))
    for place in range(2, 4):
        levels = int(rng.integers(2, 7))
        drawn = (groups + rng.integers(0, levels, n) * (rng.random(n) > pull[place] / 2)) % levels
        codes = np.where(rng.random(n) < 0.1, 0, drawn + 1).astype(np.int32)
        columns.append(Column(f"c{place}", "category", codes, "", tuple("abcdefgh"[:levels])))
    return columns, groups, k
