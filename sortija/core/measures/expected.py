"""How often customers will come, and who has stopped: the beta-geometric / Poisson model.

While active, a customer comes at random with a rate of its own (gamma over customers) and, after
every visit, stops for good with a chance of its own (beta). A visit is a day with a purchase.

Source: Fader, Hardie & Lee 2005, "Counting your customers" the easy way.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.special import digamma, gammaln, hyp2f1

from sortija.core.engine import Engine, Parts, chunk_bounds
from sortija.core.ledger.counting import parts_of
from sortija.core.ledger.log import Log
from sortija.core.measures.kernels import visits_block
from sortija.core.progress import Progress, silent

__all__ = [
    "WEEK",
    "ExpectedModel",
    "Rhythm",
    "already_there",
    "chance_active",
    "expected_visits",
    "fit_expected",
    "log_likelihood",
    "rhythm_of",
]

#: Days that one unit of the model's time has: rates stay near 1, which the optimiser likes.
WEEK = 7.0
LEAST_CUSTOMERS = 50
#: Weeks in which customers who came before the log show themselves, and how many are many.
_QUARTER, _MANY = 13.0, 0.25
_LOWEST, _HIGHEST = -9.0, 9.0


@dataclass(frozen=True)
class Rhythm:
    """What the model knows of customers: (n,) float64 each, NaN-free, in weeks.

    ``again``: visits after the first; ``last``: from the first visit to the last; ``age``: from
    the first to the end; ``rows``: (n,) place of each in the log's customers.
    """

    again: NDArray[np.float64]
    last: NDArray[np.float64]
    age: NDArray[np.float64]
    rows: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.rows)


@dataclass(frozen=True)
class ExpectedModel:
    """Visits: gamma(``r``, rate ``alpha`` weeks); stopping: beta(``a``, ``b``).

    ``errors``: standard errors of the four, from the curvature at the optimum, NaN where it is
    flat; ``cost``: the negative log-likelihood; ``converged``: the optimiser came to rest away
    from its bounds.
    """

    r: float
    alpha: float
    a: float
    b: float
    errors: tuple[float, float, float, float]
    cost: float
    customers: int
    converged: bool

    @property
    def parameters(self) -> tuple[float, float, float, float]:
        return self.r, self.alpha, self.a, self.b


def rhythm_of(log: Log, mask: int, as_of: int, engine: Engine | None = None) -> Rhythm:
    """The visits of everyone who came before ``as_of`` (days since 1970-01-01, exclusive)."""
    lines, found = log.arrays(), np.zeros((log.customers, 3), np.int64)

    def block(bounds: tuple[int, int]) -> None:
        visits_block(lines, mask, 0, as_of, *bounds, found)

    def touched(bounds: tuple[int, int]) -> Parts:
        return Parts(parts_of(lines, *bounds), [(found, slice(*bounds))])

    (engine or Engine(1)).map(block, chunk_bounds(log.customers), touched)
    rows = np.flatnonzero(found[:, 0] > 0)
    days, first, last = found[rows].astype(np.float64).T
    return Rhythm(days - 1, (last - first) / WEEK, (as_of - first) / WEEK, rows)


def already_there(rhythm: Rhythm, weeks: float) -> float | None:
    """Share of customers first seen in the log's first quarter of a year, where it tells something.

    The model takes the first visit in the log for the first of all. Where the log begins long
    after its first customers did, many more are first seen at once than would join in that time,
    and of these it knows too little.

    Parameters
    ----------
    rhythm : Rhythm
    weeks : float
        From the log's first day to the end.

    Returns
    -------
    float or None
        None where the share is under a quarter, or under twice what even arrivals would give.

    Examples
    --------
    >>> old = Rhythm(np.zeros(4), np.zeros(4), np.array([100.0, 99.0, 95.0, 20.0]), np.arange(4))
    >>> already_there(old, 104.0)
    0.75
    """
    if not len(rhythm) or weeks <= 2 * _QUARTER:
        return None
    share = float(np.mean(rhythm.age > weeks - _QUARTER))
    return share if share >= max(_MANY, 2 * _QUARTER / weeks) else None


@numba.njit(nogil=True, cache=True)
def _block(
    again: Any, last: Any, age: Any, counts: Any, first: int, upto: int,
    alpha: float, r: float, a: float, b: float, out: Any,
) -> None:  # fmt: skip
    """Sum over customers of what depends on their times, with its derivatives.

    For x ≥ 1: ln((α + T)^−(r+x) + a/(b + x − 1) (α + t)^−(r+x)). ``out``: value and derivatives
    by r, α, a, b.
    """
    for i in range(first, upto):
        x, n = again[i], counts[i]
        log_end = np.log(alpha + age[i])
        if x == 0.0:
            out[0] -= n * r * log_end
            out[1] -= n * log_end
            out[2] -= n * r / (alpha + age[i])
            continue
        log_last = np.log(alpha + last[i])
        stop = a / (b + x - 1.0)
        # Relative to the second term, which is never the smaller by much: (α+t) ≤ (α+T).
        ratio = np.exp((r + x) * (log_last - log_end))
        whole = ratio + stop
        out[0] += n * (np.log(whole) - (r + x) * log_last)
        share = ratio / whole
        out[1] += n * (-share * log_end - (1.0 - share) * log_last)
        out[2] += n * -(r + x) * (share / (alpha + age[i]) + (1.0 - share) / (alpha + last[i]))
        out[3] += n * (1.0 - share) / a
        out[4] -= n * (1.0 - share) / (b + x - 1.0)


@dataclass(frozen=True)
class _Sufficient:
    """Customers of equal figures together, and how many made each number of visits."""

    again: NDArray[np.float64]
    last: NDArray[np.float64]
    age: NDArray[np.float64]
    counts: NDArray[np.float64]
    levels: NDArray[np.float64]
    level_counts: NDArray[np.float64]
    engine: Engine


def _together(found: Rhythm, engine: Engine) -> _Sufficient:
    key = np.round(np.stack([found.again, found.last * WEEK, found.age * WEEK])).astype(np.int64)
    big = (key[0] << 40) | (key[1] << 20) | key[2]
    _, first, counts = np.unique(big, return_index=True, return_counts=True)
    levels, level_counts = np.unique(found.again, return_counts=True)
    return _Sufficient(
        found.again[first], found.last[first], found.age[first], counts.astype(np.float64),
        levels, level_counts.astype(np.float64), engine,
    )  # fmt: skip


def _cost(logs: NDArray[np.float64], data: _Sufficient) -> tuple[float, NDArray[np.float64]]:
    """Negative log-likelihood and its gradient by the logarithms of r, α, a and b."""
    r, alpha, a, b = np.exp(logs)
    x, n = data.levels, data.level_counts
    total = n.sum()
    value = float((n * (gammaln(r + x) - gammaln(r))).sum() + total * r * math.log(alpha))
    value += float((n * (gammaln(a + b) - gammaln(b) + gammaln(b + x) - gammaln(a + b + x))).sum())
    by_r = float((n * (digamma(r + x) - digamma(r))).sum() + total * math.log(alpha))
    by_alpha = total * r / alpha
    by_a = float((n * (digamma(a + b) - digamma(a + b + x))).sum())
    by_b = by_a + float((n * (digamma(b + x) - digamma(b))).sum())
    bounds = chunk_bounds(len(data.again))

    def part(bound: tuple[int, int]) -> NDArray[np.float64]:
        out = np.zeros(5)
        _block(data.again, data.last, data.age, data.counts, *bound, alpha, r, a, b, out)
        return out

    def touched(bound: tuple[int, int]) -> Parts:
        here = slice(*bound)
        return Parts([(each, here) for each in (data.again, data.last, data.age, data.counts)])

    rest = sum(data.engine.map(part, bounds, touched), np.zeros(5))
    gradient = np.array([by_r, by_alpha, by_a, by_b]) + rest[1:]
    return -(value + float(rest[0])), -gradient * np.array([r, alpha, a, b])


def log_likelihood(model: tuple[float, float, float, float], found: Rhythm) -> float:
    """The log-likelihood of r, alpha (weeks), a and b."""
    data = _together(found, Engine(1))
    return -_cost(np.log(np.array(model)), data)[0]


def fit_expected(
    found: Rhythm, engine: Engine | None = None, progress: Progress = silent
) -> ExpectedModel | None:
    """Fit by maximum likelihood; None where fewer than 50 customers or nobody came again.

    SciPy's L-BFGS-B over the logarithms of the four parameters, with our gradient; where the
    first start does not come to rest within its bounds, two more are tried and the best counts.
    """
    if len(found) < LEAST_CUSTOMERS or not (found.again > 0).any():
        return None
    data = _together(found, engine or Engine(1))
    best: Any = None
    calls = 0

    def cost(logs: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        nonlocal calls
        calls += 1
        progress("expected visits", min(calls, 200), 200)
        value, gradient = _cost(logs, data)
        return value / len(found), gradient / len(found)

    for start in ((1.0, 10.0, 1.0, 2.0), (0.3, 4.0, 0.5, 5.0), (2.0, 6.0, 0.2, 1.0)):
        got = minimize(
            cost, np.log(start), jac=True, method="L-BFGS-B",
            bounds=[(_LOWEST, _HIGHEST)] * 4, options={"maxiter": 200, "ftol": 1e-12, "gtol": 1e-7},
        )  # fmt: skip
        if best is None or got.fun < best.fun - 1e-10:
            best = got
        if got.success and _inside(np.asarray(got.x, np.float64)):
            break
    logs = np.asarray(best.x, np.float64)
    errors = _errors(logs, data)
    r, alpha, a, b = (float(v) for v in np.exp(logs))
    whole = float(best.fun) * len(found)
    return ExpectedModel(r, alpha, a, b, errors, whole, len(found), _inside(logs))


def _inside(logs: NDArray[np.float64]) -> bool:
    """Whether the optimiser came to rest away from its bounds."""
    return bool(np.all((logs > _LOWEST + 0.01) & (logs < _HIGHEST - 0.01)))


def _errors(logs: NDArray[np.float64], data: _Sufficient) -> tuple[float, float, float, float]:
    """Standard errors of the parameters: the gradient's slope, inverted, times the parameter."""
    step = 1e-4
    slope = np.empty((4, 4))
    for place in range(4):
        away = np.zeros(4)
        away[place] = step
        slope[place] = (_cost(logs + away, data)[1] - _cost(logs - away, data)[1]) / (2 * step)
    slope = (slope + slope.T) / 2
    try:
        spread = np.diag(np.linalg.inv(slope))
    except np.linalg.LinAlgError:
        spread = np.full(4, np.nan)
    spread = np.where(spread > 0, spread, np.nan)
    r, alpha, a, b = (float(v) for v in np.sqrt(spread) * np.exp(logs))
    return r, alpha, a, b


