"""Past offers by group: who took them, and what those that a group prefers share."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.sampling import SEED

__all__ = [
    "CLEAR",
    "FEW",
    "LEAST_OFFERS",
    "Attribute",
    "Pattern",
    "TakeUp",
    "attributes_of",
    "preferred",
    "take_up",
]

#: A share of fewer people is shown in grey.
FEW = 30
#: A pattern is told of a value that so many offers have, and so many have not.
LEAST_OFFERS = 5
#: A pattern is clear where chance makes one as far out, of any group and value, more seldom.
CLEAR = 0.02
#: Permutations behind a p.
DRAWS = 2000
#: More values than these make a number an attribute of two halves.
_MOST_NUMBERS = 3


@dataclass(frozen=True)
class TakeUp:
    """``received``, ``took``: (offers, k) customers; ``known``: (offers,) whether it is known who
    received it without taking it; where it is not, everybody of a group counts as having."""

    received: NDArray[np.int64]
    took: NDArray[np.int64]
    known: NDArray[np.bool_]

    @property
    def rates(self) -> NDArray[np.float64]:
        """(offers, k) shares that took it, NaN where nobody received it."""
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(self.received > 0, self.took / self.received, np.nan)


@dataclass(frozen=True)
class Attribute:
    """What is known of offers under one heading: each offer's value, "" where it is not given."""

    name: str
    values: tuple[str, ...]


@dataclass(frozen=True)
class Pattern:
    """Offers with a value against those without, for one group: mean take-up of each, ``offers``
    of ``of`` have it; ``p``: how often chance makes any value of any group stand out as far."""

    group: int
    attribute: str
    value: str
    offers: int
    of: int
    with_it: float
    without: float
    p: float


def take_up(answers: Sequence[NDArray[np.floating]], groups: NDArray[np.integer], k: int) -> TakeUp:
    """Count who received and took each offer.

    Parameters
    ----------
    answers : of (n,) float64
        1 took it, 0 received it and did not, NaN did not receive it (or nobody knows).
    groups : (n,) int, 0 to k − 1; rows outside are left out

    >>> found = take_up([np.array([1.0, 0.0, np.nan])], np.array([0, 0, 1]), 2)
    >>> found.received.tolist(), found.took.tolist()
    ([[2, 0]], [[1, 0]])
    """
    inside = (groups >= 0) & (groups < k)
    everyone = np.bincount(groups[inside], minlength=k)
    received = np.zeros((len(answers), k), np.int64)
    took = np.zeros((len(answers), k), np.int64)
    known = np.zeros(len(answers), np.bool_)
    for place, answer in enumerate(answers):
        there = inside & ~np.isnan(answer)
        took[place] = np.bincount(groups[there & (answer == 1)], minlength=k)
        known[place] = bool((answer[there] == 0).any())
        received[place] = np.bincount(groups[there], minlength=k) if known[place] else everyone
    return TakeUp(received, took, known)


def attributes_of(told: Sequence[Mapping[str, str]]) -> list[Attribute]:
    """Attributes of offers from their descriptions, in the order in which they are first told.

    Numbers of many values become two halves: "under 20" and "20 and more".

    >>> found = attributes_of([{"off": f"{n}%"} for n in (5, 10, 20, 25)])
    >>> found[0].values
    ('under 20', 'under 20', '20 and more', '20 and more')
    """
    names = dict.fromkeys(name for each in told for name in each)
    return [Attribute(name, _values([each.get(name, "").strip() for each in told]))
            for name in names]  # fmt: skip


