"""What to know of prepared columns before their groups are believed."""

from __future__ import annotations

import numpy as np

from sortija.core.groups.recipe import Prepared
from sortija.core.measures.describe import skewness

__all__ = ["RARE", "SKEWED", "cautions_about"]

#: Beyond such a skew a few customers decide most of the distances.
SKEWED = 1.0
#: Levels with a smaller share had better be pooled.
RARE = 0.01


def cautions_about(rows: Prepared) -> tuple[str, ...]:
    """Sentences, one a column that may mislead: still skewed as prepared, or of rare levels."""
    out = []
    for place, (name, _, _) in enumerate(rows.preparation.numeric):
        skew = skewness(rows.numbers[place].astype(np.float64))
        if abs(skew) > SKEWED:
            out.append(
                f"{name} is skewed as prepared ({skew:.1f}): a few customers decide most of it. "
                "Take a log, a cap, or ranks."
            )
    for place, category in enumerate(rows.preparation.categories):
        counts = np.bincount(rows.codes[place], minlength=256)[1 : len(category.levels) + 1]
        rare = int(((counts > 0) & (counts < RARE * len(rows))).sum())
        if rare > 1:
            out.append(
                f"{category.name} has {rare} values with under {RARE:.0%} of the customers each. "
                "Pool them: each weighs as much as a common one."
            )
    return tuple(out)
