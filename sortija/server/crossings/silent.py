"""Who has gone silent by the own rhythm, weeks before a whole window without a purchase."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.core.measures.catalogue import GONE_SILENT
from sortija.server.measures.measure_set import MeasureSet

__all__ = ["gone_silent"]


def gone_silent(made: MeasureSet) -> NDArray[np.bool_]:
    """(n,) who has been away longer than three of the own usual gaps at the window's end."""
    if "silence" not in made.derived:
        return np.zeros(made.size, np.bool_)
    with np.errstate(invalid="ignore"):
        return np.asarray(made.column("silence").values) > GONE_SILENT
