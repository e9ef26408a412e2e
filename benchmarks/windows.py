"""Series of windows, expected visits, formulas: on columns in memory."""

from __future__ import annotations

import statistics
from dataclasses import replace

import numpy as np

from benchmarks.measures import CUSTOMERS, LAST, LINES, _draw, _log
from benchmarks.support import Row, interleave, timed
from sortija.core.calendar import day_number
from sortija.core.engine import Engine, memory
from sortija.core.ledger.log import Log, order_lines
from sortija.core.measures.derive import Names, derive, derive_series, windows_at_once
from sortija.core.measures.expected import (
    WEEK,
    chance_active,
    expected_visits,
    fit_expected,
    rhythm_of,
)
from sortija.core.measures.formula import evaluate, parse, unit_of
from sortija.core.measures.window import Window, series_of

MANY = 1_000_000
TIMES = 5
#: One round of a series in a dozen is a fifth off on a shared machine; the middle of many is not.
ROUNDS = 25


def _series(engine: Engine) -> Row:
    """Twelve monthly windows, told without shares, against one window with everything."""
    log = _log(_draw())
    names = Names(tuple(f"Department {n}" for n in range(10)), ("till", "web"))
    windows = series_of(Window(LAST), "month", 12)
    lean = replace(names, shares=False)
    twelve, one = interleave(
        lambda: derive_series(log, windows, 0, 2, lean, engine=engine),
        lambda: derive(log, Window(LAST), 0, 2, names, engine=engine),
        times=ROUNDS,
    )
    ratio = twelve / one
    return Row(
        f"twelve monthly windows, {LINES // 10**6}M lines, {CUSTOMERS // 1000}k customers",
        f"{1e3 * twelve:.0f} ms", f"one window {1e3 * one:.0f} ms", ratio, "at most 2.5",
        ratio <= 2.5,
    )  # fmt: skip


def _dates(engine: Engine) -> Row:
    """24 monthly dates with every measure, in as many passes as a million customers take."""
    log = _log(_draw())
    names = Names(tuple(f"Department {n}" for n in range(10)), ("till", "web"))
    windows = series_of(Window(LAST), "month", 24)
    many = windows_at_once(MANY)

    def every() -> None:
        for first in range(0, len(windows), many):
            derive_series(log, windows[first : first + many], 0, 2, names, engine=engine)

    dates, one = interleave(
        every, lambda: derive(log, Window(LAST), 0, 2, names, engine=engine), times=TIMES
    )
    ratio = dates / one
    return Row(
        f"24 monthly dates, {many} a pass, {LINES // 10**6}M lines, {CUSTOMERS // 1000}k customers",
        f"{1e3 * dates:.0f} ms", f"one date {1e3 * one:.0f} ms", ratio, "at most 12", ratio <= 12,
    )  # fmt: skip


def _visits() -> Log:
    """A million customers who come at random, 30 months long."""
    rng = np.random.default_rng(11)
    customer = rng.choice(MANY, 6 * MANY, p=_rates(rng)).astype(np.int32)
    day = (day_number(LAST) - rng.integers(0, 900, len(customer))).astype(np.int32)
    number = np.arange(len(customer)).astype(np.uint64)
    order, start = order_lines(customer, day, number, MANY)
    one, small = np.ones(len(day), np.int64), np.zeros(len(day), np.int16)
    none = np.zeros(len(day), np.int32)
    return Log(start, day[order], number, one * 1000, one * 900, none.astype(np.int8), small, small,
               small, none)  # fmt: skip


def _rates(rng: np.random.Generator) -> np.ndarray:
    rates = rng.gamma(0.8, 1, MANY)
    return rates / rates.sum()


def _expected(engine: Engine) -> Row:
    log, as_of = _visits(), Window(LAST).as_of

    def whole() -> None:
        found = rhythm_of(log, 0, as_of, engine)
        model = fit_expected(found, engine)
        assert model is not None
        expected_visits(model, found, 92 / WEEK, engine)
        chance_active(model, found)

    whole()
    seconds = statistics.median(timed(whole) for _ in range(TIMES))
    return Row("expected visits of 1M customers: fitted and told", f"{seconds:.1f} s", "20 s",
               seconds / 20, "at most 1", seconds <= 20)  # fmt: skip


def _formula(engine: Engine) -> Row:
    rng = np.random.default_rng(2)
    columns = {name: rng.gamma(1, 50, MANY) for name in ("monetary", "frequency", "recency")}
    units = {"monetary": "money", "frequency": "visits", "recency": "days"}
    text = "if(recency > 90 and frequency >= 2, monetary / frequency, monetary * 2 / frequency)"
    formula = parse(text, {name: unit_of(unit) for name, unit in units.items()})
    evaluate(formula, columns, engine)
    seconds = statistics.median(timed(lambda: evaluate(formula, columns, engine)) for _ in range(7))
    return Row("a formula of eight signs over 1M customers", f"{1e3 * seconds:.0f} ms", "100 ms",
               seconds / 0.1, "at most 1", seconds <= 0.1)  # fmt: skip


def run() -> list[Row]:
    """The rows of the table."""
    memory.keep()  # as workers do
    engine = Engine()
    try:
        return [_series(engine), _dates(engine), _expected(engine), _formula(engine)]
    finally:
        engine.release()
