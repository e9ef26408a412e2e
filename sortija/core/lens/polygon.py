"""Which places lie inside a line drawn round them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["inside_polygon", "turned"]


def inside_polygon(
    x: NDArray[np.float64], y: NDArray[np.float64], corners: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """(n,) whether each place lies inside by the even–odd rule; NaN lies outside.

    Parameters
    ----------
    corners : (c, 2), in order; the last is joined with the first

    >>> square = np.array([[0.0, 0.0], [2.0, 0.0], [2.0, 2.0], [0.0, 2.0]])
    >>> inside_polygon(np.array([1.0, 3.0]), np.array([1.0, 1.0]), square).tolist()
    [True, False]
    """
    inside = np.zeros(len(x), np.bool_)
    for (x1, y1), (x2, y2) in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        if y1 == y2:
            continue
        crosses = (y1 > y) != (y2 > y)
        at = x1 + (y - y1) / (y2 - y1) * (x2 - x1)
        inside ^= crosses & (x < at)
    return inside & ~np.isnan(x) & ~np.isnan(y)


def turned(
    cube: NDArray[np.float64], across: float, down: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What is seen of places in a cube from −1 to 1 that was turned by two angles (radians).

    Nearer places lie a little farther from the middle, as they are drawn.

    Parameters
    ----------
    cube : (3, n)

    >>> x, y = turned(np.array([[1.0], [0.0], [0.0]]), 0.0, 0.0)
    >>> float(x[0]), float(y[0])
    (1.0, 0.0)
    """
    x, y, z = cube
    ca, sa, cb, sb = np.cos(across), np.sin(across), np.cos(down), np.sin(down)
    x1, z1 = x * ca + z * sa, z * ca - x * sa
    y2, z2 = y * cb - z1 * sb, z1 * cb + y * sb
    near = 1 / (1 + 0.16 * z2)
    return x1 * near, y2 * near
