"""What became of letters, as files of delivery services tell it: who, what, and when."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from sortija.core.ledger.parse_datetimes import read_moments
from sortija.core.ledger.parse_numbers import BAD, EMPTY, GOOD

__all__ = ["KINDS", "LetterMapping", "Unread", "guess_kind", "propose", "read_letters"]

#: What can become of a letter.
KINDS = ("delivered", "bounced", "opened", "clicked", "replied", "opted out")
#: Words that services use, the more particular ones first.
_WORDS = (
    ("opted out", r"unsub|opt.?(ed.)?out|remov|complain|spam|abuse|list.unsub|objec"),
    ("bounced", r"bounc|undeliver|fail|reject|invalid|returned|block|dropped"),
    ("clicked", r"click|link"),
    ("replied", r"repl|answer|respon"),
    ("opened", r"open|read\b|seen|view"),
    ("delivered", r"deliver|arriv|accept"),
)
#: Of more different values a column does not say what happened.
MOST_VALUES = 40
_LEAST_KNOWN = 0.5
_MOSTLY_DATES = 0.75


@dataclass(frozen=True)
class LetterMapping:
    """How a file is read.

    ``who``: the column that names customers, ``by`` card, address or pseudonym; ``what``: the
    column that says what happened, by ``values`` (value → kind, "" for what is passed over), or ""
    where all rows are ``all_are``; ``when``: the column of the moment, "" where none is told.
    """

    who: str
    by: str
    what: str = ""
    values: Mapping[str, str] = field(default_factory=dict)
    all_are: str = ""
    when: str = ""
    month_first: bool = False


@dataclass
class Unread:
    """Rows that could not be used, by reason, with the first that had it."""

    rows: dict[str, int] = field(default_factory=dict)
    first: dict[str, str] = field(default_factory=dict)

    def add(self, reason: str, example: str) -> None:
        """Count one more row."""
        self.rows[reason] = self.rows.get(reason, 0) + 1
        self.first.setdefault(reason, example[:80])


def guess_kind(value: str) -> str:
    """What a service's word most likely means; "" where that is not clear.

    >>> [guess_kind(word) for word in ("hard_bounce", "Opened", "unsubscribe", "queued")]
    ['bounced', 'opened', 'opted out', '']
    """
    word = value.strip().lower().replace("_", " ").replace("-", " ")
    return next((kind for kind, pattern in _WORDS if re.search(pattern, word)), "")


def propose(rows: pa.RecordBatch, known: Mapping[str, Collection[str]]) -> LetterMapping:
    """How a file is most likely to be read, from its first rows.

    Parameters
    ----------
    rows : string columns
    known : "card", "address", "pseudonym" → names of the customers whom the campaign wrote to,
        addresses in small letters
    """
    who, by = _who(rows, known)
    others = [name for name in rows.schema.names if name != who]
    what, share = "", 0.0
    for name in others:
        told = _told(rows, name)
        if not told or len(set(told)) > MOST_VALUES:
            continue
        clear = sum(bool(guess_kind(value)) for value in told) / len(told)
        if clear > max(share, _LEAST_KNOWN):
            what, share = name, clear
    when = next((n for n in others if n != what and _is_date(rows, n)), "")
    values = {value: guess_kind(value) for value in sorted(set(_told(rows, what)))} if what else {}
    return LetterMapping(who, by, what, values, "", when)


def _told(rows: pa.RecordBatch, name: str) -> list[str]:
    return [cell for cell in rows.column(name).to_pylist() if cell]


def _who(rows: pa.RecordBatch, known: Mapping[str, Collection[str]]) -> tuple[str, str]:
    """The column that names most customers, and by what."""
    best, found = ("", "card"), 0
    for name in rows.schema.names:
        told = {cell.strip() for cell in _told(rows, name)}
        for by, names in known.items():
            hits = sum((cell.lower() if by == "address" else cell) in names for cell in told)
            if hits > found:
                best, found = (name, by), hits
    return best


def _is_date(rows: pa.RecordBatch, name: str) -> bool:
    column = rows.column(name)
    _, _, state = read_moments(column)
    there = state != EMPTY
    return bool(there.any()) and float((state[there] == GOOD).mean()) > _MOSTLY_DATES


def read_letters(
    batches: Iterable[pa.RecordBatch], mapping: LetterMapping, unread: Unread
) -> Iterator[tuple[str, str, float]]:
    """Who, what and when (seconds since 1970; NaN: the file does not say) of every usable row.

    Rows that cannot be used are counted in ``unread``, none is guessed at.
    """
    for rows in batches:
        who = rows.column(mapping.who).to_pylist()
        what: Sequence[str | None] = (
            rows.column(mapping.what).to_pylist() if mapping.what else [None] * len(who)
        )
        when, state, said = _moments(rows, mapping)
        for name, value, seconds, good, day in zip(who, what, when, state, said, strict=True):
            kind = mapping.values.get(value or "", "") if mapping.what else mapping.all_are
            if not (name or "").strip():
                unread.add("no customer", value or "")
            elif mapping.what and (value or "") not in mapping.values:
                unread.add("not known what happened", value or "")
            elif not good:
                unread.add("no date", day or "")
            elif kind:
                yield name.strip(), kind, float(seconds)


def _moments(
    rows: pa.RecordBatch, mapping: LetterMapping
) -> tuple[Sequence[float], Sequence[bool], Sequence[str | None]]:
    if not mapping.when:
        many = rows.num_rows
        return [float("nan")] * many, [True] * many, [None] * many
    column = rows.column(mapping.when)
    days, seconds, state = read_moments(column, mapping.month_first)
    moment = np.where(state == GOOD, days.astype(np.float64) * 86_400 + seconds, np.nan)
    return moment.tolist(), (state != BAD).tolist(), pc.cast(column, pa.string()).to_pylist()
