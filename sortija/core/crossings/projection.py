"""Where sizes go if nothing changes, or if one way were taken more seldom: a Markov projection.

Only of steps at least a window apart: on overlapping ones a customer's next state hangs on what it
did before the last one, and intervals would be too narrow.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.sampling import SEED

__all__ = ["PRIOR", "Projection", "WhatIf", "periods_until", "project"]

#: Customers added to every way that was ever taken, before rates are told.
PRIOR = 0.5
#: From so many steps on, rates are seen to differ from step to step.
LEAST_STEPS = 4
DRAWS = 1_000


@dataclass(frozen=True)
class WhatIf:
    """The share ``rate`` of those in ``origin`` goes to ``target``; the others as they do."""

    origin: int
    target: int
    rate: float


@dataclass(frozen=True)
class Projection:
    """Sizes to come, beginning with now.

    ``sizes``: (draws, periods + 1, s) int64 customers in each state as they may turn out;
    ``expected``: the same of rates alone, without the luck of single customers. With the same seed
    both hang on the same rates with a what-if and without, so that the two can be subtracted.
    """

    sizes: NDArray[np.int64]
    expected: NDArray[np.float64]

    @property
    def mean(self) -> NDArray[np.float64]:
        """(periods + 1, s) on average."""
        return self.sizes.mean(axis=0)

    @property
    def low(self) -> NDArray[np.float64]:
        """(periods + 1, s) where 95 in 100 lie above or below :attr:`high`."""
        return np.asarray(np.quantile(self.sizes, 0.025, axis=0))

    @property
    def high(self) -> NDArray[np.float64]:
        return np.asarray(np.quantile(self.sizes, 0.975, axis=0))


def project(
    steps: Sequence[NDArray[np.integer]], now: NDArray[np.integer], arrivals: Sequence[int],
    entrance: int, periods: int, what_if: WhatIf | None = None, draws: int = DRAWS,
    seed: int = SEED,
) -> Projection:  # fmt: skip
    """Sizes in the periods to come.

    Rates are drawn from what the steps leave open (a Dirichlet law for each state), customers from
    the rates (a multinomial law). From four steps on, rates vary between periods as much as they
    were seen to, more than chance makes.

    Parameters
    ----------
    steps : (s, s) int each, customers from state (rows) to state (columns), a period each
    now : (s,) customers in each state
    arrivals : how many were new in each step; as many as on average come in each period
    entrance : the state in which the new stand before their first period

    Raises
    ------
    ValueError
        There is no step.

    >>> stay = np.array([[90, 10], [0, 100]])
    >>> found = project([stay], np.array([100, 0]), [0], 0, 1)
    >>> found.mean[0].tolist(), bool(80 < found.mean[1, 0] < 95)
    ([100.0, 0.0], True)
    """
    if not steps:
        raise ValueError("a projection takes one step or more")
    of_rates, of_customers = (np.random.default_rng((seed, n)) for n in range(2))
    tables = np.array([np.asarray(each, np.float64) for each in steps])
    seen = tables.sum(axis=0)
    base = seen + np.where(seen > 0, PRIOR, 0.0)
    spread = _between(tables, seen)
    rates = _drawn(np.broadcast_to(base, (draws, *base.shape)), of_rates)
    coming = _coming(arrivals, draws, of_rates)
    sizes = np.zeros((draws, periods + 1, len(now)), np.int64)
    expected = np.zeros(sizes.shape)
    sizes[:, 0] = expected[:, 0] = now
    for period in range(1, periods + 1):
        of_period = rates if spread is None else _drawn(rates * spread[:, None], of_rates)
        if what_if is not None:
            of_period = _changed(of_period, what_if)
        here, hoped = sizes[:, period - 1].copy(), expected[:, period - 1].copy()
        here[:, entrance] += of_customers.poisson(coming)
        hoped[:, entrance] += coming
        expected[:, period] = np.einsum("ds,dst->dt", hoped, of_period)
        for state in range(len(now)):
            sizes[:, period] += of_customers.multinomial(here[:, state], of_period[:, state])
    return Projection(sizes, expected)


def _coming(
    arrivals: Sequence[int], draws: int, rng: np.random.Generator
) -> NDArray[np.float64]:  # fmt: skip
    """(draws,) how many come in a period: the mean of what was seen, as unsure as it is."""
    if not len(arrivals) or not sum(arrivals):
        return np.zeros(draws)
    return rng.gamma(sum(arrivals) + PRIOR, 1 / len(arrivals), draws)


def _drawn(weights: NDArray[np.float64], rng: np.random.Generator) -> NDArray[np.float64]:
    """(draws, s, s) rates of every state, by Dirichlet's law; where nobody ever was, they stay."""
    drawn = rng.gamma(np.maximum(weights, 1e-12)) * (weights > 0)
    sums = drawn.sum(axis=-1, keepdims=True)
    stay = np.broadcast_to(np.eye(drawn.shape[-1]), drawn.shape)
    rates = np.where(sums > 0, drawn / np.where(sums > 0, sums, 1.0), stay)
    # Sums that rounding took above 1 are no shares.
    return np.asarray(rates / np.maximum(rates.sum(axis=-1, keepdims=True), 1.0))


