"""Sums of products, added up in one order whatever the machine."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["dot"]


def dot(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """Σ aᵢbᵢ of two columns of equal length.

    A library for linear algebra adds up in as many parts as there are cores, so that its last
    digits differ from machine to machine; here they do not.

    >>> dot(np.arange(5.0), np.ones(5))
    10.0
    """
    return float(_dot(np.ascontiguousarray(a), np.ascontiguousarray(b)))


@numba.njit(nogil=True, cache=True)
def _dot(a: Any, b: Any) -> float:
    s0 = s1 = s2 = s3 = s4 = s5 = s6 = s7 = 0.0
    whole = len(a) - len(a) % 8
    for i in range(0, whole, 8):
        s0 += a[i] * b[i]
        s1 += a[i + 1] * b[i + 1]
        s2 += a[i + 2] * b[i + 2]
        s3 += a[i + 3] * b[i + 3]
        s4 += a[i + 4] * b[i + 4]
        s5 += a[i + 5] * b[i + 5]
        s6 += a[i + 6] * b[i + 6]
        s7 += a[i + 7] * b[i + 7]
    rest = 0.0
    for i in range(whole, len(a)):
        rest += a[i] * b[i]
    return ((s0 + s4) + (s1 + s5)) + ((s2 + s6) + (s3 + s7)) + rest
