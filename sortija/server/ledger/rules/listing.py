"""The lines behind the waterline: a hundred at a time, or all as a file, with their reasons."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.formats.lists import csv_lines
from sortija.core.ledger.counting import KINDS
from sortija.core.progress import Progress
from sortija.server.ledger.models import Card, Code, UnreadCell
from sortija.server.ledger.store.ledger import Ledger, Lines, ledger_of, texts
from sortija.server.ledger.store.stored_lines import stored_lines
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered

__all__ = [
    "LineRow",
    "LinesPage",
    "Picked",
    "by_column",
    "lines_file",
    "lines_page",
    "lines_picked",
]

PAGE_LINES = 100
_BLOCK = 5_000
#: Lines looked through at a time on the way to a page.
_LOOK = 1 << 20


@dataclass(frozen=True)
class Picked:
    """Which lines are looked at; ``first`` and ``last`` day since 1970-01-01, both included.

    ``rule``: a rule's key, ``counted``, or empty for all; ``by`` a column of words or ``hour``
    (of the week) with its ``number``, or empty.
    """

    first: int | None = None
    last: int | None = None
    rule: str = ""
    by: str = ""
    number: int = 0


class LineRow(BaseModel):
    """One line, with the reason it does not count (empty when it does)."""

    intake: int
    number: int
    day: str
    time: str
    card: str
    customer: int | None
    receipt: str
    site: str
    channel: str
    item: str
    department: str
    quantity: float
    money: int
    kind: str
    reasons: list[str]
    unread: dict[str, str]


class LinesPage(BaseModel):
    lines: list[LineRow]
    total: int
    after: int


@remembered
def _wanted(keyed: Keyed[Ledger], picked: Picked) -> tuple[NDArray[np.bool_], int]:
    """Which lines of the ordered log are picked, and how many they are."""
    ledger = keyed.value
    lines = ledger.lines()
    wanted = _by_rule(ledger, lines, picked.rule)
    if picked.first is not None:
        wanted &= lines.log.day >= picked.first
    if picked.last is not None:
        wanted &= lines.log.day <= picked.last
    if picked.by:
        wanted &= by_column(lines, picked.by) == picked.number
    return wanted, int(np.count_nonzero(wanted))


def _places(ledger: Ledger, wanted: NDArray[np.bool_], start: int, stop: int) -> NDArray[np.int64]:
    """Places of the picked lines number ``start`` to ``stop``, newest first.

    Looks through the lines from the newest on, only as far as it has to.
    """
    newest = ledger.lines().newest
    found: list[NDArray[np.int64]] = []
    passed = 0
    for first in range(0, len(newest), _LOOK):
        part = newest[first : first + _LOOK]
        mine = part[wanted[part]]
        found.append(mine[max(0, start - passed) : stop - passed].astype(np.int64))
        passed += len(mine)
        if passed >= stop:
            break
    return np.concatenate(found) if found else np.zeros(0, np.int64)


def by_column(lines: Lines, name: str) -> NDArray[np.int64]:
    """Numbers of a column of words, or the hour of the week (Monday 0 to 167, −1 undated)."""
    if name == "hour":
        day = np.asarray(lines.log.day)
        return np.where(day < 0, -1, (day + 3) % 7 * 24 + lines.second // 3600)
    if name == "item":
        return np.asarray(lines.item)
    if name not in ("department", "site", "channel"):
        raise Problem(f"Lines cannot be picked by {name}.")
    return np.asarray(getattr(lines.log, name))


def _by_rule(ledger: Ledger, lines: Lines, key: str) -> NDArray[np.bool_]:
    if not key:
        return np.ones(len(lines.log), np.bool_)
    if key == "counted":
        return lines.log.counts(ledger.mask)
    rules = ledger.rules
    number = next((n for n, r in enumerate(rules) if r.key == key), None)
    if number is None:
        raise Problem(f"There is no rule called {key}.", 404)
    meets = (lines.log.bits & rules[number].bit) != 0
    if rules[number].bit & ledger.mask:
        before = sum(rule.bit for rule in rules[:number]) & ledger.mask
        meets &= (lines.log.bits & before) == 0
    # A rule that is off decides nothing; then the lines that meet it are shown.
    return meets


def lines_page(study: Study, picked: Picked, after: int) -> LinesPage:
    """A hundred of the picked lines, newest first, each with its reasons."""
    ledger = ledger_of(study)
    if ledger is None or not ledger.built:
        return LinesPage(lines=[], total=0, after=0)
    wanted, total = _wanted(Keyed(ledger.made_from, ledger), picked)
    page = _places(ledger, wanted, after, after + PAGE_LINES)
    return LinesPage(lines=_rows(ledger, page), total=total, after=after)


def lines_picked(study: Study, picked: Picked) -> int:
    """How many lines are picked.

    Raises
    ------
    Problem
        There are no lines yet, or none of this kind.
    """
    ledger = ledger_of(study)
    if ledger is None or not ledger.built:
        raise Problem("There are no lines yet. Import a log first.")
    _, total = _wanted(Keyed(ledger.made_from, ledger), picked)
    if total == 0:
        raise Problem("There are no such lines, so there is nothing to save.")
    return total


def lines_file(study: Study, picked: Picked, progress: Progress) -> tuple[int, Iterator[str]]:
    """How many picked lines there are, and all of them as CSV with their reasons."""
    ledger = ledger_of(study)
    if ledger is None or not ledger.built:
        raise Problem("There are no lines any more.")
    wanted, total = _wanted(Keyed(ledger.made_from, ledger), picked)
    places = _places(ledger, wanted, 0, total)
    head = [
        "file", "row", "date", "time", "customer", "site", "channel", "item", "department",
        "quantity", "amount", "kind", "does not count", "as written",
    ]  # fmt: skip
    files = {intake.pk: intake.original.name for intake in ledger.intakes}
    on = {rule.key: rule.name for rule in ledger.rules if rule.bit & ledger.mask}

    def rows() -> Iterator[list[object]]:
        for start in range(0, len(places), _BLOCK):
            progress("writing", start, len(places))
            for row in _rows(ledger, places[start : start + _BLOCK]):
                why = "; ".join(on[key] for key in row.reasons if key in on)
                unread = "; ".join(f"{role}: {text}" for role, text in row.unread.items())
                yield [
                    files[row.intake], row.number, row.day, row.time, row.card, row.site,
                    row.channel, row.item, row.department, row.quantity,
                    round(row.money / 10**study.scale, study.scale), row.kind, why, unread,
                ]  # fmt: skip

    return len(places), csv_lines(head, rows())


def _rows(ledger: Ledger, places: NDArray[np.int64]) -> list[LineRow]:
    study, lines = ledger.study, ledger.lines()
    keys = [(int(lines.intake[p]), int(lines.number[p])) for p in places]
    found = stored_lines(ledger, places)
    cards = dict(
        Card.objects.filter(study=study, number__in={r.card for r in found.values()}).values_list(
            "number", "code"
        )
    )
    items = dict(
        Code.objects.filter(
            study=study, kind="item", number__in={r.item for r in found.values()}
        ).values_list("number", "text")
    )
    names = {kind: (*texts(study, kind), "") for kind in ("site", "channel", "department")}
    unread: dict[tuple[int, int], dict[str, str]] = {}
    for cell in UnreadCell.objects.filter(
        intake__in={k[0] for k in keys}, line__in=[k[1] for k in keys]
    ):
        unread.setdefault((cell.intake_id, cell.line), {})[cell.role] = cell.text
    out = []
    for key, place in zip(keys, places, strict=True):
        row, bits = found[int(place)], int(lines.log.bits[place])
        dated = row.day.year >= 1970
        out.append(
            LineRow(
                intake=key[0],
                number=key[1],
                day=row.day.isoformat() if dated else "",
                time=f"{row.second // 3600:02d}:{row.second % 3600 // 60:02d}" if dated else "",
                card=cards.get(row.card, ""),
                customer=row.card if row.card >= 0 else None,
                receipt=f"{int(lines.log.receipt[place]):016x}",
                site=names["site"][row.site],
                channel=names["channel"][row.channel],
                item=items.get(row.item, ""),
                department=names["department"][row.department],
                quantity=row.quantity / 1000,
                money=int(lines.log.money[place]),
                kind=KINDS[row.kind],
                reasons=[rule.key for rule in ledger.rules if rule.bit & bits],
                unread=unread.get(key, {}),
            )
        )
    return out
