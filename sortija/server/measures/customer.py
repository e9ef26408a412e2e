"""The measures of one customer, each with the sentence that says how it came about."""

from __future__ import annotations

import math
import re

import numpy as np
from pydantic import BaseModel

from sortija.core.measures.catalogue import MEASURES
from sortija.core.measures.column_layout import Names, share_slots
from sortija.core.measures.explanations import Context, Told, account, tell
from sortija.core.measures.formula import FormulaError, parse, unit_of
from sortija.server.ledger.customers.page import visits_of
from sortija.server.ledger.customers.traits import joined_trait, trait_column
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.availability import measures_to_show
from sortija.server.measures.column_details import ExpectedDetails, window_details
from sortija.server.measures.derivation import inputs_of_window
from sortija.server.measures.formulas import own_measures_of, spoken
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.column_details import details_of
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["CustomerMeasures", "measures_of"]


class ToldMeasure(BaseModel):
    """``words``: the calculation with this customer's numbers; ``receipts``: what it rests on."""

    name: str
    label: str
    unit: str
    family: str
    value: float | None
    definition: str
    words: str
    receipts: list[str]


class CustomerMeasures(BaseModel):
    status: Status
    made_from: str
    measures: list[ToldMeasure]


def measures_of(study: Study, window: WindowInView | None, number: int) -> CustomerMeasures:
    """Every measure of a customer in a window, with a sentence wherever it has a value."""
    at = measures_to_show(study, window) if window else None
    if at is None or at.made is None or window is None:
        empty = Status(state="empty", words="Measures come from a log.")
        status = (at.status if at else None) or empty
        return CustomerMeasures(status=status, made_from="", measures=[])
    made = at.made
    names = [n for n in made.sources if not n.startswith(("trait:", "offer:"))]
    values = {name: _value(made, name, number) for name in made.sources if _number(made, name)}
    told = {each.name: each for each in _sentences(made, number, values)}
    return CustomerMeasures(
        status=at.status or Status(state="whole"),
        made_from=made.stamp,
        measures=[
            ToldMeasure(
                name=name, label=made.about(name).label, unit=made.about(name).unit,
                family=made.about(name).family, value=values[name],
                definition=made.about(name).definition,
                words=told[name].words if name in told else "",
                receipts=[f"{key:016x}" for key in told[name].receipts] if name in told else [],
            )
            for name in names
        ],
    )  # fmt: skip


def _number(made: MeasureSet, name: str) -> bool:
    return made.source(name).kind == "number"


def _value(made: MeasureSet, name: str, number: int) -> float | None:
    value = float(made.column(name).values[number]) if number < made.size else math.nan
    return None if math.isnan(value) else value


def _sentences(made: MeasureSet, number: int, values: dict[str, float | None]) -> list[Told]:
    ledger = ledger_of(made.study)
    if ledger is None or number >= made.size or not made.rows:
        return _own(made, values)
    names, _ = inputs_of_window(ledger)
    log = ledger.lines().log
    visits = visits_of(made.study, ledger, number, names)
    found = account(visits, made.window.window, max(log.first_day(ledger.mask), 0))
    study = made.study
    told = tell(found, study.scale, study.currency, _joined(study, number),
                _context(names, values, made, number))  # fmt: skip
    if made.at_least[number]:
        told = [_at_least(each) if each.name == "tenure" else each for each in told]
    days = sorted({v.day for v in visits if v.purchase and v.day < found.as_of})
    return [*told, *_expected(made, values, days, found.as_of), *_own(made, values),
            *_offers(made, values, number)]  # fmt: skip


def _context(
    names: Names, values: dict[str, float | None], made: MeasureSet, number: int
) -> Context:
    words = {}
    for name in share_slots(names).values():
        about = made.about(name) if name in made.derived else MEASURES.get(name)
        if about is not None and name in made.derived:
            words[name] = re.sub(r"^Share of gross sales ", "", about.definition).rstrip(".")
    if "on_offer" in words:
        words["on_offer"] = "on offer"
    return Context(_usual(values), _everyone(made), len(names.departments), words)


def _everyone(made: MeasureSet) -> float | None:
    """The trend of all customers together, which the measure is told against."""
    if "trend" not in made.rows:
        return None
    return window_details(made.rows).trend


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


def _at_least(told: Told) -> Told:
    words = f"{told.words} The log begins within 90 days before that, so it may be longer."
    return Told(told.name, words, told.receipts)


def _expected(
    made: MeasureSet, values: dict[str, float | None], days: list[int], as_of: int
) -> list[Told]:
    visits, active = values.get("expected"), values.get("active")
    if visits is None or active is None or not days:
        return []
    seen = (
        f"{len(days):,} visit days in {as_of - days[0]:,} days since the first one, the last "
        f"{as_of - days[-1]:,} days before the end"
    )
    check = details_of(made.rows["expected"], ExpectedDetails).check
    doubt = "" if check is None or check.fits else " The model misses the months held out."
    return [
        Told("expected", f"{seen}: the model expects {visits:,.2f} visit days in the next "
             f"3 months.{doubt}"),
        Told("active", f"{seen}: the model gives a chance of {active:.1%} that the customer has "
             f"not stopped coming.{doubt}"),
    ]  # fmt: skip


def _own(made: MeasureSet, values: dict[str, float | None]) -> list[Told]:
    """Own formulas with this customer's numbers in the place of the measures."""
    out = []
    for own in own_measures_of(made.study)[0]:
        words = spoken(made, own.name)
        try:
            formula = parse(own.formula, {w: unit_of(made.about(n).unit) for w, n in words.items()})
        except FormulaError as problem:
            out.append(Told(own.name, f"{own.formula} cannot be worked out: {problem}"))
            continue
        written = own.formula
        for word in formula.measures:
            figure = _figure(values.get(words[word]))
            written = re.sub(rf"\b{re.escape(word)}\b", figure, written)
        out.append(Told(own.name, f"{own.formula}: {written} = {_figure(values.get(own.name))}."))
    return out


def _figure(value: float | None) -> str:
    if value is None:
        return "nothing"
    return f"{value:,.0f}" if value == round(value) else f"{value:,.2f}"


def _offers(made: MeasureSet, values: dict[str, float | None], number: int) -> list[Told]:
    if values.get("offers_used") is None:
        return []
    answers = [values[n] for n in made.others if n.startswith("offer:")]
    received = [a for a in answers if a is not None]
    return [Told("offers_used", f"{sum(received):,.0f} of {len(received):,} offers received were "
                 f"used: {sum(received) / len(received):.1%}.")]  # fmt: skip
