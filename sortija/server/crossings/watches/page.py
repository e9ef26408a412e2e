"""The watches of a study, with what was read of each."""

from __future__ import annotations

from datetime import date

from pydantic import BaseModel

from sortija.server.crossings.models import Watch, WatchReading
from sortija.server.crossings.watches.readings import live_watches, read_or_job
from sortija.server.crossings.watches.watched import Kind, Rule, Watched
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["WatchRow", "WatchesPage", "fired_at", "watch_row", "watches_page"]

#: Dates of a watch that are shown.
SHOWN = 13


class ReadingRow(BaseModel):
    """A watch at a date; ``seen``, ``low``, ``high``: of whom chance is told, and what it makes;
    ``words``: why nothing could be read."""

    to: str
    customers: int | None
    seen: int | None
    low: float | None
    high: float | None
    fired: bool
    words: str


class WatchRow(BaseModel):
    """``readings``: the oldest first; ``told``: whether chance can be told of its kind."""

    id: int
    name: str
    kind: Kind
    origin: int
    target: int
    rule: Rule
    number: int | None
    told: bool
    by: str
    made_on: str
    revision: int
    readings: list[ReadingRow]


class WatchesPage(BaseModel):
    """``retired``: how many speak of groups that are no longer in use, and are not read."""

    status: Status
    rows: list[WatchRow]
    retired: int


def watches_page(study: Study) -> WatchesPage:
    """What is watched; a new date that nobody has read yet is read now."""
    rows = live_watches(study)
    status = Status(state="whole")
    if ledger_of(study) is None:
        status = Status(state="empty", words="Watches are read from a log. Import one first.")
    elif job := read_or_job(study):
        status = waiting_for(job)
    kept = Watch.objects.filter(study=study, dropped=False).count()
    return WatchesPage(
        status=status, rows=[watch_row(row) for row in rows], retired=kept - len(rows)
    )


def watch_row(row: Watch) -> WatchRow:
    watched = Watched.model_validate(row.about)
    readings = list(row.readings.order_by("-to")[:SHOWN])[::-1]
    person = row.person
    return WatchRow(
        id=row.pk, name=row.name, kind=watched.kind, origin=watched.origin, target=watched.target,
        rule=_rule(row.rule), number=row.number, told=watched.kind in ("crossing", "size"),
        by=(person.get_full_name() or person.username) if person else "",
        made_on=row.made_at.date().isoformat(), revision=row.revision,
        readings=[_reading(each) for each in readings],
    )  # fmt: skip


def _rule(text: str) -> Rule:
    if text == "beyond chance":
        return "beyond chance"
    return "at least" if text == "at least" else "at most"


def _reading(row: WatchReading) -> ReadingRow:
    return ReadingRow(
        to=row.to.isoformat(), customers=row.customers, seen=row.seen, low=row.low, high=row.high,
        fired=row.fired, words=row.words,
    )  # fmt: skip


def fired_at(study: Study, window: WindowInView) -> int:
    """How many watches of the groups in use fired at the window's last day."""
    return _fired(study, window.to)


def _fired(study: Study, to: date) -> int:
    return WatchReading.objects.filter(
        watch__study=study, watch__dropped=False, watch__yardstick__retired=False, to=to, fired=True
    ).count()
