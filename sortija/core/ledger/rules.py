"""Which lines count: the rules, the bits that lines carry for them, and which rule decides.

A line carries one bit for each rule that it meets. Which rules are *on* is a choice kept apart,
so a switch changes no line: a line counts when none of its bits belongs to a rule that is on.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["BIT", "ON_OFFER", "RULES", "Rule", "deciding_rule", "default_rules", "mask_of"]


@dataclass(frozen=True)
class Rule:
    """One reason to set a line aside.

    ``fixed``: it cannot be switched off, and why; ``default``: on when a study begins; ``own``:
    made by the study's people.
    """

    key: str
    bit: int
    name: str
    explanation: str
    default: bool = True
    fixed: str = ""
    own: bool = False


#: In the order in which they are asked: a line that meets several belongs to the first.
RULES = (
    Rule("no_date", 1, "No readable date",
         "The date is missing or is no date, such as 31 February.",
         fixed="A line without a date belongs to no window."),
    Rule("no_amount", 2, "No readable amount",
         "The line total, or the quantity and the price, cannot be read as a number.",
         fixed="A line without an amount adds nothing to any sum."),
    Rule("future", 4, "Dated in the future", "The date lies after the day the file came in."),
    Rule("currency", 1024, "Another currency",
         "The file names a currency that is not the study's, so its amounts cannot be added up.",
         fixed="A study has one currency."),
    Rule("void", 8, "Voided", "The file says that the line was cancelled at the till."),
    Rule("not_sale", 128, "Not a sale",
         "The file says that the line sells nothing: a gift card, a deposit, a delivery fee."),
    Rule("twice", 16, "Receipt came twice",
         "A whole receipt that came before with the same lines: an export that overlaps. "
         "Equal lines within a receipt are repeat scans and stay."),
    Rule("superseded", 2048, "Gave way to another file",
         "Another file was chosen over this one for the same receipts or days: see the files.",
         fixed="Change the choice at the file that lies over the other."),
    Rule("staff", 256, "Staff and test cards",
         "Cards that belong to nobody who can be won or lost, by their codes: see the list."),
    Rule("no_customer", 32, "No customer",
         "No card was shown, so the line belongs to nobody who can be grouped."),
    Rule("returned", 16384, "Wholly returned",
         "Every article of the receipt was returned: the purchase and its returns. "
         "They stay a visit unless they are set aside.",
         default=False),
    Rule("unmatched", 32768, "Returns without a sale",
         "Goods returned for which the customer has no earlier sale left in the log: bought "
         "before it begins, or with another card.",
         default=False),
    Rule("returns", 64, "Returns",
         "Goods returned. They lower the spend unless they are set aside.",
         default=False),
    Rule("negative", 4096, "Money without goods",
         "A negative amount for a positive number of pieces: a coupon, a correction.",
         default=False),
    Rule("zero", 512, "Amount of nothing",
         "Lines that cost nothing: free items, a loyalty reward. They make no money, but a "
         "receipt of them is a visit unless they are set aside.",
         default=False),
    Rule("extreme", 8192, "Extreme amounts",
         "Amounts far beyond what is usual in this log. Look at them: a wholesale order, or a "
         "slip at the till.",
         default=False),
)  # fmt: skip

BIT = {rule.key: rule.bit for rule in RULES}
#: No rule: the file says that the line was sold on offer.
ON_OFFER = 1 << 28


def default_rules(rules: Iterable[Rule] = RULES) -> list[str]:
    """Keys of the rules that are on when a study begins.

    >>> "void" in default_rules(), "returns" in default_rules()
    (True, False)
    """
    return [rule.key for rule in rules if rule.default]


def mask_of(on: Iterable[str], rules: Sequence[Rule] = RULES) -> int:
    """The bits of the rules named in ``on``; fixed rules are always among them.

    Raises
    ------
    KeyError
        A name that no rule has.

    >>> bool(mask_of(["void"]) & BIT["void"]), bool(mask_of(["void"]) & BIT["returns"])
    (True, False)
    """
    wanted = set(on)
    unknown = wanted - {rule.key for rule in rules}
    if unknown:
        raise KeyError(f"there is no rule called {sorted(unknown)[0]}")
    return sum(rule.bit for rule in rules if rule.fixed or rule.key in wanted)


def deciding_rule(
    bits: NDArray[np.int32], mask: int, rules: Sequence[Rule] = RULES
) -> NDArray[np.int64]:
    """Place in ``rules`` of the first rule on that each line meets; −1 where it counts.

    >>> on = mask_of(["void"])
    >>> place = deciding_rule(np.array([0, BIT["void"]], np.int32), on)
    >>> int(place[0]), RULES[place[1]].key
    (-1, 'void')
    """
    decides = np.full(len(bits), -1, np.int64)
    for place in reversed(range(len(rules))):
        bit = rules[place].bit
        if bit & mask:
            decides[(bits & bit) != 0] = place
    return decides
