"""``sortija derive``: one row per customer from transaction logs."""

from __future__ import annotations

import argparse
import json
import sys
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.cli.engines import engine_for
from sortija.cli.files import ENDINGS, check_out, write_table, write_whole
from sortija.cli.log_options import a_day, add_log_options, months_back, names_of, read_ledger
from sortija.cli.logs import Ledger, Members
from sortija.cli.terminal import Trouble, Watch
from sortija.core.calendar import date_of
from sortija.core.formats.measures import KEY, whole_ids
from sortija.core.ledger.cube import Cube
from sortija.core.ledger.log import Log
from sortija.core.ledger.rules import default_rules, mask_of
from sortija.core.ledger.waterline import Waterline, waterline
from sortija.core.measures.derive import Derived, derive
from sortija.core.measures.window import Window
from sortija.core.table import Column

__all__ = ["add_to", "columns_in_files"]

FIRST = (
    "recency", "frequency", "monetary", "tenure", "silence", "basket_mean", "basket_median",
    "gap_mean", "gap_cv", "breadth",
)  # fmt: skip
_EXAMPLES = """\
examples:
  sortija derive till.csv
      one row per customer on the screen, as of the log's last day, looking back 12 months
  sortija derive 2025.csv.gz 2026.parquet --members members.xlsx --out measures.parquet
      two logs and a table of customers, into a Parquet file
  sortija derive till.csv --as-of 2026-03-31 --window all --report report.json
      as it stood on 31 March, over the whole log; what was set aside goes to a file
  sortija derive lines.csv --heads receipts.csv
      lines in one file, their receipts with date and customer in another
  sortija derive export.csv --customer CUST_NO --when BOOKED --month-first
      where a guess is wrong, say which column it is
"""


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "derive", help="one row per customer from transaction logs",
        description="Derive recency, frequency, monetary and more from transaction logs: "
        "CSV, XLSX, Parquet or JSON Lines, packed or not. What was set aside is told on "
        "standard error.",
        epilog=_EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    parser.add_argument("logs", nargs="+", type=Path, metavar="LOG")
    add_log_options(parser)
    parser.add_argument("--as-of", type=a_day, metavar="DATE", help="the last day included")
    back = parser.add_mutually_exclusive_group()
    back.add_argument("--window", type=months_back, default=12, metavar="12m|all",
                      help="how far to look back (12m)")  # fmt: skip
    back.add_argument("--since", type=a_day, metavar="DATE", help="look back to this day instead")
    parser.add_argument("--out", type=Path, metavar="FILE", help=ENDINGS)
    parser.add_argument("--report", type=Path, metavar="FILE", help="what was set aside, as JSON")
    parser.set_defaults(run=run)


def run(asked: argparse.Namespace) -> None:
    """Read, derive, write; nothing is written before all of it is there."""
    check_out(asked.out)
    watch = Watch()
    ledger, members = read_ledger(asked, asked.logs, watch)
    on = default_rules()
    mask = mask_of(on)
    newest = ledger.log.last_day(mask)
    if newest < 0:
        raise Trouble("No line counts: see --report for what was set aside and why.")
    window = _window(asked, date_of(newest))
    names = names_of(ledger)
    engine = engine_for(watch)
    try:
        derived = derive(
            ledger.log, window, mask, ledger.scale, names,
            members.joined if members else None, engine, watch,
        )  # fmt: skip
    finally:
        engine.release()
    watch.clear()
    table = measures_table(ledger, derived, members)
    write_table(table, asked.out)
    line = waterline(_cube(ledger.log), on)
    _say(ledger, derived, line, window)
    if asked.report:
        report = _report(ledger, derived, members, line, window)
        write_whole(asked.report, json.dumps(report, indent=1, ensure_ascii=False).encode())


def _window(asked: argparse.Namespace, newest: date) -> Window:
    last = asked.as_of or newest
    if asked.since is None:
        return Window(last, asked.window)
    if asked.since > last:
        words = f"--since {asked.since} comes after the last day included, {last}."
        raise Trouble(f"{words} Take an earlier day, or a later --as-of.")
    return Window(last, None, asked.since)


def _said_back(window: Window) -> str:
    if window.since is not None:
        return f"the days from {window.since:%d %b %Y}"
    return "the whole log" if window.months is None else f"{window.months} months"


def _cube(log: Log) -> Cube:
    step = 1 << 20
    parts = [slice(first, first + step) for first in range(0, len(log), step)]
    return Cube.merge([Cube.of(log.day[p], log.bits[p], log.money[p]) for p in parts])


