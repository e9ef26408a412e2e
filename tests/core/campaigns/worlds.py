"""Made-up campaigns whose true effect is known."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from sortija.core.campaigns.holdout import draw_holdout
from sortija.core.campaigns.strata import Arms, arms_of


@dataclass(frozen=True)
class Sent:
    """A campaign as it came out, and its true effects on the share who came and on spend a head."""

    arms: Arms
    segment: np.ndarray
    came: np.ndarray
    spent: np.ndarray
    before: np.ndarray
    rise: float
    worth: float


def sent(
    rng: np.random.Generator, customers: int, share: float, base: float, rise: float,
    apart: float = 0.0,
) -> Sent:  # fmt: skip
    """Customers of three segments, who come the more the more they spent before.

    ``base``: the share who come unasked; ``rise``: by how much more of those written to do,
    ``apart``: by how much more again in each further segment.
    """
    segment = rng.integers(0, 3, customers)
    before = rng.gamma(1.2, 60, customers) * np.exp(rng.normal(0, 0.6, customers))
    before *= rng.random(customers) < 0.9
    band = np.searchsorted(np.quantile(before, [0.2, 0.4, 0.6, 0.8]), before)
    drawn = draw_holdout(segment, band, share, int(rng.integers(1 << 30)))
    unasked = np.clip(base * (0.5 + 0.25 * band), 0, 1)
    asked = np.clip(unasked + rise + apart * (segment - 1), 0, 1)
    came = rng.random(customers) < np.where(drawn.held, unasked, asked)
    basket = before * 0.15 * rng.gamma(2, 0.5, customers) + rng.gamma(2, 10, customers)
    gain = asked - unasked
    return Sent(
        arms_of(drawn.held, drawn.stratum), segment, came, came * basket, before,
        float(gain.mean()), float((gain * (before * 0.15 + 20)).mean()),
    )  # fmt: skip
