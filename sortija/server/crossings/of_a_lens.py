"""Movement of the customers of a lens alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from sortija.core.crossings.matrix import Crossings, cross
from sortija.core.groups.assignment import Placement
from sortija.core.lens.evaluate import members
from sortija.server.crossings.steps import Pair, border_of
from sortija.server.lens.evaluation import kept_clauses, selection_of
from sortija.server.lens.fields import base_of
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["OF_ALL", "crossed_inside", "inside_lens"]

OF_ALL = "it is told of all customers, not of those of a lens"
#: Clauses about movement itself: whoever picks a ribbon goes on seeing the others.
_MOVEMENT = ("crossing:", "changed:", "path:")


def inside_lens(
    study: Study, window: WindowInView, lens: str, size: int
) -> NDArray[np.bool_] | None:
    """(n,) who is in the lens, whatever crossings it names; None where it names nothing else."""
    clauses = [each for each in kept_clauses(study, lens) if not each.field.startswith(_MOVEMENT)]
    if not clauses:
        return None
    base = base_of(study, window)
    if base is None:
        raise Problem("The measures of this window are still being derived. Try again soon.", 503)
    inside = np.zeros(size, np.bool_)
    rows = members(selection_of(study, window, clauses, base))
    inside[rows[rows < size]] = True
    return inside


def crossed_inside(key: Pair, inside: NDArray[np.bool_]) -> Crossings:
    """The matrices of a step, of these customers alone."""
    before, after = key.value
    return cross(
        _of(before.placement, inside), _of(after.placement, inside), before.made.money[inside],
        after.made.money[inside], border_of(key)[inside],
    )  # fmt: skip


def _of(placement: Placement, inside: NDArray[np.bool_]) -> Placement:
    return replace(
        placement, state=placement.state[inside], distance=placement.distance[inside],
        rival=placement.rival[inside], margin=placement.margin[inside],
    )  # fmt: skip
