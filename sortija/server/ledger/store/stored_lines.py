"""Single lines as they came in: out of PostgreSQL, or of the ordered files of an attached log."""

from __future__ import annotations

from datetime import date
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import date_of
from sortija.server.ledger.models import Line
from sortija.server.ledger.store.ledger import Ledger, Lines
from sortija.server.studies.problems import ChangedMeanwhile

__all__ = ["StoredLine", "stored_lines"]


class StoredLine(NamedTuple):
    """A line of an intake, by numbers; see ``models.Line``."""

    intake: int
    number: int
    day: date
    second: int
    card: int
    item: int
    quantity: int
    department: int
    site: int
    channel: int
    kind: int


def stored_lines(ledger: Ledger, places: NDArray[np.int64]) -> dict[int, StoredLine]:
    """The line at each place of the ordered log.

    Raises
    ------
    ChangedMeanwhile
        Their file was taken back at this moment.
    """
    lines = ledger.lines()
    attached = {i.pk for i in ledger.intakes if i.original.attachment_id is not None}
    out: dict[int, StoredLine] = {}
    wanted: dict[int, dict[int, int]] = {}
    for place in places.tolist():
        intake = int(lines.intake[place])
        if intake in attached:
            out[place] = _ordered(lines, place)
        else:
            wanted.setdefault(intake, {})[int(lines.number[place])] = place
    for intake, numbers in wanted.items():
        rows = Line.objects.filter(intake_id=intake, number__in=list(numbers))
        for row in rows.values_list(*StoredLine._fields[1:]):
            line = StoredLine(intake, *row)
            out[numbers[line.number]] = line
    if len(out) < len(places):
        raise ChangedMeanwhile
    return out


def _ordered(lines: Lines, place: int) -> StoredLine:
    """A line as the ordered files have it: a return on the day on which it counts."""
    log = lines.log
    return StoredLine(
        int(lines.intake[place]), int(lines.number[place]), date_of(int(log.day[place])),
        int(lines.second[place]), int(lines.card[place]), int(lines.item[place]),
        int(log.quantity[place]), int(log.department[place]), int(log.site[place]),
        int(log.channel[place]), int(log.kind[place]),
    )  # fmt: skip
