"""What the Ledger shows: the waterline under the rules that are on, rules, files, the balance."""

from __future__ import annotations

import numpy as np
from django.conf import settings
from django.db.models import Q
from pydantic import BaseModel

from sortija.core.calendar import Step, date_of
from sortija.core.engine import Engine
from sortija.core.ledger.custom_rules import DATE_COLUMNS, NUMBER_COLUMNS, WORD_COLUMNS
from sortija.core.ledger.summaries import balance
from sortija.core.ledger.waterline import Waterline, waterline
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import open_jobs
from sortija.server.ledger.customers.traits import snapshots_of
from sortija.server.ledger.intake.attaching import AttachmentRow, attachments_of
from sortija.server.ledger.intake.preview import IntakeRow, intake_row
from sortija.server.ledger.models import Card, Intake
from sortija.server.ledger.rules.actions import order_lines
from sortija.server.ledger.rules.choices import OWN, RETURNS, RULES_ON, STAFF
from sortija.server.ledger.store.ledger import Ledger, Lines, ledger_of, texts
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status, waiting_for
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.trail import (
    Fact,
    Rows,
    gives_default_window,
    gives_rows,
    gives_years,
    station,
)
from sortija.server.studies.windows import WindowInView

__all__ = ["LedgerPage", "ledger_page"]

#: Days of a waterline that is drawn day by day.
DAYS_SHOWN = 92
#: More departments or shops than these are not offered for picking.
MOST_NAMES = 300
#: Lives as long as the process; kernels release the interpreter's lock.
ENGINE = Engine()


class RuleRow(BaseModel):
    """A rule: what it meets, and what it alone decides (lines that no earlier rule took).

    ``customers`` have at least one line that meets it; ``own``: made by the study's people.
    """

    key: str
    name: str
    explanation: str
    on: bool
    fixed: str
    own: bool
    lines: int
    customers: int
    money: int
    decides_lines: int
    decides_money: int


class WaterSteps(BaseModel):
    """The waterline: first day of each step since 1970-01-01 (and of the one after the last).

    ``aside_…`` by rule, in the rules' order.
    """

    step: str
    starts: list[int]
    ends: list[int]
    counted_lines: list[int]
    counted_money: list[int]
    aside_lines: list[list[int]]
    aside_money: list[list[int]]
    earlier: bool
    later: bool


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


class OwnRow(BaseModel):
    """A rule of the study's own, as it was written."""

    slot: int
    key: str
    name: str
    column: str
    words: list[str]
    low: float | None
    high: float | None
    first: str = ""
    last: str = ""


class LedgerChoices(BaseModel):
    """What is chosen beside the switches; ``revisions`` by setting, for the next change."""

    staff: StaffCards
    own: list[OwnRow]
    word_columns: list[str]
    number_columns: list[str]
    date_columns: list[str]
    returns: str
    fence: int | None
    revisions: dict[str, int]


class BalanceRow(BaseModel):
    """Where the window's counted money lies: the three parts come to the ledger's total."""

    first: str
    last: str
    ledger: int
    with_purchase: int
    without_purchase: int
    without_customer: int
    customers: int
    customers_without: int


class LedgerPage(BaseModel):
    """``names``: of departments, sites and channels, by number, for picking lines by them;
    ``attachable``: places below which logs may be attached."""

    status: Status
    revision: int
    made_from: str
    intakes: list[IntakeRow]
    attachments: list[AttachmentRow]
    attachable: list[str]
    rules: list[RuleRow]
    steps: WaterSteps | None
    lines: int
    money: int
    counted: int
    counted_total: int
    undated: int
    preview: PreviewLine | None
    names: dict[str, list[str]]
    choices: LedgerChoices | None
    balance: BalanceRow | None


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
        return Status(state="empty", words="No log has been imported yet.")
    return Status(state="whole")