def chance_active(model: ExpectedModel, found: Rhythm) -> NDArray[np.float64]:
    """(n,) chance that each customer has not stopped by the end; 1 for who came once only.

    The model lets customers stop after a visit from the second on, so that of a single visit
    nothing can be told.
    """
    x = found.again
    with np.errstate(over="ignore"):
        odds = (
            model.a
            / (model.b + np.maximum(x, 1) - 1)
            * np.exp(
                (model.r + x) * (np.log(model.alpha + found.age) - np.log(model.alpha + found.last))
            )
        )
    return np.where(x > 0, 1.0 / (1.0 + odds), 1.0)


def expected_visits(
    model: ExpectedModel, found: Rhythm, weeks: float, engine: Engine | None = None
) -> NDArray[np.float64]:
    """(n,) visits expected within so many weeks after the end, given each customer's past."""
    out = np.empty(len(found))
    engine = engine or Engine(1)

    def part(bounds: tuple[int, int]) -> None:
        first, last = bounds
        out[first:last] = _expected(
            model, found.again[first:last], found.last[first:last], found.age[first:last], weeks
        )

    def touched(bounds: tuple[int, int]) -> Parts:
        here = slice(*bounds)
        reads = [(each, here) for each in (found.again, found.last, found.age)]
        return Parts(reads, [(out, here)])

    engine.map(part, chunk_bounds(len(found)), touched)
    return out


