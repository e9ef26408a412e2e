"""Measured figures as text: three telling digits, with their unit."""

from __future__ import annotations

import math

from sortija.core.portraits.sentences import in_unit

__all__ = ["amount", "figure", "in_words", "percent", "signed"]

#: Units that stand in the figure itself, or are none.
_WITHIN = {"share", "took", "money", "year", "date", "rank", "log ratio", ""}
#: What one of a unit is called, where it is not the unit less its s.
_ONE = {"times": "times"}


def figure(value: float) -> str:
    """A number in three to four telling digits, as the screen writes it.

    >>> figure(1234.5), figure(19.24), figure(0.456), figure(-3.0)
    ('1,234', '19.2', '0.46', '−3')
    """
    size = abs(value)
    places = 0 if size == round(size) or size >= 100 else 1 if size >= 10 else 2
    told = f"{size:,.{places}f}"
    if "." in told:
        told = told.rstrip("0").rstrip(".")
    return f"−{told}" if value < 0 and told != "0" else told


def amount(value: float) -> str:
    """Money without its sign: with two decimals or none, as the screen writes it.

    >>> amount(45.4), amount(45.0), amount(1234.5), amount(0.5)
    ('45.40', '45', '1,234', '0.50')
    """
    return f"{value:,.{0 if value >= 100 or value == round(value) else 2}f}"


def percent(share: float) -> str:
    """A share in whole percent; under one in a hundred with a digit more.

    >>> percent(0.456), percent(0.004), percent(0.0)
    ('46%', '0.4%', '0%')
    """
    return f"{100 * share:.{1 if 0 < share < 0.0095 else 0}f}%"


def in_words(value: float, unit: str, currency: str = "£") -> str:
    """A mean or another measured figure with its unit.

    >>> in_words(19.24, "visits"), in_words(305.26, "money"), in_words(0.456, "share")
    ('19.2 visits', '£305', '46%')
    >>> in_words(1.0, "visits"), in_words(0.5, "log ratio"), in_words(float("nan"), "days")
    ('1 visit', '0.5', 'not known')
    """
    if not math.isfinite(value):
        return "not known"
    if unit in ("share", "took"):
        return percent(value)
    if unit in ("year", "date"):
        return in_unit(round(value), unit, currency)
    if unit == "money" or unit.startswith("money/"):
        return f"{'−' if value < 0 else ''}{currency}{amount(abs(value))}{unit[5:]}"
    told = figure(value)
    if unit in _WITHIN:
        return told
    one = _ONE.get(unit, unit.removesuffix("s"))
    return f"{told} {one if told == '1' else unit}"


def signed(value: float) -> str:
    """A number of standard deviations.

    >>> signed(1.42), signed(-0.31)
    ('+1.4', '−0.3')
    """
    return f"{'+' if value > 0 else '−' if value < 0 else ''}{abs(value):.1f}"
