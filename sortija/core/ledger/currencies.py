"""Currencies by their codes and signs."""

from __future__ import annotations

import re
from collections import Counter

import pyarrow as pa

from sortija.core.ledger.mapping import AMOUNTS, LogMapping

__all__ = ["CODES", "SIGNS", "currency_in", "currency_of"]

#: Codes that a column of currencies is told by.
CODES = frozenset({
    "EUR", "USD", "GBP", "CHF", "SEK", "NOK", "DKK", "PLN", "CZK", "HUF", "RON", "BGN", "ISK",
    "TRY", "JPY", "CNY", "INR", "CAD", "AUD", "NZD", "ZAR", "BRL", "MXN", "CLP", "COP", "ARS",
})  # fmt: skip
#: A sign → its code; signs of several currencies stand for the one that has most trade.
SIGNS = {
    "€": "EUR", "$": "USD", "£": "GBP", "¥": "JPY", "zł": "PLN", "kč": "CZK", "ft": "HUF",
    "₹": "INR", "₺": "TRY", "fr.": "CHF",
}  # fmt: skip
_SIGN = re.compile(r"[€$£¥₹₺]|zł|Kč|\b[A-Z]{3}\b")
#: Share of the amounts that have to show a sign.
_MOST = 0.5


def currency_of(text: str) -> str:
    """The code of a currency by its code or sign, in capitals; empty for an empty cell.

    >>> currency_of(" eur "), currency_of("£")
    ('EUR', 'GBP')
    """
    word = text.strip()
    return SIGNS.get(word.lower(), word.upper())


def currency_in(rows: pa.RecordBatch, mapping: LogMapping) -> str:
    """The currency that most amounts of a log are in; nothing where nothing tells.

    Parameters
    ----------
    rows : batch of string columns, the file's first rows
    mapping : its columns' roles: a currency's column tells, else signs beside the amounts

    >>> rows = pa.RecordBatch.from_pydict({"sum": ["12,50 €", "3,00 €", "7"]})
    >>> currency_in(rows, LogMapping({"money": "sum"}))
    '€'
    """
    if "currency" in mapping.roles:
        texts = rows.column(mapping.roles["currency"]).to_pylist()
        words = Counter(filter(None, (text.strip() for text in texts)))
        return words.most_common(1)[0][0] if words else ""
    for role in AMOUNTS:
        if role not in mapping.roles:
            continue
        cells = [text for text in rows.column(mapping.roles[role]).to_pylist() if text.strip()]
        signs = Counter(found.group() for text in cells if (found := _SIGN.search(text)))
        for sign, count in signs.most_common(1):
            if count > _MOST * len(cells) and (sign.lower() in SIGNS or sign in CODES):
                return sign
    return ""
