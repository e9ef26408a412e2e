"""Silhouette widths, customer by customer."""

from __future__ import annotations

import numpy as np

from sortija.core.groups.validity import measure_yard, silhouette
from sortija.core.sampling import SEED
from sortija.server.groups.models import Grouping
from sortija.server.groups.pictures.mapped import (
    Mapped,
    map_of,
    prepared_rows,
)
from sortija.server.groups.pictures.names import names_of
from sortija.server.groups.pictures.payloads import (
    WidthsPage,
)
from sortija.server.lens.evaluation import ENGINE
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.rows import lens_rows
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered

__all__ = ["widths_page"]

MOST_WIDTHS = 4_500


def widths_page(made: MeasureSet, grouping: Grouping, lens: str) -> WidthsPage:
    """Silhouettes by customer, and where the lens stands among them."""
    at = map_of(made, grouping)
    page = _widths(Keyed(at.whole, at))
    rows = lens_rows(made.study, made.window, lens, made)
    if rows is None:
        return page.model_copy(update={"names": names_of(grouping)})
    within = np.zeros(made.size, np.bool_)
    within[rows] = True
    inside = [within[np.array(numbers, np.int64)].tolist() for numbers in page.numbers]
    return page.model_copy(update={"inside": inside, "names": names_of(grouping)})


@remembered
def _widths(key: Keyed[Mapped]) -> WidthsPage:
    at = key.value
    rows, k = prepared_rows(at), at.grouping.k
    labels = at.labels[rows.rows]
    yard = measure_yard(rows, int(at.grouping.recipe.get("seed", SEED)), ENGINE)
    found = silhouette(yard, labels, k, ENGINE)
    share = min(1.0, MOST_WIDTHS / max(len(found.places), 1))
    groups, numbers = [], []
    for g in range(k):
        mine = np.flatnonzero(labels[found.places] == g)
        mine = mine[np.argsort(-found.widths[mine], kind="stable")]
        count = max(1, round(len(mine) * share)) if len(mine) else 0
        shown = mine[np.linspace(0, len(mine) - 1, count).astype(np.int64)] if count else mine
        groups.append(np.rint(1000 * found.widths[shown]).astype(int).tolist())
        numbers.append(rows.rows[found.places[shown]].tolist())
    means = [float(v) if np.isfinite(v) else None for v in found.by_group]
    return WidthsPage(
        names=[], groups=groups, numbers=numbers, inside=None, means=means, mean=found.mean,
        exact=found.exact,
    )  # fmt: skip
