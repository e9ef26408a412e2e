"""Marks that only the whole ledger can tell: staff, repeats, what gave way, what is extreme."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.core.ledger.counting import Kind, counts
from sortija.core.ledger.rules import BIT

__all__ = ["STAFF_PATTERNS", "AmountSpread", "found_bits", "meant_by"]

#: What staff and test cards are called where nobody has said otherwise.
STAFF_PATTERNS = ("staff*", "test*", "training*")
#: Steps of the spread's histogram in one e-fold of money.
_FINE = 64
_E_FOLDS = 44
#: Lines whose amount tells nothing about what is usual.
_NO_AMOUNT_OF_ITS_OWN = sum(
    BIT[key] for key in ("no_date", "no_amount", "future", "currency", "void", "not_sale")
)


def meant_by(texts: Sequence[str], patterns: Sequence[str]) -> NDArray[np.bool_]:
    """Which texts are meant by any pattern: ``*`` stands for anything, ``?`` for one letter.

    Capitals and small letters are alike.

    >>> meant_by(["STAFF-1", "M-17", "Test"], ["staff*", "test"]).tolist()
    [True, False, True]
    """
    wanted = [pattern.strip() for pattern in patterns if pattern.strip()]
    if not wanted:
        return np.zeros(len(texts), np.bool_)
    parts = [re.escape(p).replace(r"\*", ".*").replace(r"\?", ".") for p in wanted]
    means = pc.match_substring_regex(
        pa.array(texts, pa.string()), f"(?s)^(?:{'|'.join(parts)})$", ignore_case=True
    )
    return np.asarray(means.to_numpy(zero_copy_only=False), np.bool_)


def found_bits(
    bits: NDArray[np.int32], card: NDArray[np.int32], money: NDArray[np.int64],
    came_before: NDArray[np.bool_], staff: NDArray[np.bool_], fence: float = math.inf,
) -> NDArray[np.int32]:  # fmt: skip
    """The bits of lines with those that only the whole ledger can tell.

    Parameters
    ----------
    bits : (n,) int32
        As the reader gave them.
    card, money, came_before : (n,)
        Card numbers (−1: none), money, and whether the line's receipt came before.
    staff : (cards,) bool
    fence : float
        Amounts beyond it, whatever their sign, are extreme; at the scale of ``money``.
    """
    theirs = np.append(staff, False)[card]  # −1, no card, reads the last
    read = bits & BIT["no_amount"] == 0
    out = bits.copy()
    for rule, meets in (
        ("twice", came_before),
        ("staff", theirs),
        ("zero", (money == 0) & read),
        ("extreme", np.abs(money) > fence),
    ):
        out |= np.where(meets, np.int32(BIT[rule]), np.int32(0))
    return out


class AmountSpread:
    """What sale lines usually cost, gathered batch by batch."""

    def __init__(self) -> None:
        self._counts = np.zeros(_FINE * _E_FOLDS, np.int64)

    def add(self, kind: NDArray[np.int8], money: NDArray[np.int64], bits: NDArray[Any]) -> None:
        """The next lines; only readable sales above nothing tell."""
        sale = (kind == Kind.SALE) & (money > 0) & counts.py_func(bits, _NO_AMOUNT_OF_ITS_OWN)
        place = (np.log(money[sale]) * _FINE).astype(np.int64)
        self._counts += np.bincount(place, minlength=len(self._counts))

    def fence(self) -> float:
        """Three times the middle half beyond it, on the logarithm of money; ∞ without sales.

        The outer fence of a box plot (Tukey 1977), since amounts are skewed on their own scale.
        """
        total = int(self._counts.sum())
        if total == 0:
            return math.inf
        reached = np.cumsum(self._counts)
        lower, upper = (
            int(np.searchsorted(reached, share * total)) / _FINE for share in (0.25, 0.75)
        )
        # Where most lines cost the same, a price ten times as high is still no slip.
        return math.exp(upper + 3 * max(upper - lower, math.log(10) / 3))
