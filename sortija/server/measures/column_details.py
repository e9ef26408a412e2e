"""What is kept of measures beside their values."""

from __future__ import annotations

import math

from pydantic import BaseModel

from sortija.core.measures.catalogue import Measure, Role
from sortija.core.measures.derive import Reconciliation
from sortija.core.measures.expected import ExpectedModel
from sortija.core.measures.heldout import HeldOut
from sortija.server.studies.column_details import Details, details_of
from sortija.server.studies.models import Column

__all__ = [
    "Balance", "BeginsBody", "Decided", "ExpectedDetails", "HeldOutBody", "MeasureDetails",
    "ModelBody", "WindowDetails", "balance_of", "held_out", "measure_details", "measure_of",
    "model_body", "window_details",
]  # fmt: skip


class MeasureDetails(Details):
    """A measure as the details of its column; see :class:`catalogue.Measure`."""

    label: str
    definition: str
    role: Role
    higher_is_better: bool
    family: str = "visits"
    whole: bool = False
    by_definition: bool = False
    because: str = ""


class Balance(BaseModel):
    """The reconciliation: ledger = table + customers without a purchase + lines without one."""

    ledger: int
    table: int
    without_purchase: int
    without_customer: int


class Decided(BaseModel):
    """What was chosen in the ledger when measures were derived."""

    rules: list[str]
    intakes: list[int]


class WindowDetails(Details):
    """Of all measures of a window, kept with the money of its customers.

    ``trend``: of everyone together; ``rows``: what the rows are called where they are not
    customers.
    """

    ledger: Decided | None = None
    trend: float | None = None
    rows: list[str] = []
    reconciliation: Balance


class HeldOutBody(BaseModel):
    """The model of visits against months it has not seen; days since 1970-01-01."""

    split: int
    ends: list[int]
    expected: list[float]
    observed: list[int]
    classes: list[int]
    by_class: list[list[float]]
    customers: int
    error: float | None
    worst: float | None
    fits: bool


class ModelBody(BaseModel):
    r: float
    alpha: float
    a: float
    b: float
    errors: list[float | None]
    customers: int
    converged: bool


class BeginsBody(BaseModel):
    """The log begins long after its first customers: its first day, and their share of all."""

    day: int
    share: float


class ExpectedDetails(MeasureDetails):
    """Of the two columns of the model of visits."""

    model: ModelBody | None = None
    check: HeldOutBody | None = None
    begins: BeginsBody | None = None


def measure_details(about: Measure) -> MeasureDetails:
    """A measure as the details of its column."""
    return MeasureDetails(
        label=about.label, definition=about.definition, role=about.role,
        higher_is_better=about.higher_is_better, family=about.family, whole=about.whole,
        by_definition=about.by_definition, because=about.because,
    )  # fmt: skip


def measure_of(row: Column) -> Measure:
    """The measure behind a kept column."""
    told = details_of(row, MeasureDetails)
    return Measure(
        row.name, told.label, row.unit, told.definition, told.role, told.higher_is_better,
        told.family, told.whole, told.by_definition, told.because,
    )  # fmt: skip


def window_details(rows: dict[str, Column]) -> WindowDetails:
    """What is kept of a window, from its columns by name."""
    return details_of(rows["_money"], WindowDetails)


def balance_of(found: Reconciliation) -> Balance:
    return Balance(
        ledger=found.ledger, table=found.table, without_purchase=found.without_purchase,
        without_customer=found.without_customer,
    )  # fmt: skip


def model_body(model: ExpectedModel) -> ModelBody:
    return ModelBody(
        r=model.r, alpha=model.alpha, a=model.a, b=model.b,
        errors=[_plain(error) for error in model.errors], customers=model.customers,
        converged=model.converged,
    )  # fmt: skip


def held_out(found: HeldOut) -> HeldOutBody:
    return HeldOutBody(
        split=found.split, ends=list(found.ends), expected=found.expected.tolist(),
        observed=found.observed.tolist(), classes=list(found.classes),
        by_class=found.by_class.tolist(), customers=found.customers, error=_plain(found.error),
        worst=_plain(found.worst), fits=found.fits,
    )  # fmt: skip


def _plain(value: float) -> float | None:
    return value if math.isfinite(value) else None