def _expected(
    model: ExpectedModel, x: NDArray[np.float64], last: NDArray[np.float64],
    age: NDArray[np.float64], weeks: float,
) -> NDArray[np.float64]:  # fmt: skip
    r, alpha, a, b = model.parameters
    if abs(a - 1) < 1e-6:
        a = 1 + 1e-6  # the formula has a removable hole there
    at = weeks / (alpha + age + weeks)
    series = _hypergeometric(r + x, b + x, a + b + x - 1, at)
    grows = np.exp((r + x) * (np.log(alpha + age) - np.log(alpha + age + weeks)))
    above = (a + b + x - 1) / (a - 1) * (1 - grows * series)
    whole = Rhythm(x, last, age, np.arange(len(x)))
    return np.asarray(above * chance_active(model, whole))


def _hypergeometric(
    p: NDArray[np.float64], q: NDArray[np.float64], s: NDArray[np.float64], z: NDArray[np.float64]
) -> NDArray[np.float64]:
    """₂F₁(p, q; s; z) for 0 ≤ z < 1: its series where that is quick, else SciPy's."""
    out = np.empty(len(z))
    slow = _series_block(p, q, s, z, out)
    if slow.any():
        out[slow] = hyp2f1(p[slow], q[slow], s[slow], z[slow])
    return out


@numba.njit(nogil=True, cache=True)
def _series_block(p: Any, q: Any, s: Any, z: Any, out: Any) -> Any:
    slow = np.zeros(len(z), np.bool_)
    for i in range(len(z)):
        term, total, k = 1.0, 1.0, 0
        while k < 400:
            term *= (p[i] + k) * (q[i] + k) / ((s[i] + k) * (k + 1.0)) * z[i]
            total += term
            k += 1
            if abs(term) < 1e-14 * abs(total):
                break
        slow[i] = k >= 400 or not np.isfinite(total)
        out[i] = total
    return slow
