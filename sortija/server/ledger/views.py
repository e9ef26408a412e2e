"""What the Ledger shows: the waterline under the rules that are on, and the lines behind it."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.formats.lists import csv_lines
from sortija.core.ledger.lines import KINDS, month_of
from sortija.core.ledger.rules import RULES, Waterline, deciding_rule, staff_cards, waterline
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import open_jobs
from sortija.server.ledger.actions import order_lines
from sortija.server.ledger.ledger import Ledger, Lines, ledger_of, texts
from sortija.server.ledger.models import Card, Code, Intake, Line, UnreadCell
from sortija.server.ledger.preview import IntakeRow, intake_row
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.keyed import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.stations import Fact, gives_default_window, station
from sortija.server.studies.windows import WindowInView

__all__ = ["LedgerPage", "LinesPage", "ledger_page", "lines_page"]

PAGE_LINES = 100


class RuleRow(BaseModel):
    """A rule: what it meets, and what it alone decides (lines that no earlier rule took)."""

    key: str
    name: str
    explanation: str
    on: bool
    fixed: str
    lines: int
    money: int
    decides_lines: int
    decides_money: int


class MonthRows(BaseModel):
    """The waterline: months since 1970-01; ``aside_…`` by rule, in the rules' order."""

    months: list[int]
    counted_lines: list[int]
    counted_money: list[int]
    aside_lines: list[list[int]]
    aside_money: list[list[int]]


class PreviewLine(BaseModel):
    """The waterline with one rule switched the other way."""

    rule: str
    counted_lines: list[int]
    counted_money: list[int]
    counted: int
    counted_total: int


class StaffCards(BaseModel):
    """Codes and patterns of staff and test cards, how many cards they mean, and some of those."""

    patterns: list[str]
    cards: int
    examples: list[str]
    revision: int


class LedgerPage(BaseModel):
    status: Status
    revision: int
    made_from: str
    intakes: list[IntakeRow]
    rules: list[RuleRow]
    months: MonthRows | None
    lines: int
    money: int
    counted: int
    counted_total: int
    undated: int
    preview: PreviewLine | None
    staff: StaffCards | None


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


#: Jobs after which the lines stand in another order.
ORDERING = ("ledger.intake", "ledger.order")


def _status(study: Study, ledger: Ledger | None) -> Status:
    jobs = open_jobs(study.pk, ORDERING)
    if jobs:
        return waiting_for(jobs[0])
    if ledger is None:
        failed = Intake.objects.filter(study=study, state=Intake.FAILED).order_by("-id").first()
        if failed:
            return Status(state="failed", words=f"{failed.original.name}: {failed.error}")
        return Status(state="empty", words="No log has come in yet.")
    return Status(state="whole")


def ledger_page(study: Study, preview: str) -> LedgerPage:
    """The whole station in one answer."""
    ledger = ledger_of(study)
    rows = Intake.objects.filter(study=study).exclude(state=Intake.TAKEN_BACK)
    intakes = [intake_row(i) for i in rows.select_related("study", "original").order_by("id")]
    status = _status(study, ledger)
    if ledger is None or (status.state == "working" and not ledger.built):
        return LedgerPage(
            status=status, revision=0, made_from="", intakes=intakes, rules=[], months=None,
            lines=0, money=0, counted=0, counted_total=0, undated=0, preview=None, staff=None,
        )  # fmt: skip
    cube = ledger.lines().cube
    line = waterline(cube, ledger.on)
    tried = None
    if preview:
        tried = _preview(ledger, preview)
    return LedgerPage(
        status=status,
        revision=ledger.rules_revision,
        made_from=ledger.made_from,
        intakes=intakes,
        rules=[
            RuleRow(
                key=t.rule.key,
                name=t.rule.name,
                explanation=t.rule.explanation,
                on=t.on,
                fixed=t.rule.fixed,
                lines=t.lines,
                money=t.money,
                decides_lines=t.decides_lines,
                decides_money=t.decides_money,
            )
            for t in line.totals
        ],
        months=_months(line),
        lines=line.lines,
        money=line.money,
        counted=line.counted,
        counted_total=line.counted_total,
        undated=line.undated_lines,
        preview=tried,
        staff=_staff(ledger),
    )


def _staff(ledger: Ledger) -> StaffCards:
    meant = _meant(Keyed((ledger.study.pk, ledger.customers, ledger.staff), ledger))
    return StaffCards(
        patterns=list(ledger.staff), cards=len(meant), examples=list(meant[:5]),
        revision=ledger.staff_revision,
    )  # fmt: skip


@lru_cache(maxsize=8)
def _meant(keyed: Keyed[Ledger]) -> tuple[str, ...]:
    """Codes of the cards that are staff's or a test's."""
    ledger = keyed.value
    codes = list(
        Card.objects.filter(study=ledger.study).order_by("number").values_list("code", flat=True)
    )
    return tuple(codes[n] for n in np.flatnonzero(staff_cards(codes, ledger.staff)))


def _months(line: Waterline) -> MonthRows:
    return MonthRows(
        months=line.months.tolist(),
        counted_lines=line.counted_lines.tolist(),
        counted_money=line.counted_money.tolist(),
        aside_lines=line.aside_lines.tolist(),
        aside_money=line.aside_money.tolist(),
    )


def _preview(ledger: Ledger, key: str) -> PreviewLine:
    if key not in {rule.key for rule in RULES}:
        raise Problem(f"There is no rule called {key}.", 404)
    other = waterline(ledger.lines().cube, set(ledger.on) ^ {key})
    return PreviewLine(
        rule=key,
        counted_lines=other.counted_lines.tolist(),
        counted_money=other.counted_money.tolist(),
        counted=other.counted,
        counted_total=other.counted_total,
    )


