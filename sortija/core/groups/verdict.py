"""Whether groups stand out against tables that have none."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

__all__ = ["Excess", "Verdict", "in_doubt", "judge"]

Level = Literal["holds", "barely", "none"]
#: Deviations that silhouettes and valleys stand out by at least; depths of valleys spread wider.
LEAST = (3.0, 4.0)
#: Deviations of silhouettes and of valleys under these are taken as these: twelve tables can agree
#: by chance.
SMALLEST = (0.004, 0.001)
#: Tables that have to have so many groups at all.
_FEWEST = 4
#: Of so many tables one may reach further than the rows: 2 in 37, where it is 1 in 13 of twelve.
_MANY = 36
_WORDS = {
    "even": "made-up customers who spread evenly",
    "bulk": "made-up customers of one bulk, in which each measure spreads as here",
    "population": "simulated customers of one kind, who differ in degree only",
}


@dataclass(frozen=True)
class Excess:
    """How one figure stands against tables of one kind: ``means``: (K,) what they reach at each
    k; ``excess``: (K,) how many of their deviations the rows exceed it; ``most``: the largest
    excess of any of the tables over the others, of 36 tables the second largest; ``least``: what
    it has to be above in any case; ``alone``: a single table keeps the rows from holding."""

    means: NDArray[np.float64]
    excess: NDArray[np.float64]
    most: float
    least: float
    alone: bool = False

    @property
    def holds(self) -> bool:
        largest = float(np.nanmax(self.excess, initial=-np.inf))
        return largest > max(self.most, self.least)


@dataclass(frozen=True)
class Verdict:
    """``silhouettes``, ``valleys``: kind of tables → how the rows stand against them.

    ``level``: *holds* where one of the two stands out against every kind, *barely* where against
    all but one of several, else *none*.
    """

    ks: tuple[int, ...]
    silhouettes: Mapping[str, Excess]
    valleys: Mapping[str, Excess]

    @property
    def failed(self) -> tuple[str, ...]:
        """Kinds of tables that the better of the two figures does not stand out against."""
        both = [
            tuple(kind for kind, found in each.items() if not found.holds)
            for each in (self.silhouettes, self.valleys)
            if each
        ]
        return min(both, key=len, default=())

    @property
    def level(self) -> Level:
        failed = len(self.failed)
        if not failed:
            return "holds"
        return "barely" if failed == 1 and len(self.silhouettes) > 1 else "none"

    @property
    def unlike(self) -> str:
        """What the rows are hardly told from, in words; empty where they hold."""
        return ", and from ".join(_WORDS[kind] for kind in self.failed)

    def reached(self, k: int) -> float:
        """The silhouette that tables without groups reach at ``k``: that of the best kind."""
        found = [each.means[self.ks.index(k)] for each in self.silhouettes.values()]
        return float(np.nanmax(found)) if np.isfinite(found).any() else float("nan")

    def as_json(self) -> dict[str, Any]:
        def told(found: Mapping[str, Excess]) -> dict[str, Any]:
            return {
                kind: {"means": _plain(e.means), "excess": _plain(e.excess),
                       "most": _plain([e.most])[0], "least": e.least}
                for kind, e in found.items()
            }  # fmt: skip

        return {
            "ks": list(self.ks), "silhouettes": told(self.silhouettes),
            "valleys": told(self.valleys),
        }  # fmt: skip

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Verdict:
        def column(values: Sequence[float | None], missing: float) -> NDArray[np.float64]:
            return np.array([missing if v is None else v for v in values], np.float64)

        def read(found: Mapping[str, Any]) -> dict[str, Excess]:
            return {
                kind: Excess(column(e["means"], np.nan), column(e["excess"], np.inf),
                             -np.inf if e["most"] is None else float(e["most"]),
                             float(e["least"]))
                for kind, e in found.items()
            }  # fmt: skip

        return Verdict(tuple(data["ks"]), read(data["silhouettes"]), read(data["valleys"]))


def _plain(values: Sequence[float] | NDArray[np.float64]) -> list[float | None]:
    return [float(v) if np.isfinite(v) else None for v in values]


def judge(
    ks: Sequence[int], silhouettes: Sequence[float], valleys: Sequence[float],
    nulls: Mapping[str, NDArray[np.float64]],
) -> Verdict:  # fmt: skip
    """Whether silhouettes or valleys stand out, at the same k, against tables without groups.

    The excess at k is (s − mean of the tables) / max(their SD, a least one); a table's own is
    taken against the others, in the same way. Against a kind the rows hold where their largest
    excess is above that of every table (of 36 one may be above it) and above 3 (valleys: 4). The
    largest silhouette of any k would say less: a uniform square alone reaches 0.40 at four groups.

    Parameters
    ----------
    ks, silhouettes, valleys : one per candidate
    nulls : kind → (2, T, K) of tables at the same ks (:func:`nulls.null_figures`)
    """
    return Verdict(tuple(ks), *_told(np.array([silhouettes, valleys], np.float64), nulls))


def in_doubt(own: NDArray[np.float64], nulls: Mapping[str, NDArray[np.float64]]) -> tuple[str, ...]:
    """Kinds of tables of which a single one keeps the rows from holding: more are worth a look.

    Valleys of tables without groups spread with a long tail, so that one in twelve can reach
    further than groups three deviations apart.

    Parameters
    ----------
    own : (2, K) silhouettes and valleys of the rows
    nulls : as for :func:`judge`
    """
    doubtful: list[str] = []
    for found in _told(own, nulls):
        failed = {kind: excess for kind, excess in found.items() if not excess.holds}
        if found and not failed:
            return ()  # they hold in any case
        if all(excess.alone for excess in failed.values()):
            doubtful += failed
    return tuple(dict.fromkeys(doubtful))


def _told(
    own: NDArray[np.float64], nulls: Mapping[str, NDArray[np.float64]]
) -> tuple[dict[str, Excess], dict[str, Excess]]:
    told: tuple[dict[str, Excess], dict[str, Excess]] = ({}, {})
    for kind, tables in nulls.items():
        for place in range(2):
            if np.isfinite(tables[place]).any():
                told[place][kind] = _excess(
                    own[place], tables[place], SMALLEST[place], LEAST[place]
                )
    return told


def _excess(
    own: NDArray[np.float64], tables: NDArray[np.float64], smallest: float, least: float
) -> Excess:
    there = (~np.isnan(tables)).sum(axis=0) >= _FEWEST
    means, spread = _of(tables, there, smallest)
    # Groups that tables without groups cannot even be put into stand out by themselves.
    excess = np.where(there, (own - means) / spread, np.where(np.isnan(own), np.nan, np.inf))
    theirs = [-np.inf, -np.inf]
    for number in range(len(tables)):
        mean, sd = _of(np.delete(tables, number, axis=0), there, smallest)
        theirs.append(float(np.nanmax((tables[number] - mean) / sd, initial=-np.inf)))
    *_, second, most = sorted(theirs)
    largest = float(np.nanmax(excess, initial=-np.inf))
    alone = max(second, least) < largest <= most
    return Excess(means, excess, second if len(tables) >= _MANY else most, least, alone)


def _of(
    tables: NDArray[np.float64], there: NDArray[np.bool_], least: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Mean and deviation of the tables at each k, NaN where hardly any has so many groups."""
    means, spread = np.full(len(there), np.nan), np.full(len(there), np.nan)
    for k in np.flatnonzero(there):
        values = tables[:, k][~np.isnan(tables[:, k])]
        means[k], spread[k] = values.mean(), max(float(values.std(ddof=1)), least)
    return means, spread
