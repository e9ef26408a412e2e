"""Rows of a table that the lens picks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.core.lens.evaluate import members
from sortija.server.lens.evaluation import kept_clauses, selection_of
from sortija.server.lens.fields import base_of
from sortija.server.measures.measure_set import (
    MeasureSet,
)
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["lens_rows"]


def lens_rows(
    study: Study, window: WindowInView, lens: str, made: MeasureSet
) -> NDArray[np.int64] | None:
    """Customers of the table that are in the lens; None while no lens is on."""
    if made.of:
        return None  # a lens speaks of customers
    clauses = kept_clauses(study, lens)
    base = base_of(study, window)
    if not clauses or base is None:
        return None
    rows = members(selection_of(study, window, clauses, base))
    rows = rows[rows < made.size]
    return rows[made.present[rows]]
