"""The table of criteria that a sweep prints."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.cli.terminal import columns
from sortija.core.groups.null_models import Gap
from sortija.core.groups.suggestion import Suggestion
from sortija.core.groups.sweep import Candidate
from sortija.core.groups.validity import CRITERIA, knee_of
from sortija.core.groups.verdict import Verdict

__all__ = ["print_candidates"]


def print_candidates(
    found: list[Candidate], said: Suggestion, verdict: Verdict, gap: Gap | None, as_json: bool
) -> None:
    """The criteria of every k, the knee, what customers without groups reach, the suggestion."""
    costs = [c.fit.cost for c in found]
    knee = knee_of([c.k for c in found], costs)
    if as_json:
        data = {
            "candidates": [_candidate(c) for c in found], "knee": knee,
            "without_groups": verdict.as_json(), "verdict": verdict.level,
            "gap": None if gap is None else {"gaps": gap.gap.tolist(), "k": gap.k},
            "suggested": said.k, "words": said.words,
        }  # fmt: skip
        print(json.dumps(data, indent=1, ensure_ascii=False))
        return
    rows = [_row(c, verdict.reached(c.k)) for c in found]
    head = (
        "k",
        "cost",
        "silhouette",
        "without groups",
        *(criterion.label for criterion in CRITERIA),
        "weakest group",
        "groups come back",
        "smallest",
    )
    exact = "all customers" if found[0].exact else "a sample of 5,000"
    print("\n".join(columns([head, *rows])))
    print(f"\nSilhouettes over {exact}.")
    if knee is not None:
        print(f"The cost bends at {knee}.")
    if gap is not None:
        print(f"The gap statistic speaks for {gap.k}.")
    print(said.words)


def _row(c: Candidate, reached: float) -> tuple[str, ...]:
    return (
        str(c.k), f"{c.fit.cost:,.0f}", f"{c.silhouette:.3f}",
        _figure(reached, 3),
        *(_short(value) for value in c.figures.criteria.values()),
        f"{c.weakest:.0%}", f"{c.steady:.0%}", f"{c.smallest:.1%}",
    )  # fmt: skip


def _figure(value: float, digits: int = 0) -> str:
    return "–" if np.isnan(value) else f"{value:,.{digits}f}"


def _short(value: float) -> str:
    return _figure(value, 0 if abs(value) >= 100 else 2)


def _candidate(c: Candidate) -> dict[str, Any]:
    def plain(values: NDArray[np.float64]) -> list[float | None]:
        return [None if np.isnan(v) else float(v) for v in values]

    criteria = plain(np.array(list(c.figures.criteria.values())))
    return {
        "k": c.k, "cost": c.fit.cost, "settled": c.fit.settled, "customers": c.fit.counts.tolist(),
        "silhouette": c.silhouette, "silhouettes": plain(c.silhouettes), "exact": c.exact,
        **dict(zip(c.figures.criteria, criteria, strict=True)),
        "stability": plain(c.stability), "error_shares": plain(c.figures.share),
        "moved": c.fit.moved,
    }  # fmt: skip