def _changed(rates: NDArray[np.float64], what_if: WhatIf) -> NDArray[np.float64]:
    """Rates with one of them set, and the others of its state sharing the rest as before."""
    out = rates.copy()
    row = out[:, what_if.origin]
    rest = 1 - row[:, what_if.target]
    share = np.where(rest > 0, (1 - what_if.rate) / np.where(rest > 0, rest, 1.0), 0.0)
    others = row * share[:, None]
    others[:, what_if.target] = what_if.rate
    if what_if.target != what_if.origin:
        others[:, what_if.origin] += np.where(rest > 0, 0.0, 1 - what_if.rate)
    out[:, what_if.origin] = others
    return out


def _between(tables: NDArray[np.float64], seen: NDArray[np.float64]) -> NDArray[np.float64] | None:
    """(s,) how many customers' worth each period's rates hang together by: few where rates differ
    much from step to step. None of too few steps.

    By moments of a Dirichlet-multinomial law: chi squared of the steps over its degrees of freedom
    is 1 + (n − 1)/(1 + a) for n customers a step.
    """
    if len(tables) < LEAST_STEPS:
        return None
    out = np.full(len(seen), np.inf)
    for state, row in enumerate(seen):
        used = row > 0
        sizes = tables[:, state].sum(axis=1)
        if used.sum() < 2 or (sizes > 0).sum() < LEAST_STEPS:
            continue
        rates = row[used] / row.sum()
        expected = sizes[:, None] * rates
        with np.errstate(invalid="ignore", divide="ignore"):
            parts = (tables[:, state][:, used] - expected) ** 2 / expected
        chi = float(np.nansum(parts))
        over = chi / ((len(tables) - 1) * (used.sum() - 1)) - 1
        if over > 0:
            out[state] = max((sizes.mean() - 1) / over - 1, 1.0)
    return np.where(np.isfinite(out), out, 1e9)


def periods_until(rates: NDArray[np.floating], target: int) -> NDArray[np.float64]:
    """(s,) how many periods until a customer of each state is first in ``target``, on average;
    infinite where it can stay away for good.

    >>> periods_until(np.array([[0.8, 0.2], [0.0, 1.0]]), 1).round(6).tolist()
    [5.0, 0.0]
    """
    table = np.asarray(rates, np.float64)
    others = [state for state in range(len(table)) if state != target]
    reach = np.zeros(len(table), np.bool_)
    reach[target] = True
    for _ in range(len(table)):  # who can get there at all
        reach |= (table[:, reach] > 0).any(axis=1)
    # Whoever can go where there is no way on to the target, may never come.
    safe = reach.copy()
    for _ in range(len(table)):
        away: NDArray[np.bool_] = np.asarray((table[:, ~safe] > 0).any(axis=1))
        away[target] = False
        safe &= ~away
    out = np.full(len(table), np.inf)
    out[target] = 0.0
    kept = [state for state in others if safe[state]]
    if kept:
        inner = table[np.ix_(kept, kept)]
        out[kept] = np.linalg.solve(np.eye(len(kept)) - inner, np.ones(len(kept)))
    return out
