"""The measures of one customer, each with the sentence that says how it came about."""

from __future__ import annotations

import math

import numpy as np
from pydantic import BaseModel

from sortija.core.measures.why import account, tell
from sortija.server.ledger.customers import visits_of
from sortija.server.ledger.ledger import ledger_of
from sortija.server.ledger.traits import joined_trait, trait_column
from sortija.server.measures.made import Made, standing
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["CustomerMeasures", "measures_of"]


class ToldMeasure(BaseModel):
    """``words``: the calculation with this customer's numbers; ``receipts``: what it rests on."""

    name: str
    label: str
    unit: str
    value: float | None
    definition: str
    words: str
    receipts: list[str]


class CustomerMeasures(BaseModel):
    status: Status
    made_from: str
    measures: list[ToldMeasure]


def measures_of(study: Study, window: WindowInView | None, number: int) -> CustomerMeasures:
    """Every measure of a customer in a window; those that can be told come with a sentence."""
    at = standing(study, window) if window else None
    ledger = ledger_of(study)
    if at is None or at.made is None or ledger is None or window is None:
        empty = Status(state="empty", words="Measures come from a log.")
        status = (at.status if at else None) or empty
        return CustomerMeasures(status=status, made_from="", measures=[])
    made = at.made
    values = {name: _value(made, name, number) for name in made.names}
    told = {}
    if number < made.size:
        log = ledger.lines().log
        found = account(
            visits_of(study, ledger, number), window.window, max(log.first_day(ledger.mask), 0)
        )
        sentences = tell(found, study.scale, study.currency, _joined(study, number), _usual(values))
        told = {each.name: each for each in sentences}
    return CustomerMeasures(
        status=at.status or Status(state="whole"),
        made_from=made.stamp,
        measures=[
            ToldMeasure(
                name=name, label=made.about(name).label, unit=made.about(name).unit,
                value=values[name], definition=made.about(name).definition,
                words=told[name].words if name in told else "",
                receipts=[f"{key:016x}" for key in told[name].receipts] if name in told else [],
            )
            for name in made.names
        ],
    )  # fmt: skip


def _value(made: Made, name: str, number: int) -> float | None:
    value = float(made.column(name).values[number]) if number < made.size else math.nan
    return None if math.isnan(value) else value


def _usual(values: dict[str, float | None]) -> float | None:
    """The gap that silence was measured against, which the measures do not keep by itself."""
    recency, silence = values.get("recency"), values.get("silence")
    return recency / silence if recency and silence else None


def _joined(study: Study, number: int) -> float | None:
    trait = joined_trait(study)
    if trait is None:
        return None
    values = trait_column(study, trait).values
    value = float(values[number]) if number < len(values) else math.nan
    return None if np.isnan(value) else value
