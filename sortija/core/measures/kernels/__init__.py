"""One pass over the lines of a block of customers, for one window or a series of them."""

from sortija.core.measures.kernels.block import against_everyone, derive_block
from sortija.core.measures.kernels.days import DAYS, day_money, visits_block
from sortija.core.measures.kernels.slots import (
    FIXED,
    SUMS_OF_EVERYONE,
    Everyone,
    Figure,
    Places,
    Results,
    Sum,
    Wanted,
    Windows,
)

__all__ = [
    "DAYS",
    "FIXED",
    "SUMS_OF_EVERYONE",
    "Everyone",
    "Figure",
    "Places",
    "Results",
    "Sum",
    "Wanted",
    "Windows",
    "against_everyone",
    "day_money",
    "derive_block",
    "visits_block",
]