@lru_cache(maxsize=8)
def _places(keyed: Keyed[Ledger], month: int | None, rule: str) -> NDArray[np.int64]:
    """Places of the wanted lines in the ordered log, newest first."""
    ledger = keyed.value
    lines = ledger.lines()
    decides = deciding_rule(lines.log.bits, ledger.mask)
    if rule == "counted":
        wanted = decides < 0
    elif rule:
        number = next((n for n, r in enumerate(RULES) if r.key == rule), None)
        if number is None:
            raise Problem(f"There is no rule called {rule}.", 404)
        # A rule that is off decides nothing; then the lines that meet it are shown.
        on = bool(RULES[number].bit & ledger.mask)
        wanted = decides == number if on else (lines.log.bits & RULES[number].bit) != 0
    else:
        wanted = np.ones(len(lines.log), np.bool_)
    if month is not None:
        wanted &= month_of(lines.log.day) == month
    found = np.flatnonzero(wanted)
    order = np.lexsort((-lines.number[found], -lines.log.day[found].astype(np.int64)))
    return found[order]


def lines_page(study: Study, month: int | None, rule: str, after: int) -> LinesPage:
    """A hundred lines of a month and rule, newest first, each with its reasons."""
    ledger = ledger_of(study)
    if ledger is None or not ledger.built:
        return LinesPage(lines=[], total=0, after=0)
    places = _places(Keyed(ledger.made_from, ledger), month, rule)
    page = places[after : after + PAGE_LINES]
    return LinesPage(lines=_rows(study, ledger.lines(), page), total=len(places), after=after)


_BLOCK = 5_000
_NAMES = {rule.key: rule.name for rule in RULES}


def lines_file(study: Study, month: int | None, rule: str) -> tuple[int, Iterator[str]]:
    """How many lines of a month and rule there are, and all of them as CSV with their reasons."""
    ledger = ledger_of(study)
    if ledger is None or not ledger.built:
        raise Problem("There are no lines yet. Bring in a log first.")
    places = _places(Keyed(ledger.made_from, ledger), month, rule)
    head = [
        "file", "row", "date", "time", "customer", "site", "channel", "item", "department",
        "quantity", "amount", "kind", "does not count", "as written",
    ]  # fmt: skip
    files = {intake.pk: intake.original.name for intake in ledger.intakes}
    on = set(ledger.on) | {r.key for r in RULES if r.fixed}

    def rows() -> Iterator[list[object]]:
        for start in range(0, len(places), _BLOCK):
            for row in _rows(study, ledger.lines(), places[start : start + _BLOCK]):
                why = "; ".join(_NAMES[key] for key in row.reasons if key in on)
                unread = "; ".join(f"{role}: {text}" for role, text in row.unread.items())
                yield [
                    files[row.intake], row.number, row.day, row.time, row.card, row.site,
                    row.channel, row.item, row.department, row.quantity,
                    round(row.money / 10**study.scale, study.scale), row.kind, why, unread,
                ]  # fmt: skip

    return len(places), csv_lines(head, rows())


def _rows(study: Study, lines: Lines, places: NDArray[np.int64]) -> list[LineRow]:
    keys = [(int(lines.intake[p]), int(lines.number[p])) for p in places]
    found = {
        (r.intake_id, r.number): r
        for intake in {k[0] for k in keys}
        for r in Line.objects.filter(
            intake_id=intake, number__in=[n for i, n in keys if i == intake]
        )
    }
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
        row, bits = found[key], int(lines.log.bits[place])
        dated = row.day.year >= 1970
        out.append(
            LineRow(
                intake=key[0],
                number=key[1],
                day=row.day.isoformat() if dated else "",
                time=f"{row.second // 3600:02d}:{row.second % 3600 // 60:02d}" if dated else "",
                card=cards.get(row.card, ""),
                customer=row.card if row.card >= 0 else None,
                receipt=f"{row.receipt & 0xFFFFFFFF:08x}",
                site=names["site"][row.site],
                channel=names["channel"][row.channel],
                item=items.get(row.item, ""),
                department=names["department"][row.department],
                quantity=row.quantity / 1000,
                money=row.money,
                kind=KINDS[row.kind],
                reasons=[rule.key for rule in RULES if rule.bit & bits],
                unread=unread.get(key, {}),
            )
        )
    return out


@gives_default_window
def _default_window(study: Study) -> WindowInView | None:
    ledger = ledger_of(study)
    if ledger is None:
        return None
    if not ledger.built and not open_jobs(study.pk, ORDERING):
        order_lines(ledger, None)  # another version of Sortija orders them otherwise
    return ledger.default_window()


@station("ledger", 1, "Ledger")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    jobs = open_jobs(study.pk, ORDERING)
    if jobs:
        job: Job = jobs[0]
        return Fact("working", f"{job.done:,} of {job.of:,} lines" if job.of else job.words)
    ledger = ledger_of(study)
    if ledger is None:
        failed = Intake.objects.filter(study=study, state=Intake.FAILED).exists()
        return Fact("failed", "a file failed") if failed else Fact("not yet", "needs a log")
    if not ledger.built:
        return Fact("working", "ordering lines")
    line = waterline(ledger.lines().cube, ledger.on)
    share = 100 * (line.lines - line.counted) / max(line.lines, 1)
    return Fact("current", f"{line.counted:,} lines, {share:.1f}% aside")
