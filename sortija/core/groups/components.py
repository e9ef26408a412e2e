"""Pictures of rows in few dimensions: principal and mixed components, scaled centres."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.engine import Engine, Parts, chunk_bounds
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Prepared

__all__ = ["MOST", "Components", "Loading", "ScaledCentres", "components_of", "scale_centres"]

MOST = 10


@dataclass(frozen=True)
class Loading:
    """How a variable, or one ``level`` of a category, lies along the components.

    ``along``: (c,) correlations of a numeric column; of a level the mean scores of its rows.
    """

    name: str
    level: str
    along: NDArray[np.float64]


@dataclass(frozen=True)
class Components:
    """Axes along which the rows differ most.

    ``axes``: (c, v) float64 directions in the columns that are rotated, of length 1; ``centre``,
    ``scale``: (v,) what a column is lessened and multiplied by before; ``levels``: of each
    category the codes that have a column; ``explained``: (c,) share of the variance;
    ``loadings``: in the order of the inputs.
    """

    axes: NDArray[np.float64]
    centre: NDArray[np.float64]
    scale: NDArray[np.float64]
    levels: tuple[tuple[int, ...], ...]
    explained: NDArray[np.float64]
    loadings: tuple[Loading, ...]

    def scores(self, rows: Prepared, engine: Engine | None = None) -> NDArray[np.float64]:
        """(m, c) coordinates of rows of the same preparation."""

        def part(bounds: tuple[int, int]) -> NDArray[np.float64]:
            return _columns(rows, bounds, self) @ self.axes.T

        parts = (engine or Engine(1)).map(
            part, chunk_bounds(len(rows)), lambda bounds: Parts(rows.parts(*bounds))
        )
        return np.concatenate(parts) if parts else np.zeros((0, len(self.axes)))


def _raw(rows: Prepared, bounds: tuple[int, int], levels: tuple[tuple[int, ...], ...]):  # type: ignore[no-untyped-def]
    """(rows, v) numbers beside a column of 0 and 1 for every level."""
    first, last = bounds
    parts = [rows.numbers[:, first:last].T.astype(np.float64)]
    for codes, there in zip(rows.codes, levels, strict=True):
        parts.append((codes[first:last, None] == np.array(there, np.uint8)).astype(np.float64))
    return np.concatenate(parts, axis=1)


def _columns(rows: Prepared, bounds: tuple[int, int], by: Components) -> NDArray[np.float64]:
    return (_raw(rows, bounds, by.levels) - by.centre) * by.scale


def components_of(rows: Prepared, count: int = MOST, engine: Engine | None = None) -> Components:
    """Principal components of the prepared numbers; with categories, of mixed data (Pagès 2004).

    With categories numbers are taken as z-scores times √weight, levels as centred indicators times
    1/√share, so that a category counts like a number whatever its levels.

    Parameters
    ----------
    count : int
        At most so many components; fewer where the rows have fewer dimensions.
    """
    engine = engine or Engine(1)
    levels = tuple(tuple(int(c) for c in np.unique(codes)) for codes in rows.codes)
    bounds, n = chunk_bounds(len(rows)), len(rows)

    def touched(chunk: tuple[int, int]) -> Parts:
        return Parts(rows.parts(*chunk))

    mean = sum(engine.map(lambda b: _raw(rows, b, levels).sum(axis=0), bounds, touched)) / n

    def moments(chunk: tuple[int, int]) -> NDArray[np.float64]:
        some = _raw(rows, chunk, levels) - mean
        return some.T @ some

    covariance = sum(engine.map(moments, bounds, touched)) / n
    d = len(rows.numbers)
    scale = np.ones(len(mean))
    if levels:
        spread = np.sqrt(np.diagonal(covariance)[:d])
        weights = np.array([w for _, _, w in rows.preparation.numeric] or [1.0] * d)
        scale[:d] = np.divide(weights, spread, out=np.zeros(d), where=spread > 0)
        scale[d:] = 1 / np.sqrt(mean[d:])
    covariance *= scale[:, None] * scale
    variance, vectors = np.linalg.eigh(covariance)
    order = np.argsort(-variance, kind="stable")[:count]
    order = order[variance[order] > 1e-12 * max(variance.max(), 1e-300)]
    axes = vectors[:, order].T
    # A direction has no sign of its own: the column that counts most is taken as positive.
    lead = np.abs(axes).argmax(axis=1)
    axes = axes * np.sign(axes[np.arange(len(axes)), lead])[:, None]
    total = max(float(np.trace(covariance)), 1e-300)
    explained = variance[order] / total
    loadings = _loadings(rows, levels, axes, covariance, scale, mean, variance[order])
    return Components(axes, mean, scale, levels, explained, loadings)


def _loadings(
    rows: Prepared, levels: tuple[tuple[int, ...], ...], axes: NDArray[np.float64],
    covariance: NDArray[np.float64], scale: NDArray[np.float64], mean: NDArray[np.float64],
    variance: NDArray[np.float64],
) -> tuple[Loading, ...]:  # fmt: skip
    """Correlations of numbers, and mean scores of levels, from the covariance alone."""
    with_axes = covariance @ axes.T  # (v, c) covariance of each column with each component
    out: list[Loading] = []
    d = len(rows.numbers)
    names = [name for name, _, _ in rows.preparation.numeric] or [f"x{j}" for j in range(d)]
    for j in range(d):
        own = np.sqrt(covariance[j, j])
        along = with_axes[j] / (own * np.sqrt(variance)) if own > 0 else np.zeros(len(axes))
        out.append(Loading(names[j], "", along))
    at = d
    for category, there in zip(rows.preparation.categories, levels, strict=True):
        for code in there:
            # E[score · indicator] = mean score of the level times its share.
            along = with_axes[at] / (scale[at] * mean[at])
            out.append(Loading(category.name, category.label(code), along))
            at += 1
    return tuple(out)


@dataclass(frozen=True)
class ScaledCentres:
    """``distance``: (k, k) √D (Gower's distance) among the centres; ``points``: (k, 2) laid out
    so that distances are kept as well as two dimensions can; ``explained``: what share of the
    squared distances they keep."""

    distance: NDArray[np.float64]
    points: NDArray[np.float64]
    explained: float


def scale_centres(centres: Centres, gammas: NDArray[np.float32], gower: bool) -> ScaledCentres:
    """Classical scaling (Torgerson 1952) of the distances among centres."""
    apart = centres.apart(gammas, gower).astype(np.float64)
    distance = apart if gower else np.sqrt(apart)
    k = len(distance)
    middle = np.eye(k) - 1.0 / k
    values, vectors = np.linalg.eigh(-0.5 * middle @ distance**2 @ middle)
    order = np.argsort(-values, kind="stable")[:2]
    kept = np.maximum(values[order], 0)
    points = np.zeros((k, 2))
    points[:, : len(order)] = vectors[:, order] * np.sqrt(kept)
    lead = np.abs(points).argmax(axis=0)
    points *= np.where(points[lead, [0, 1]] < 0, -1.0, 1.0)
    total = float(np.abs(values).sum())
    return ScaledCentres(distance, points, float(kept.sum() / total) if total > 0 else 1.0)