def measures_table(ledger: Ledger, derived: Derived, members: Members | None) -> pa.Table:
    """One row per customer with a purchase in the window, in order of arrival."""
    rows = np.flatnonzero(derived.present)
    names = pa.array(ledger.reader.cards.texts, pa.string())
    out: dict[str, pa.Array] = {"customer": whole_ids(names.take(pa.array(rows)))}
    for name, column in columns_in_files(derived, members).items():
        about = derived.about.get(column.name)
        out[name] = _cells(column, rows, bool(about and about.whole))
    return pa.table(out)


def columns_in_files(derived: Derived, members: Members | None) -> dict[str, Column]:
    """The columns that a file of measures has, under their names there, beside the key."""
    shares = [c for c in derived.table if c.name.startswith("share_department_")]
    chosen: list[tuple[str, Column]] = [
        *((name, _column(derived, name)) for name in FIRST),
        *((c.name.replace("share_department_", "share_"), c) for c in shares),
        ("trend", _column(derived, "trend")),
        *((name, derived.table[name]) for name in ("on_offer",) if name in derived.table),
        *((c.name.removeprefix("trait:"), c) for c in (members.traits if members else ())),
    ]
    out: dict[str, Column] = {}
    for name, column in chosen:
        free = name if name != KEY and name not in out else f"{name}_2"
        out[free] = column
    return out


def _column(derived: Derived, name: str) -> Column:
    """A measure; one that this log cannot give (breadth without departments) has no values."""
    if name in derived.table:
        return derived.table[name]
    return Column(name, "number", np.full(len(derived.present), np.nan))


def _cells(column: Column, rows: NDArray[np.int64], whole: bool) -> pa.Array:
    """A column's cells; its type hangs on what it is, never on the values that it happens to have.

    ``whole``: its values are whole numbers by definition.
    """
    values = np.asarray(column.values)[rows]
    missing = column.missing[rows]
    if column.kind == "category":
        levels = pa.array(["", *column.levels], pa.string())
        return levels.take(pa.array(values, mask=missing))
    if column.unit == "date":
        return pa.array(np.nan_to_num(values).astype(np.int32), pa.int32(), mask=missing).cast(
            pa.date32()
        )
    if whole:
        return pa.array(np.nan_to_num(values).astype(np.int64), mask=missing)
    return pa.array(values, mask=missing)


def _money(ledger: Ledger, value: int) -> str:
    return f"{value / 10**ledger.scale:,.{ledger.scale}f}"


def _say(ledger: Ledger, derived: Derived, line: Waterline, window: Window) -> None:
    """What came of it, for a person to read."""
    say = [
        f"{line.lines:,} lines read, {line.counted:,} count: {_money(ledger, line.counted_total)}."
    ]
    for total in line.totals:
        if total.on and total.decides_lines:
            money = _money(ledger, total.decides_money)
            say.append(f"  set aside: {total.decides_lines:>9,}  {total.rule.name} ({money})")
    for file in ledger.files:
        for cell in file["unread"][:3]:
            where = f"{file['file']}, row {cell['row']}, column {cell['column']}"
            say.append(f"  cannot be read: {where}: “{cell['text']}”")
        if file["ragged"]:
            say.append(f"  {file['file']}: {file['ragged']:,} rows had too many or too few cells")
        say += [f"  {file['file']}: {note}" for note in file["notes"]]
    say.append(
        f"{int(derived.present.sum()):,} customers with a purchase in {_said_back(window)} to "
        f"{window.last_day:%d %b %Y}, that day included."
    )
    print("\n".join(say), file=sys.stderr)


def _report(
    ledger: Ledger, derived: Derived, members: Members | None, line: Waterline, window: Window
) -> dict[str, Any]:
    """The same for a machine; money in major units."""
    major = 10**ledger.scale
    balance = derived.reconciliation
    return {
        "as_of": window.last_day.isoformat(),
        "window": "all" if window.months is None else f"{window.months}m",
        "since": window.since.isoformat() if window.since else None,
        "files": list(ledger.files),
        "members": members.file if members else None,
        "lines": line.lines,
        "counted": {"lines": line.counted, "money": line.counted_total / major},
        "rules": [
            {
                "key": t.rule.key, "name": t.rule.name, "on": t.on,
                "meets": {"lines": t.lines, "money": t.money / major},
                "set_aside": {"lines": t.decides_lines, "money": t.decides_money / major},
            }
            for t in line.totals
        ],
        "customers": {
            "with_purchase": int(derived.present.sum()),
            "without": int((derived.known & ~derived.present).sum()),
        },
        "reconciliation": {
            "ledger": balance.ledger / major, "table": balance.table / major,
            "without_purchase": balance.without_purchase / major,
            "without_customer": balance.without_customer / major,
        },
    }  # fmt: skip