def ledger_page(
    study: Study, preview: str = "", step: Step = "month", around: int | None = None,
    window: WindowInView | None = None,
) -> LedgerPage:  # fmt: skip
    """The whole station in one answer.

    ``preview``: a rule tried the other way; ``around``: a day that a waterline of days is to
    show; ``window``: the one in view, whose money is balanced.
    """
    ledger = ledger_of(study)
    rows = Intake.objects.filter(study=study).exclude(state=Intake.REMOVED)
    rows = rows.select_related("study", "original__attachment", "heads")
    # Files of an attached log stand together, but for those that somebody has to look at.
    alone = Q(original__attachment=None) | Q(state__in=(Intake.REVIEW, Intake.FAILED))
    listed = list(rows.filter(alone).order_by("id"))
    attached = attachments_of(study)
    status = _status(study, ledger)
    if ledger is not None and not ledger.built and status.state != "working":
        order_lines(ledger, None)  # a change was undone, or the files were lost
        status = _status(study, ledger)
    if ledger is None or (status.state == "working" and not ledger.built):
        return LedgerPage(
            status=status, revision=0, made_from="", intakes=[intake_row(i) for i in listed],
            rules=[], steps=None, lines=0, money=0, counted=0, counted_total=0, undated=0,
            preview=None, names={}, choices=None, balance=None, attachments=attached,
            attachable=settings.ATTACHABLE,
        )  # fmt: skip
    lines = ledger.lines()
    line = waterline(lines.cubes["day"], ledger.on, ledger.rules, step)
    shown = _shown(line, step, around)
    return LedgerPage(
        status=status,
        revision=ledger.choices.revisions[RULES_ON],
        made_from=ledger.made_from,
        intakes=[intake_row(i, lines.known.get(i.pk, 0)) for i in listed],
        attachments=attached,
        attachable=settings.ATTACHABLE,
        rules=_rules(line, lines),
        steps=_steps(line, step, shown),
        lines=line.lines,
        money=line.money,
        counted=line.counted,
        counted_total=line.counted_total,
        undated=line.undated_lines,
        preview=_preview(ledger, preview, step, shown) if preview else None,
        names={
            name: list(found[:MOST_NAMES])
            for name in ("department", "site", "channel")
            if len(found := texts(study, name)) > 1
        },
        choices=_choices(ledger, lines),
        balance=_balance(ledger, window or ledger.default_window()),
    )


def _rules(line: Waterline, lines: Lines) -> list[RuleRow]:
    def customers(bit: int) -> int:
        return int(lines.met[(lines.met[:, 0] & bit) != 0, 1].sum())

    return [
        RuleRow(
            key=t.rule.key, name=t.rule.name, explanation=t.rule.explanation, on=t.on,
            fixed=t.rule.fixed, own=t.rule.own, lines=t.lines, customers=customers(t.rule.bit),
            money=t.money, decides_lines=t.decides_lines, decides_money=t.decides_money,
        )
        for t in line.totals
    ]  # fmt: skip


def _shown(line: Waterline, step: Step, around: int | None) -> slice:
    """All steps; of days, three months about the wanted one (the last where none is wanted)."""
    count = len(line.starts)
    if step != "day" or count <= DAYS_SHOWN:
        return slice(0, count)
    place = count if around is None else int(np.searchsorted(line.starts, around)) + DAYS_SHOWN // 2
    last = min(max(place, DAYS_SHOWN), count)
    return slice(last - DAYS_SHOWN, last)


def _steps(line: Waterline, step: Step, shown: slice) -> WaterSteps:
    starts = line.starts[shown].tolist()
    return WaterSteps(
        step=step, starts=starts, ends=line.ends[shown].tolist(),
        counted_lines=line.counted_lines[shown].tolist(),
        counted_money=line.counted_money[shown].tolist(),
        aside_lines=line.aside_lines[:, shown].tolist(),
        aside_money=line.aside_money[:, shown].tolist(),
        earlier=shown.start > 0, later=shown.stop < len(line.starts),
    )  # fmt: skip


def _preview(ledger: Ledger, key: str, step: Step, shown: slice) -> PreviewLine | None:
    """Nothing for a rule that is not there: somebody may just have dropped it."""
    if key not in {rule.key for rule in ledger.rules}:
        return None
    cube = ledger.lines().cubes["day"]
    other = waterline(cube, set(ledger.on) ^ {key}, ledger.rules, step)
    return PreviewLine(
        rule=key,
        counted_lines=other.counted_lines[shown].tolist(),
        counted_money=other.counted_money[shown].tolist(),
        counted=other.counted,
        counted_total=other.counted_total,
    )


