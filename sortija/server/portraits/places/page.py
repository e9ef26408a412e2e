"""Places: customers by district, how they are mixed there, one district beside its like."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.measures.intervals import wilson_of_all
from sortija.server.ledger.customers.districts import households_of
from sortija.server.measures.everyone import base_from
from sortija.server.portraits.division import Against, ColumnHead, divided, heads_of
from sortija.server.portraits.figures import or_none, plain
from sortija.server.portraits.placed import placed_or_status
from sortija.server.portraits.places.beside import BesidePage, beside_page
from sortija.server.portraits.places.ground import Ground, PlaceOption, ground_of, place_options
from sortija.server.portraits.places.mixes import Mix, MixLevel, MixOption, mix_of, mix_options
from sortija.server.portraits.places.shades import Shade, ShadeOption, shade_of, shade_options
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["PlacesAsked", "PlacesPage", "places_page"]


@dataclass(frozen=True)
class PlacesAsked:
    """``by``: the trait that names places; ``shade``: what they are shaded by; ``mix``: how
    they are mixed; ``place``: the one set beside its like, by the traits ``like``."""

    by: str = ""
    shade: str = ""
    mix: str = ""
    place: str = ""
    like: tuple[str, ...] | None = None
    against: Against = "segments"
    lens: str = ""


class PlaceRow(BaseModel):
    """One district: customers there, households with the share of them that are customers and
    its Wilson interval, ``money``; ``value``: what it is shaded by, of ``people``, and ``drawn``:
    the same drawn towards the whole where it rests on few; ``mix``: shares of its parts."""

    code: str
    label: str
    customers: int
    money: int
    households: int | None
    reach: float | None
    low: float | None
    high: float | None
    value: float | None
    people: int
    drawn: float | None
    mix: list[float | None]


class PlacesPage(BaseModel):
    """``whole``: what everyone has of what places are shaded by; ``without``: customers whose
    place is not known."""

    status: Status
    made_from: str
    against: Against
    columns: list[ColumnHead]
    options: list[PlaceOption]
    by: str
    label: str
    shades: list[ShadeOption]
    shade: ShadeOption | None
    whole: float | None
    mixes: list[MixOption]
    mix: str
    levels: list[MixLevel]
    customers: int
    without: int
    places: list[PlaceRow]
    beside: BesidePage | None


def _nothing(status: Status, columns: list[ColumnHead], made_from: str) -> PlacesPage:
    return PlacesPage(
        status=status, made_from=made_from, against="segments", columns=columns, options=[], by="",
        label="", shades=[], shade=None, whole=None, mixes=[], mix="", levels=[], customers=0,
        without=0, places=[], beside=None,
    )  # fmt: skip


def places_page(study: Study, window: WindowInView | None, asked: PlacesAsked) -> PlacesPage:
    """The districts of a study at a window.

    Raises
    ------
    Problem
        No trait, shade, mix or district is called what was asked for.
    """
    placed, status = placed_or_status(study, window, "Places show adopted groups.")
    if placed is None:
        return _nothing(status, [], "")
    division = divided(placed, asked.lens, asked.against)
    heads = heads_of(division, placed, base_from(placed.made).money)
    options = place_options(placed)
    if not options:
        return _nothing(status, heads, placed.stamp)
    ground = ground_of(placed, division, asked.by or options[0].key)
    households = _households(study, ground)
    known_of = households if any(h is not None for h in households) else None
    shades = shade_options(ground, heads, known_of is not None)
    shade = shade_of(ground, known_of, shades, asked.shade)
    mixes = mix_options(ground)
    mix = mix_of(ground, heads, mixes, asked.mix)
    return PlacesPage(
        status=status, made_from=placed.stamp,
        against="segments" if division.stamp == placed.stamp else asked.against,
        columns=heads, options=options, by=ground.key, label=ground.label,
        shades=shades, shade=shade.option, whole=or_none(shade.whole),
        mixes=mixes, mix=mix.key, levels=mix.levels,
        customers=int(ground.customers.sum()), without=ground.without,
        places=_rows(ground, households, shade, mix),
        beside=beside_page(ground, heads, known_of, asked.place, asked.like)
        if asked.place else None,
    )  # fmt: skip


def _households(study: Study, ground: Ground) -> list[int | None]:
    """Households of each place, where the outlines' file tells them."""
    told = households_of(study) if ground.outlined else {}
    return [told.get(code) for code in ground.codes]


def _reach(
    customers: NDArray[np.int64], households: list[int | None]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Share of households that are customers, with Wilson's interval; NaN where households are
    not known, or fewer than customers."""
    of = np.array([h or 0 for h in households], np.int64)
    sound = (of > 0) & (customers <= of)
    count, whole = np.where(sound, customers, 0), np.where(sound, of, 0)
    low, high = wilson_of_all(count, whole)
    with np.errstate(invalid="ignore", divide="ignore"):
        return count / np.where(sound, of, np.nan), low, high


def _rows(ground: Ground, households: list[int | None], shade: Shade, mix: Mix) -> list[PlaceRow]:
    labels = ground.labels
    reach, low, high = _reach(ground.customers, households)
    return [
        PlaceRow(
            code=ground.codes[n],
            label=labels[n], customers=int(ground.customers[n]), money=int(ground.money[n]),
            households=households[n], reach=or_none(reach[n]), low=or_none(low[n]),
            high=or_none(high[n]), value=or_none(shade.values[n]), people=int(shade.people[n]),
            drawn=or_none(shade.drawn[n]), mix=plain(mix.shares[n]),
        )
        for n in range(len(ground.codes))
    ]  # fmt: skip
