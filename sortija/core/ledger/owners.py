"""Whose cards are whose: cards of one person, put together and taken apart again."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

__all__ = ["joined_by_owner", "owners"]


def owners(
    cards: int, together: Iterable[tuple[int, int]], apart: Iterable[int] = ()
) -> NDArray[np.int32]:
    """The customer of each card: the lowest number among the cards of one person.

    Parameters
    ----------
    cards : how many there are
    together : pairs of cards that one person holds; chains of pairs are one person
    apart : cards that stand for themselves whatever the pairs say

    >>> owners(5, [(1, 3), (3, 4)]).tolist()
    [0, 1, 2, 1, 1]
    """
    alone = set(apart)
    pairs = [(a, b) for a, b in together if a not in alone and b not in alone]
    own = np.arange(cards, dtype=np.int32)
    if not pairs:
        return own
    first, second = np.array(pairs).T
    links = coo_array((np.ones(len(pairs), np.int8), (first, second)), shape=(cards, cards))
    _, part = connected_components(links, directed=False)
    lowest = np.full(part.max() + 1, cards, np.int32)
    np.minimum.at(lowest, part, own)
    return lowest[part]


def joined_by_owner(
    values: NDArray[np.generic], missing: NDArray[np.bool_], owner: NDArray[np.int32]
) -> NDArray[np.int64]:
    """For each customer, the card whose value speaks for it: its own, else the next that has one.

    Returns
    -------
    (n,) int64 place of the value; −1 for cards that are no customer of their own and where no
    card of the customer has a value.

    >>> missing = np.array([True, False, False])
    >>> joined_by_owner(np.array([0.0, 7.0, 5.0]), missing, np.array([0, 0, 2], np.int32)).tolist()
    [1, -1, 2]
    """
    own = np.arange(len(values))
    out = np.where((owner == own) & ~missing, own, -1).astype(np.int64)
    given = np.flatnonzero(~missing & (owner != own))[::-1]
    lacking = given[out[owner[given]] < 0]
    out[owner[lacking]] = lacking  # in falling order, so that the lowest card has the last word
    return out
