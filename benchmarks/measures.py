"""Measures of 5M lines and 400k customers against PyArrow reading the same log as CSV."""

from __future__ import annotations

import tempfile
from datetime import date
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv

from benchmarks.support import Row, interleave
from sortija.core.calendar import day_number
from sortija.core.engine import Engine
from sortija.core.ledger.log import Log, order_lines
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.window import Window

LINES, CUSTOMERS = 5_000_000, 400_000
LAST = date(2026, 6, 30)


def _draw() -> dict[str, np.ndarray]:
    rng = np.random.default_rng(3)
    receipts = LINES // 2
    customer = rng.integers(0, CUSTOMERS, receipts)
    day = day_number(LAST) - rng.integers(0, 900, receipts)
    of = np.sort(rng.integers(0, receipts, LINES))
    return {
        "receipt": of, "customer": customer[of].astype(np.int32), "day": day[of].astype(np.int32),
        "department": rng.integers(0, 10, LINES).astype(np.int16),
        "channel": rng.integers(0, 2, LINES).astype(np.int16),
        "quantity": rng.integers(1, 4, LINES), "money": rng.integers(100, 9000, LINES),
    }  # fmt: skip


def _log(drawn: dict[str, np.ndarray]) -> Log:
    receipt = drawn["receipt"].astype(np.uint64)
    order, start = order_lines(drawn["customer"], drawn["day"], receipt, CUSTOMERS)
    return Log(
        start, drawn["day"][order], receipt[order], drawn["quantity"][order] * 1000,
        drawn["money"][order], np.zeros(LINES, np.int8), drawn["department"][order],
        np.zeros(LINES, np.int16), drawn["channel"][order], np.zeros(LINES, np.int32),
    )  # fmt: skip


def _write(drawn: dict[str, np.ndarray], path: Path) -> None:
    """The same log as Marrowmere's tills export theirs: twelve columns of text."""

    def named(prefix: str, numbers: np.ndarray) -> pa.Array:
        return pc.binary_join_element_wise(prefix, pc.cast(pa.array(numbers), pa.string()), "")

    days = pa.array(drawn["day"].astype("M8[D]").astype("M8[s]"))
    item = drawn["receipt"] % 80
    columns = {
        "receipt": named("R", drawn["receipt"]),
        "card": named("M-", drawn["customer"]),
        "sold_at": pc.strftime(days, format="%d/%m/%Y %H:%M"),
        "site": named("Nursery ", drawn["receipt"] % 6),
        "till": pa.array(np.where(drawn["channel"] == 1, "web", "till")),
        "item": named("0", item + 1000),
        "item_name": named("Article ", item),
        "department": named("Department ", drawn["department"]),
        "qty": drawn["quantity"],
        "unit_price": drawn["money"] / 100,
        "total": drawn["money"] / 100,
        "kind": pa.array(np.full(LINES, "sale")),
    }
    pacsv.write_csv(pa.table(columns), path)


def run() -> list[Row]:
    """The row of the table."""
    drawn = _draw()
    log = _log(drawn)
    names = Names(tuple(f"Department {n}" for n in range(10)), ("till", "web"))
    engine = Engine()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "log.csv"
        _write(drawn, path)
        mine, theirs = interleave(
            lambda: derive(log, Window(LAST), 0, 2, names, engine=engine),
            lambda: pacsv.read_csv(path),
        )
    engine.release()
    ratio = mine / theirs
    return [
        Row("measures of 5M lines, 400k customers, from columns in memory", f"{1e3 * mine:.0f} ms",
            f"PyArrow reads the CSV in {1e3 * theirs:.0f} ms", ratio, "at most 0.25", ratio <= 0.25)
    ]  # fmt: skip
