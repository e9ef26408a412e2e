"""What places are shaded by: reach, customers, spend, a segment's share, any measure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.portraits.places import drawn_means, drawn_shares
from sortija.server.portraits.division import ColumnHead
from sortija.server.portraits.places.ground import Ground
from sortija.server.portraits.sheet import row_names
from sortija.server.studies.problems import Problem

__all__ = ["Shade", "ShadeOption", "shade_of", "shade_options"]

REACH, CUSTOMERS, SPEND = "reach", "customers", "spend"
_OF_COLUMN = "column:"


class ShadeOption(BaseModel):
    """``group``: what it is listed under; ``counted``: a total, which mostly says how large a
    place is."""

    key: str
    label: str
    unit: str
    group: str
    counted: bool = False


@dataclass(frozen=True)
class Shade:
    """By place: values, the people they rest on, values drawn towards the ``whole`` where those
    are few."""

    option: ShadeOption
    values: NDArray[np.float64]
    people: NDArray[np.int64]
    drawn: NDArray[np.float64]
    whole: float


def shade_options(
    ground: Ground, heads: Sequence[ColumnHead], households: bool
) -> list[ShadeOption]:
    """What the places can be shaded by."""
    made = ground.placed.made
    found = [
        ShadeOption(key=CUSTOMERS, label="Customers", unit="", group="Customers", counted=True)
    ]
    if households:
        found.insert(0, ShadeOption(key=REACH, label="Share of households", unit="share",
                                    group="Customers"))  # fmt: skip
    if ground.money.any():
        found.append(ShadeOption(key=SPEND, label="Spend of all", unit="money", group="Customers",
                                 counted=True))  # fmt: skip
    for head in heads:
        found.append(ShadeOption(key=f"{_OF_COLUMN}{head.number}", label=f"{head.name}, share",
                                 unit="share", group="Share of customers"))  # fmt: skip
    for row in row_names(ground.placed):
        if row.numeric:
            found.append(ShadeOption(key=row.name, label=row.label, group="Means",
                                     unit=made.about(row.name).unit))  # fmt: skip
    return found


def shade_of(
    ground: Ground, households: Sequence[int | None] | None, options: Sequence[ShadeOption],
    asked: str,
) -> Shade:  # fmt: skip
    """The values of one shade, the first there is where none is asked for."""
    option = next((o for o in options if o.key == asked), None)
    if option is None:
        if asked:
            raise Problem(f"Places are not shaded by “{asked}”. Choose another measure.", 404)
        option = options[0]
    if option.key == REACH and households is not None:
        return _reach(ground, households, option)
    if option.counted:
        scale = 10.0**ground.placed.yardstick.study.scale
        values = ground.customers if option.key == CUSTOMERS else ground.money / scale
        values = np.asarray(values, np.float64)
        return Shade(option, values, ground.customers, values, float(values.sum()))
    if option.key.startswith(_OF_COLUMN):
        column = int(option.key.removeprefix(_OF_COLUMN)) - 1
        counts = ground.counted(ground.division.groups, ground.division.k)[:, column]
        return _shares(option, counts, ground.customers)
    counts, means, sds = ground.mean_of(option.key)
    whole = float((counts * np.nan_to_num(means)).sum() / counts.sum()) if counts.sum() else np.nan
    return Shade(option, means, counts, drawn_means(counts, means, sds), whole)


def _reach(ground: Ground, households: Sequence[int | None], option: ShadeOption) -> Shade:
    """Where households are not known, or fewer than customers, there is no share."""
    of = np.array([h or 0 for h in households], np.int64)
    sound = ground.customers <= of
    found = _shares(option, np.where(sound, ground.customers, 0), np.where(sound, of, 0))
    drawn = np.where(found.people > 0, found.drawn, np.nan)
    return Shade(option, found.values, found.people, drawn, found.whole)


def _shares(option: ShadeOption, counts: NDArray[np.int64], of: NDArray[np.int64]) -> Shade:
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = counts / np.where(of > 0, of, np.nan)
    whole = float(counts.sum() / of.sum()) if of.sum() else float("nan")
    return Shade(option, shares, of, drawn_shares(counts, of), whole)
