"""What to know of prepared columns before their groups are believed."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from sortija.core.groups.recipe import Prepared
from sortija.core.measures.describe import skewness

__all__ = [
    "EQUALS",
    "RARE",
    "SKEWED",
    "cautions_about",
    "equals_column",
    "rare_in_words",
    "skewed_in_words",
]

#: Beyond such a skew a few customers decide most of the distances.
SKEWED = 1.0
#: Levels with a smaller share had better be pooled.
RARE = 0.01
#: From this share on that one column alone would group alike, that is said.
EQUALS = 0.9


def skewed_in_words(label: str, skew: float) -> str:
    """What a skew beyond :data:`SKEWED` does to groups.

    >>> skewed_in_words("Spend", 2.31)
    'Spend is skewed as prepared (2.3): a few customers decide most of it.'
    """
    return f"{label} is skewed as prepared ({skew:.1f}): a few customers decide most of it."


def rare_in_words(label: str, rare: int) -> str:
    """What levels with a share under :data:`RARE` do to groups.

    >>> rare_in_words("Town", 12)
    'Town has 12 values with under 1% of the customers each: each weighs as much as a common one.'
    """
    return (
        f"{label} has {rare} values with under {RARE:.0%} of the customers each: each weighs as "
        "much as a common one."
    )


def cautions_about(rows: Prepared) -> tuple[str, ...]:
    """Sentences, one per column that may mislead: still skewed as prepared, or of rare levels."""
    out = []
    for place, (name, _, _) in enumerate(rows.preparation.numeric):
        skew = skewness(rows.numbers[place].astype(np.float64))
        if abs(skew) > SKEWED:
            out.append(f"{skewed_in_words(name, skew)} Take a log, a cap, or ranks.")
    for place, category in enumerate(rows.preparation.categories):
        counts = np.bincount(rows.codes[place], minlength=256)[1 : len(category.levels) + 1]
        rare = int(((counts > 0) & (counts < RARE * len(rows))).sum())
        if rare > 1:
            out.append(f"{rare_in_words(category.name, rare)} Pool them.")
    return tuple(out)


def equals_column(rows: Prepared, labels: NDArray[np.int32], k: int) -> tuple[str, float] | None:
    """The column that alone puts most rows into their groups, and their share; None under 90%.

    A category puts a row into the group that most rows of its level are in, and at most as many
    groups as it has levels; a number into the group whose mean is nearest. Whoever puts them all
    into the largest group is no such column: the share that is right beyond it counts.
    """
    n = len(labels)
    largest = np.bincount(labels, minlength=k).max() / max(n, 1)
    best: tuple[str, float] | None = None
    for name, right in _right(rows, labels, k):
        share = right / n
        beyond = (share - largest) / max(1 - largest, 1e-9)
        if share >= EQUALS and beyond >= EQUALS - 0.1 and (best is None or share > best[1]):
            best = (name, float(share))
    return best


def _right(rows: Prepared, labels: NDArray[np.int32], k: int) -> Iterator[tuple[str, int]]:
    """How many rows each column alone would put into their groups."""
    counts = np.maximum(np.bincount(labels, minlength=k), 1)
    for place, (name, _, _) in enumerate(rows.preparation.numeric):
        values = rows.numbers[place].astype(np.float64)
        means = np.bincount(labels, values, minlength=k) / counts
        order = np.argsort(means, kind="stable")
        cuts = (means[order][1:] + means[order][:-1]) / 2
        yield name, int((order[np.searchsorted(cuts, values)] == labels).sum())
    for place, category in enumerate(rows.preparation.categories):
        table = np.bincount(labels.astype(np.int64) * 256 + rows.codes[place], minlength=k * 256)
        by_level = table.reshape(k, 256)
        if len(np.unique(by_level.argmax(axis=0)[by_level.sum(axis=0) > 0])) == k:
            yield category.name, int(by_level.max(axis=0).sum())
