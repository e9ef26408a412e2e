"""What a rule would do, before anybody keeps it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.ledger.counting import counts
from sortija.core.ledger.custom_rules import CustomRule, CustomRuleError, ready_rules
from sortija.core.ledger.lines import NO_COST
from sortija.server.ledger.models import Card
from sortija.server.ledger.store.build import words_for
from sortija.server.ledger.store.ledger import Lines, ledger_of
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["Tried", "try_own_rule"]


class Tried(BaseModel):
    """Lines that a rule means; ``gone``: those of them that count now, their money (at the
    study's scale) and the customers who have any of them."""

    explanation: str
    lines: int
    gone: int
    gone_money: int
    gone_customers: int


def try_own_rule(study: Study, asked: dict[str, Any]) -> Tried:
    """What a rule would set aside of the lines that count now; one being changed counts as off.

    Raises
    ------
    Problem
        The rule cannot be asked, or there are no lines.
    """
    ledger = ledger_of(study)
    if ledger is None or not ledger.built:
        raise Problem("There are no lines to try the rule on yet.", 404)
    slot = asked.get("slot")
    try:
        name = asked.get("name") or "New rule"
        own = CustomRule.from_json({**asked, "name": name, "slot": slot or 0})
    except CustomRuleError as problem:
        raise Problem(str(problem)) from problem
    codes: list[str] = []
    if own.column == "customer":
        cards = Card.objects.filter(study=study).order_by("number")
        codes = list(cards.values_list("code", flat=True).iterator(chunk_size=50_000))
    [ready] = ready_rules([own], words_for(study, [own], codes), study.scale)
    lines = ledger.lines()
    met = ready.meets(_columns(lines))
    mask = ledger.mask if slot is None else ledger.mask & ~own.rule.bit
    gone = np.flatnonzero(met & counts.py_func(lines.log.bits, mask))
    customers = np.searchsorted(lines.log.start, gone, side="right") - 1
    theirs = customers[customers < len(lines.log.start) - 2]
    return Tried(
        explanation=own.explanation,
        lines=int(met.sum()), gone=len(gone),
        gone_money=int(lines.log.money[gone].sum()),
        gone_customers=len(np.unique(theirs)),
    )  # fmt: skip


def _columns(lines: Lines) -> dict[str, NDArray[Any]]:
    """The ordered lines as rules are asked of them."""
    log = lines.log
    names = ("day", "quantity", "money", "kind", "department", "site", "channel")
    columns = {name: np.asarray(getattr(log, name)) for name in names}
    cost = np.asarray(log.cost) if log.cost is not None else np.zeros(0, np.int64)
    return {
        **columns,
        "cost": cost if len(cost) else np.full(len(columns["day"]), NO_COST, np.int64),
        "card": np.asarray(lines.card), "item": np.asarray(lines.item),
        "second": np.asarray(lines.second),
    }  # fmt: skip
