"""Districts: their outlines, and the customers of each by the trait that names them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel

from sortija.server.ledger.customers.traits import trait_column, traits_of
from sortija.server.ledger.intake.file_kinds import known_values
from sortija.server.ledger.models import Area, Intake
from sortija.server.studies.models import Study
from sortija.server.studies.request_cache import once

__all__ = ["Districts", "DistrictsPage", "districts_of", "districts_page", "households_of"]


class AreaRow(BaseModel):
    """A district: its rings in degrees, households where they are given, customers today."""

    code: str
    rings: list[list[list[float]]]
    households: int | None
    customers: int


class DistrictsPage(BaseModel):
    """``trait``: the one whose values are the districts' codes; empty where none is."""

    trait: str
    areas: list[AreaRow]
    elsewhere: int
    without: int


def _newest(study: Study) -> Intake | None:
    rows = Intake.objects.filter(study=study, role=Intake.AREAS, state=Intake.COUNTED)
    return rows.order_by("-id").first()


def households_of(study: Study) -> dict[str, int]:
    """Households by the code of the district, where a file of districts tells them."""
    intake = _newest(study)
    if intake is None:
        return {}
    rows = Area.objects.filter(intake=intake, households__isnull=False)
    return {code: int(many or 0) for code, many in rows.values_list("code", "households")}


@dataclass(frozen=True)
class Districts:
    """``codes``: what the newest file of districts calls them; ``trait``: the one whose values
    they are, empty where none is."""

    codes: tuple[str, ...]
    trait: str


@once
def districts_of(study: Study) -> Districts:
    """The districts that have an outline, and the trait that names customers' districts."""
    intake = _newest(study)
    if intake is None:
        return Districts((), "")
    codes = tuple(
        Area.objects.filter(intake=intake).order_by("code").values_list("code", flat=True)
    )
    name, share = known_values(study, list(codes))
    return Districts(codes, name if share > 0 else "")


def districts_page(study: Study) -> DistrictsPage:
    """The newest counted districts; nothing while there are none."""
    intake = _newest(study)
    if intake is None:
        return DistrictsPage(trait="", areas=[], elsewhere=0, without=0)
    areas = list(Area.objects.filter(intake=intake).order_by("code"))
    name = districts_of(study).trait
    counts: dict[str, int] = {}
    without = 0
    trait = next((t for t in traits_of(study) if t.name == name), None)
    if trait is not None:
        column = trait_column(study, trait)
        many = np.bincount(np.asarray(column.values), minlength=len(column.levels) + 1)
        counts = dict(zip(column.levels, many[1:].tolist(), strict=True))
        without = int(many[0])
    codes = {area.code for area in areas}
    return DistrictsPage(
        trait=trait.name if trait else "",
        areas=[
            AreaRow(
                code=a.code, rings=a.rings, households=a.households,
                customers=counts.get(a.code, 0),
            )
            for a in areas
        ],
        elsewhere=sum(n for code, n in counts.items() if code not in codes),
        without=without,
    )  # fmt: skip
