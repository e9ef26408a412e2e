"""Codes: which bands go together, how often, and what those customers are like."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.server.scores.payloads import CodeRow, CodesPage
from sortija.server.scores.scored import ScoredAt
from sortija.server.studies.problems import Problem

__all__ = ["codes_page"]

MOST = 400
_BASE = 11  # bands 0 to 10


def codes_page(at: ScoredAt, sort: str, mean_of: str) -> CodesPage:
    """At most 400 codes, sorted by *customers*, *money*, *total* or *mean*, the largest first
    (``-`` before it: the smallest first)."""
    made, asked = at.made, at.asked
    key = np.zeros(made.size, np.int64)
    complete = np.ones(made.size, np.bool_)
    for banding in at.scored.bandings:
        key = key * _BASE + banding.bands
        complete &= banding.bands > 0
    there, place, counts = np.unique(key[complete], return_inverse=True, return_counts=True)
    money = np.bincount(place, made.money[complete], minlength=len(there))
    bands = np.array([(there // _BASE**p) % _BASE for p in reversed(range(len(asked)))]).T
    total = bands @ np.array([a.weight for a in asked])
    mean = _mean(at, mean_of, complete, place, len(there))
    by = {"customers": counts, "money": money, "total": total, "mean": mean}
    falling = not sort.startswith("-")
    if sort.removeprefix("-") not in by:
        raise Problem("Codes are sorted by customers, money, total or mean.")
    value = np.nan_to_num(by[sort.removeprefix("-")].astype(float), nan=-np.inf)
    order = np.lexsort((-counts, -value if falling else value))[:MOST]

    def row(n: int) -> CodeRow:
        own = [int(b) for b in bands[n]]
        split = "·" if max(a.bands for a in asked) > 9 else ""
        return CodeRow(
            code=split.join(map(str, own)), bands=own, customers=int(counts[n]),
            money=int(money[n]), total=float(total[n]),
            mean=None if np.isnan(mean[n]) else float(mean[n]),
        )  # fmt: skip

    about = made.about(mean_of) if mean_of in made.sources else None
    return CodesPage(
        measures=[made.about(a.measure).label for a in asked],
        codes=[row(int(n)) for n in order], count=len(there),
        possible=int(np.prod([b.asked for b in at.scored.bandings])), scored=int(complete.sum()),
        best=row(int(total.argmax())) if len(there) else None,
        worst=row(int(total.argmin())) if len(there) else None,
        mean_label=about.label if about else "", mean_unit=about.unit if about else "",
    )  # fmt: skip


def _mean(
    at: ScoredAt, name: str, complete: NDArray[np.bool_], place: NDArray[np.int64], count: int
) -> NDArray[np.float64]:
    if name not in at.made.sources or at.made.source(name).kind != "number":
        return np.full(count, np.nan)
    values = np.asarray(at.made.column(name).values, np.float64)[complete]
    good = ~np.isnan(values)
    sizes = np.bincount(place[good], minlength=count)
    sums = np.bincount(place[good], values[good], minlength=count)
    return np.divide(sums, sizes, out=np.full(count, np.nan), where=sizes > 0)