def _choices(ledger: Ledger, lines: Lines) -> LedgerChoices:
    choices = ledger.choices
    meant, some = lines.staff
    codes = Card.objects.filter(study=ledger.study, number__in=some).order_by("number")
    return LedgerChoices(
        staff=StaffCards(
            patterns=list(choices.staff), cards=meant,
            examples=list(codes.values_list("code", flat=True)),
        ),
        own=[OwnRow(key=own.rule.key, **own.to_json()) for own in choices.own],
        word_columns=list(WORD_COLUMNS),
        number_columns=list(NUMBER_COLUMNS),
        date_columns=list(DATE_COLUMNS),
        returns=choices.returns,
        fence=round(lines.fence) if np.isfinite(lines.fence) else None,
        revisions={
            name: choices.revisions[key]
            for name, key in (("staff", STAFF), ("own", OWN), ("returns", RETURNS))
        },
    )  # fmt: skip


def _balance(ledger: Ledger, window: WindowInView | None) -> BalanceRow | None:
    if window is None:
        return None
    return _balanced(Keyed((ledger.made_from, window.key), (ledger, window)))


@remembered
def _balanced(keyed: Keyed[tuple[Ledger, WindowInView]]) -> BalanceRow:
    ledger, window = keyed.value
    log, asked = ledger.lines().log, window.window
    first = min(asked.first_day(max(ledger.first_day(), 0)), asked.as_of)
    told = balance(log, ledger.mask, first, asked.as_of, ENGINE)
    return BalanceRow(
        first=date_of(first).isoformat(), last=asked.last_day.isoformat(),
        ledger=told.ledger, with_purchase=told.with_purchase,
        without_purchase=told.without_purchase, without_customer=told.without_customer,
        customers=told.customers, customers_without=told.customers_without,
    )  # fmt: skip


@gives_default_window
def _default_window(study: Study) -> WindowInView | None:
    ledger = ledger_of(study)
    if ledger is None:
        # Without a log the newest customer table says what there is, and when.
        tables = [s.day for s in snapshots_of(study)]
        return WindowInView(max(tables), "all") if tables else None
    if not ledger.built and not open_jobs(study.pk, ORDERING):
        order_lines(ledger, None)  # another version of Sortija orders them otherwise
    return ledger.default_window()


@gives_rows
def _rows_of(study: Study) -> Rows:
    """Customers where a log tells of them, else what the newest table calls its rows."""
    if ledger_of(study) is not None:
        return Rows()
    tables = [s.intake for s in snapshots_of(study) if s.intake.role == Intake.MEMBERS]
    told = tables[-1].mapping if tables else {}
    return Rows(told.get("unit") or Rows().one, told.get("units") or Rows().many, has_log=False)


@gives_years
def _years(study: Study) -> list[int]:
    ledger = ledger_of(study)
    last = ledger.last_day() if ledger else None
    if ledger is None or last is None:
        return []
    first = date_of(ledger.first_day())
    begins = first.year if (first.month, first.day) <= (1, 7) else first.year + 1
    ends = last.year if (last.month, last.day) == (12, 31) else last.year - 1
    return list(range(ends, begins - 1, -1))


@station("ledger", 1, "Ledger")
def _fact(study: Study, window: WindowInView | None) -> Fact:
    jobs = open_jobs(study.pk, ORDERING)
    if jobs:
        job: Job = jobs[0]
        return Fact("working", f"{job.done:,} of {job.of:,} lines" if job.of else job.words)
    ledger = ledger_of(study)
    if ledger is None:
        failed = Intake.objects.filter(study=study, state=Intake.FAILED).exists()
        if failed:
            return Fact("failed", "a file failed")
        tables = [s.intake for s in snapshots_of(study) if s.intake.role == Intake.MEMBERS]
        if not tables:
            return Fact("not yet", "needs a log")
        most = max(table.came.customers for table in tables)
        return Fact("current", f"{most:,} {_rows_of(study).many}, no log")
    if not ledger.built:
        return Fact("working", "ordering lines")
    line = waterline(ledger.lines().cubes["day"], ledger.on, ledger.rules)
    share = 100 * (line.lines - line.counted) / max(line.lines, 1)
    return Fact("current", f"{line.counted:,} lines, {share:.1f}% aside")
