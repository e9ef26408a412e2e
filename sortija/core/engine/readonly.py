"""Arrays as read-only views, the kind that kernels are compiled for."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["readonly"]


def readonly(values: NDArray[Any]) -> NDArray[Any]:
    """The array as a view that cannot be written to.

    Arrays of kept files are so already, and a kernel is compiled once more for the other kind.

    >>> readonly(np.zeros(2)).flags.writeable
    False
    """
    view = np.asarray(values).view(np.ndarray)
    view.flags.writeable = False
    return view
