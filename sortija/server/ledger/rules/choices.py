"""What a study's people have chosen about its lines: rules, cards, returns."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from sortija.core.ledger.custom_rules import CustomRule
from sortija.core.ledger.flags import STAFF_PATTERNS
from sortija.core.ledger.rules import RULES, Rule, default_rules, mask_of
from sortija.server.studies.actions import read_setting
from sortija.server.studies.models import Study

__all__ = [
    "DEFAULTS",
    "NO_RATES",
    "OWN",
    "RATES",
    "RETURNS",
    "RULES_ON",
    "STAFF",
    "Choices",
    "choices_of",
    "rates_of",
]

RULES_ON = "ledger.rules"
STAFF = "ledger.staff"
OWN = "ledger.own"
RETURNS = "ledger.returns"
#: Gross margin by department, as shares: ``rest`` for those not named, nothing where unknown.
RATES = "ledger.rates"
NO_RATES: dict[str, Any] = {"departments": {}, "rest": None}
#: A setting → what holds while nobody has chosen.
DEFAULTS: dict[str, Any] = {
    RULES_ON: default_rules(), STAFF: list(STAFF_PATTERNS), OWN: [], RETURNS: "own day",
}  # fmt: skip


@dataclass(frozen=True)
class Choices:
    """The settings that decide what counts, with the revision of each."""

    on: tuple[str, ...]
    staff: tuple[str, ...]
    own: tuple[CustomRule, ...]
    returns: str
    revisions: dict[str, int]

    @property
    def rules(self) -> tuple[Rule, ...]:
        """Every rule of the study, in the order in which they are asked."""
        return (*RULES, *(own.rule for own in self.own))

    @property
    def mask(self) -> int:
        return mask_of(self.on, self.rules)

    @property
    def on_sale_day(self) -> bool:
        return self.returns == "sale day"

    @property
    def marks(self) -> list[Any]:
        """What the bits of lines hang on, beside the lines: canonical for a fingerprint."""
        return [list(self.staff), [own.to_json() for own in self.own], self.returns]


def choices_of(study: Study) -> Choices:
    """What is chosen in this study."""
    read = {key: read_setting(study, key, default) for key, default in DEFAULTS.items()}
    own = tuple(CustomRule.from_json(kept) for kept in read[OWN][0])
    known = {*(rule.key for rule in RULES), *(rule.rule.key for rule in own)}
    return Choices(
        on=tuple(key for key in read[RULES_ON][0] if key in known),
        staff=tuple(read[STAFF][0]),
        own=own,
        returns=read[RETURNS][0],
        revisions={key: revision for key, (_, revision) in read.items()},
    )


def rates_of(study: Study, departments: tuple[str, ...]) -> tuple[float, ...]:
    """The margin of each department, and of lines without one; empty where nobody said any."""
    chosen, _ = read_setting(study, RATES, NO_RATES)
    if not chosen["departments"] and chosen["rest"] is None:
        return ()
    rest = math.nan if chosen["rest"] is None else float(chosen["rest"])
    return (*(float(chosen["departments"].get(name, rest)) for name in departments), rest)