def _values(texts: list[str]) -> tuple[str, ...]:
    numbers = [_number(text) for text in texts]
    given = sorted({n for n in numbers if n is not None})
    all_numbers = all(n is not None or not text for n, text in zip(numbers, texts, strict=True))
    if not all_numbers or len(given) <= _MOST_NUMBERS:
        return tuple(texts)
    cut = given[len(given) // 2]
    return tuple(
        "" if n is None else f"{cut:,g} and more" if n >= cut else f"under {cut:,g}"
        for n in numbers
    )


def _number(text: str) -> float | None:
    try:
        return float(text.strip().strip("%£$€").strip().replace(",", ""))
    except ValueError:
        return None


def preferred(
    rates: NDArray[np.float64], attributes: Sequence[Attribute], seed: int = SEED,
    draws: int = DRAWS,
) -> list[Pattern]:  # fmt: skip
    """Every value that enough offers have and have not, for every group, the strongest first.

    For each, mean take-up of the offers with it less of those without. All headings are dealt to
    the offers anew ``draws`` times, together, and for all groups alike; p is the share of deals in
    which any value of any group stands out as far, each counted in its own spread over the deals
    (Westfall & Young 1993, single step). It is no effect: who received an offer was chosen.

    Parameters
    ----------
    rates : (offers, k) float64, NaN where nobody of a group received an offer
    """
    asked = _asked(attributes)
    if not asked or len(rates) < 2 * LEAST_OFFERS:
        return []
    has = np.array([mine for _, _, mine in asked])
    gap = _gaps(has[None], rates)[0]
    rng = np.random.default_rng(seed)
    orders = rng.permuted(np.tile(np.arange(len(rates)), (draws, 1)), axis=1)
    dealt = _gaps(has[:, orders].transpose(1, 0, 2), rates)
    # What is there is one of the deals: without it its own spread would be told too small.
    every = np.concatenate([gap[None], dealt])
    with np.errstate(invalid="ignore", divide="ignore"):
        spread = np.sqrt((np.nan_to_num(every) ** 2).sum(axis=0) / (~np.isnan(every)).sum(axis=0))
        far = np.where(spread > 0, np.abs(gap) / spread, np.nan)
        highest = np.nan_to_num(np.abs(dealt) / spread).max(axis=(1, 2))
    found = []
    for value, group in np.argwhere(~np.isnan(far)):
        mine = has[value] == 1
        other = has[value] == 0
        rate = rates[:, group]
        p = (1 + int((highest >= far[value, group] - 1e-12).sum())) / (draws + 1)
        found.append(
            Pattern(
                int(group), asked[value][0], asked[value][1], int(mine.sum()),
                int((mine | other).sum()), float(np.nanmean(rate[mine])),
                float(np.nanmean(rate[other])), p,
            )
        )  # fmt: skip
    return sorted(found, key=lambda each: (each.p, -abs(each.with_it - each.without)))


def _asked(attributes: Sequence[Attribute]) -> list[tuple[str, str, NDArray[np.float64]]]:
    """(name, value, offers: 1 has it, 0 has not, NaN not given) of what can be asked about; of two
    values that say the same of the offers only the first."""
    out: list[tuple[str, str, NDArray[np.float64]]] = []
    for attribute in attributes:
        values = np.array(attribute.values)
        for value in dict.fromkeys(v for v in attribute.values if v):
            mine = np.where(values == "", np.nan, values == value)
            enough = min(np.nansum(mine), np.nansum(1 - mine)) >= LEAST_OFFERS
            twice = any(
                np.array_equal(mine, other, equal_nan=True)
                or np.array_equal(1 - mine, other, equal_nan=True)
                for _, _, other in out
            )
            if enough and not twice:
                out.append((attribute.name, value, mine))
    return out


def _gaps(has: NDArray[np.float64], rates: NDArray[np.float64]) -> NDArray[np.float64]:
    """(draws, values, k) mean rate of offers with a value less that of those without.

    ``has``: (draws, values, offers).
    """
    known, filled = ~np.isnan(rates), np.nan_to_num(rates)
    gaps = []
    for mine in (np.nan_to_num(has), np.nan_to_num(1 - has)):
        with np.errstate(invalid="ignore", divide="ignore"):
            gaps.append((mine @ filled) / (mine @ known.astype(np.float64)))
    return np.asarray(gaps[0] - gaps[1])
