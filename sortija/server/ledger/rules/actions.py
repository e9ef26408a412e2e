"""What a person can do at the Ledger beside bringing files in: say what counts."""

from __future__ import annotations

from typing import Any

from sortija.core.ledger.custom_rules import MOST_OWN, CustomRule, CustomRuleError
from sortija.server.jobs import work
from sortija.server.ledger.rules.choices import (
    DEFAULTS,
    NO_RATES,
    OWN,
    RATES,
    RETURNS,
    RULES_ON,
    STAFF,
    choices_of,
)
from sortija.server.ledger.store.ledger import Ledger, ledger_of, texts
from sortija.server.studies.actions import (
    change_setting,
    change_settings,
    changing,
    read_setting,
)
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = [
    "choose_rates",
    "choose_returns",
    "choose_staff",
    "drop_own_rule",
    "keep_own_rule",
    "order_anew",
    "order_lines",
    "switch_rule",
]

MOST_PATTERNS = 200
#: Up to so many lines are ordered within the request.
INLINE_LINES = 1_000_000


def switch_rule(
    study: Study, person: Any, key: str, on: bool, expected: int | None = None
) -> tuple[list[str], int]:
    """Switch one rule; every total changes with it. Returns the rules that are on, and revision."""
    rules = choices_of(study).rules
    rule = next((r for r in rules if r.key == key), None)
    if rule is None:
        raise Problem(f"There is no rule called {key}.", 404)
    if rule.fixed:
        raise Problem(f"“{rule.name}” stays on. {rule.fixed}")
    words = f"Switched “{rule.name}” {'on' if on else 'off'}"
    with changing(study):
        present, _ = read_setting(study, RULES_ON, DEFAULTS[RULES_ON])
        chosen = [r.key for r in rules if (on if r.key == key else r.key in present)]
        revision = change_setting(
            study, person, RULES_ON, chosen, words, DEFAULTS[RULES_ON], expected
        )
    return chosen, revision


def choose_staff(
    study: Study, person: Any, patterns: list[str], expected: int | None = None
) -> int:
    """Say which cards are staff's or a test's, by code or pattern; returns the new revision.

    Their bits are worked out again: at once for a small ledger, else by a job.

    Raises
    ------
    Problem
        More patterns than anybody can keep in mind, or one that means every card.
    """
    wanted = list(dict.fromkeys(pattern.strip() for pattern in patterns if pattern.strip()))
    if len(wanted) > MOST_PATTERNS or any(len(pattern) > 60 for pattern in wanted):
        raise Problem(f"A list has at most {MOST_PATTERNS} codes or patterns of 60 letters.")
    if any(not pattern.strip("*?") for pattern in wanted):
        raise Problem("“*” alone means every card. Write what staff cards have in common.")
    words = f"Staff and test cards: {', '.join(wanted) or 'none'}"
    revision = change_setting(study, person, STAFF, wanted, words, DEFAULTS[STAFF], expected)
    order_anew(study, person)
    return revision


def choose_returns(study: Study, person: Any, told: str, expected: int | None = None) -> int:
    """Say on which day returns lower the spend: their own, or that of their sale."""
    if told not in ("own day", "sale day"):
        raise Problem("Returns are told on their own day or on the day of their sale.")
    words = f"Returns count on {'their own day' if told == 'own day' else 'the day of their sale'}"
    revision = change_setting(study, person, RETURNS, told, words, DEFAULTS[RETURNS], expected)
    order_anew(study, person)
    return revision


def keep_own_rule(
    study: Study, person: Any, asked: dict[str, Any], expected: int | None = None
) -> tuple[CustomRule, int]:
    """Keep a rule of the study's own, new or (with its slot) changed; a new one is on.

    Raises
    ------
    Problem
        The rule cannot be asked, or there are as many as there can be.
    """
    with changing(study):
        kept = list(choices_of(study).own)
        slot = asked.get("slot")
        taken = {own.slot for own in kept}
        if slot is None:
            slot = next((n for n in range(MOST_OWN) if n not in taken), MOST_OWN)
        elif slot not in taken:
            raise Problem("This rule no longer exists. Add it again.", 404)
        try:
            own = CustomRule.from_json({**asked, "slot": slot})
        except CustomRuleError as problem:
            raise Problem(str(problem)) from problem
        rest = [other for other in kept if other.slot != own.slot]
        if any(other.name.lower() == own.name.lower() for other in rest):
            raise Problem(f"There is already a rule named “{own.name}”.")
        rules = sorted([*rest, own], key=lambda each: each.slot)
        value = [each.to_json() for each in rules]
        if own.slot in taken:
            words = f"Changed the rule “{own.name}”"
            revision = change_setting(study, person, OWN, value, words, [], expected)
        else:
            revision = _add(study, person, own, value, expected)
    order_anew(study, person)
    return own, revision


def _add(study: Study, person: Any, own: CustomRule, value: list[Any], expected: int | None) -> int:
    """Keep a new rule and switch it on, in one step; returns the rules' new revision."""
    _, revision = read_setting(study, OWN, [])
    if expected is not None and expected != revision:
        raise Conflict(
            "Somebody changed the rules since you loaded this page. Look at them and add it again."
        )
    on, _ = read_setting(study, RULES_ON, DEFAULTS[RULES_ON])
    chosen = [*(key for key in on if key != own.rule.key), own.rule.key]
    words = f"Added the rule “{own.name}”"
    change_settings(study, person, {OWN: value, RULES_ON: chosen}, words, DEFAULTS)
    return revision + 1


def drop_own_rule(study: Study, person: Any, slot: int, expected: int | None = None) -> int:
    """Drop a rule of the study's own; its lines count again."""
    with changing(study):
        kept = choices_of(study).own
        gone = next((own for own in kept if own.slot == slot), None)
        if gone is None:
            raise Problem("This rule no longer exists.", 404)
        rules = [own.to_json() for own in kept if own.slot != slot]
        words = f"Deleted the rule “{gone.name}”"
        revision = change_setting(study, person, OWN, rules, words, [], expected)
    order_anew(study, person)
    return revision


def choose_rates(
    study: Study, person: Any, departments: dict[str, float], rest: float | None,
    expected: int | None = None,
) -> int:  # fmt: skip
    """Say what share of each department's sales is gross margin, where lines tell no cost.

    Raises
    ------
    Problem
        A department that the log does not have, or a share beyond 0 to 1.
    """
    unknown = sorted(set(departments) - set(texts(study, "department")))
    if unknown:
        raise Problem(f"No line is of a department called {unknown[0]}.", 404)
    shares = [*departments.values(), *([] if rest is None else [rest])]
    if any(not 0 <= share <= 1 for share in shares):
        raise Problem("A margin is a share of sales from 0 to 100%.")
    value = {"departments": departments, "rest": rest}
    words = f"Margins of {len(departments)} departments" if departments else "One margin for all"
    return change_setting(
        study, person, RATES, value, words if shares else "No margins", NO_RATES, expected
    )


def order_anew(study: Study, person: Any) -> None:
    """Order the lines after a change that is no new file, where that is due."""
    ledger = ledger_of(study)
    if ledger is not None and not ledger.built:
        order_lines(ledger, person)


def order_lines(ledger: Ledger, person: Any) -> None:
    """Order the lines: at once for a small ledger, else by a job."""
    if sum(intake.came.lines for intake in ledger.intakes) <= INLINE_LINES:
        ledger.build()
        return
    work.start(ledger.study.pk, "ledger.order", ledger.stamp, "Ordering the ledger's lines", person)
