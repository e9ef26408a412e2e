"""``sortija cross``: who went from which segment to which, and how much of it is chance."""

from __future__ import annotations

import argparse
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.cli.cross_logs import LogsCrossed, cross_logs
from sortija.cli.cross_tables import Crossed, cross_tables
from sortija.cli.files import ENDINGS, check_out, open_measures, write_table
from sortija.cli.log_options import a_day, add_log_options, months_back
from sortija.cli.terminal import Trouble, Watch, columns
from sortija.core.calendar import months_before
from sortija.core.crossings.chance import Chance
from sortija.core.crossings.sizes import SizesTest, sizes_changed
from sortija.core.formats.measures import KEY

__all__ = ["add_to"]

_MOST_DRAWS = 1000
_EXAMPLES = """\
examples:
  sortija cross june-2025.csv june-2026.csv
      two tables that sortija place wrote: who went from which segment to which
  sortija cross june-2025.csv june-2026.csv --money monetary --known first.csv \\
          --before-date 2025-06-30 --after-date 2026-06-30 --json
      with the money on either side; first.csv says since when each customer is known
  sortija cross till.csv --recipe segments.json --before 2025-06-30 --after 2026-06-30
      both dates derived from a log and placed by a recipe of sortija group
  sortija cross till.csv --recipe segments.json --before 2025-06-30 --after 2026-06-30 \\
          --chance 60 --customers who.csv
      and told from what chance alone would have moved; who.csv says of each customer how likely
      it is that it has changed

Most moves are chance: of customers whose rates never change a third to two thirds stand in another
segment a year later. Without --chance a count of moves says little of customers.
"""


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "cross", help="who moved between segments, and how much of it is chance",
        description="Cross two dates: either two tables of placed customers (the column customer "
        "as key), or transaction logs with a recipe, both dates derived and placed.",
        epilog=_EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    add = parser.add_argument
    add("files", nargs="+", type=Path, metavar="BEFORE AFTER | LOG")
    add("--json", action="store_true", help="figures as JSON on standard output")
    tables = parser.add_argument_group("two tables").add_argument
    tables("--segment", default="segment", metavar="COLUMN", help="the segment (segment)")
    tables("--margin", metavar="COLUMN", help="the margin: 0 on the border (margin, if there)")
    tables("--money", metavar="COLUMN", help="money on either side (monetary, if there)")
    tables("--before-date", type=a_day, metavar="DATE", help="the last day of BEFORE's window")
    tables("--after-date", type=a_day, metavar="DATE", help="the last day of AFTER's window")
    tables("--known", type=Path, metavar="FILE", help="since when each customer is known")
    logs = parser.add_argument_group("logs").add_argument
    logs("--recipe", type=Path, metavar="FILE", help="what sortija group has frozen")
    logs("--before", type=a_day, metavar="DATE", help="the last day of the earlier window")
    logs("--after", type=a_day, metavar="DATE", help="the last day of the later window")
    logs("--window", type=months_back, default=12, metavar="12m|all", help="how far to look back")
    logs("--chance", type=_draws, nargs="?", const=60, default=0, metavar="60",
         help="so many draws of what chance alone moves")  # fmt: skip
    logs("--customers", type=Path, metavar="FILE",
         help=f"customer, before, after, p, changed; {ENDINGS}")  # fmt: skip
    add_log_options(parser)
    parser.set_defaults(run=run)


def _draws(text: str) -> int:
    if not text.isdigit() or not 20 <= int(text) <= _MOST_DRAWS:
        raise argparse.ArgumentTypeError(f"{text} is no number of draws from 20 to {_MOST_DRAWS}")
    return int(text)


def run(asked: argparse.Namespace) -> None:
    """Cross what was given, tell it, write who went where."""
    check_out(asked.customers)
    if asked.recipe is None:
        _tell(asked, _tables(asked), None)
        return
    if asked.before is None or asked.after is None:
        raise Trouble("--recipe wants --before and --after: the last days of both windows.")
    found = cross_logs(asked, asked.files, Watch())
    if asked.customers:
        write_table(_who(found), asked.customers)
    _tell(asked, _of(found.crossed, found.known), found)


def _tables(asked: argparse.Namespace) -> Crossed:
    if len(asked.files) != 2:
        raise Trouble(
            f"{len(asked.files)} files: name two tables, the earlier one first, or a log with "
            "--recipe."
        )
    for name in ("chance", "customers", "before", "after"):
        if getattr(asked, name):
            raise Trouble(
                f"--{name} wants logs and --recipe: two tables do not say on which days customers "
                "came."
            )
    return cross_tables(asked, [open_measures(path) for path in asked.files])


def _of(crossed: Crossed, rows: NDArray[np.int64]) -> Crossed:
    """Some of the customers."""
    money, border = crossed.money, crossed.border
    return replace(
        crossed, before=crossed.before[rows], after=crossed.after[rows],
        money=None if money is None else (money[0][rows], money[1][rows]),
        border=None if border is None else border[rows],
    )  # fmt: skip


def _who(found: LogsCrossed) -> pa.Table:
    """One row per customer who is known at the later date."""
    rows, names = found.known, pa.array(found.crossed.states, pa.string())

    def states(state: NDArray[np.int32]) -> pa.Array:
        return names.take(pa.array(state[rows]))

    none = np.full(len(found.crossed.before), np.nan)
    p, changed = (found.chance.p, found.chance.changed) if found.chance else (none, none)
    return pa.table({
        KEY: found.customers.take(pa.array(rows)),
        "before": states(found.crossed.before), "after": states(found.crossed.after),
        "p": pa.array(p[rows], mask=np.isnan(p[rows])),
        "changed": pa.array(changed[rows], mask=np.isnan(changed[rows])),
    })  # fmt: skip


def _equal_seasons(asked: argparse.Namespace) -> bool:
    """Whether both windows are of one season and, of a year each, share no day."""
    dates = (asked.before or asked.before_date, asked.after or asked.after_date)
    if None in dates or (asked.recipe is not None and asked.window is None):
        return False
    years = dates[1].year - dates[0].year
    months = asked.window if asked.recipe is not None else 12
    return years * 12 >= months and months_before(dates[1], 12 * years) == dates[0]


def _test_of_sizes(
    asked: argparse.Namespace, crossed: Crossed, logs: LogsCrossed | None
) -> SizesTest | None:
    """Of a log only of those who bought before both windows: who joined in the first seems to
    grow."""
    if not _equal_seasons(asked):
        return None
    k, who = len(crossed.segments), _of(logs.crossed, logs.early) if logs else crossed
    return sizes_changed(who.table()[:k, :k].astype(int))


def _tell(asked: argparse.Namespace, crossed: Crossed, logs: LogsCrossed | None) -> None:
    chance = logs.chance if logs else None
    test = _test_of_sizes(asked, crossed, logs)
    if asked.json:
        data = _as_json(crossed, test, logs, chance)
        print(json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False))
    else:
        print("\n".join(_told(crossed, test, logs, chance)))


def _apart(crossed: Crossed, logs: LogsCrossed, chance: Chance) -> NDArray[np.int64]:
    """What customers did of whom chance cannot be told: it is as it is in every draw."""
    whole = _of(logs.crossed, logs.known).table().astype(np.int64)
    told = _of(logs.crossed, np.flatnonzero(chance.told)).table().astype(np.int64)
    return whole - told


def _as_json(
    crossed: Crossed, test: SizesTest | None, logs: LogsCrossed | None, chance: Chance | None
) -> dict[str, Any]:
    counts = crossed.table().astype(int)
    data: dict[str, Any] = {
        "states": list(crossed.states),
        "customers": counts.tolist(),
        "money_before": None, "money_after": None, "border": None,
        "sizes": {
            "before": counts.sum(axis=1).tolist(), "after": counts.sum(axis=0).tolist(),
            "test": None if test is None
            else {"chi_squared": test.chi_squared, "df": test.df, "p": test.p},
        },
    }  # fmt: skip
    if crossed.money is not None:
        for name, values in zip(("money_before", "money_after"), crossed.money, strict=True):
            data[name] = np.round(crossed.table(values), 6).tolist()
    if crossed.border is not None:
        data["border"] = crossed.table(crossed.border.astype(float)).astype(int).tolist()
    if chance is not None and logs is not None:
        data["chance"] = _chance_as_json(crossed, logs, chance)
    return data


def _chance_as_json(crossed: Crossed, logs: LogsCrossed, chance: Chance) -> dict[str, Any]:
    apart = _apart(crossed, logs, chance)

    def cells(values: NDArray[np.float64]) -> list[list[float | None]]:
        return [
            [float(v) if told else None for v, told in zip(row, there, strict=True)]
            for row, there in zip(values + apart, chance.has_figure, strict=True)
        ]

    moves, steady = chance.moves, chance.steadiness
    return {
        "draws": chance.draws, "null": chance.null, "told": int(chance.told.sum()),
        "mean": cells(moves.mean), "low": cells(moves.low), "high": cells(moves.high),
        "steadiness": _plain(steady.mean),
        "steadiness_low": _plain(steady.low), "steadiness_high": _plain(steady.high),
    }  # fmt: skip


def _plain(value: Any) -> float | None:
    return None if np.isnan(value) else float(value)


def _told(
    crossed: Crossed, test: SizesTest | None, logs: LogsCrossed | None, chance: Chance | None
) -> list[str]:
    counts, names = crossed.table().astype(int), crossed.states
    there = [i for i in range(len(names)) if counts[i].any() or counts[:, i].any()]
    head = ["from ↓ to →", *(names[i] for i in there), "before", "after"]
    rows = [
        [names[i], *(f"{counts[i, j]:,}" if counts[i, j] else "·" for j in there),
         f"{counts[i].sum():,}", f"{counts[:, i].sum():,}"]
        for i in there
    ]  # fmt: skip
    say = [*columns([head, *rows]), ""]
    k = len(crossed.segments)
    stayed, placed = int(np.trace(counts[:k, :k])), int(counts[:k, :k].sum())
    if placed:
        say.append(
            f"Of {placed:,} customers in a segment at both dates {placed - stayed:,} "
            f"({(placed - stayed) / placed:.0%}) stand in another one."
        )
    if crossed.money is not None:
        first, second = (values.sum() for values in crossed.money)
        say.append(f"They all spent {first:,.2f} before and {second:,.2f} after.")
    if test is not None:
        say.append(
            f"Sizes: chi squared {test.chi_squared:.1f} on {test.df} degrees of freedom, "
            f"p = {test.p:.2g} (Stuart and Maxwell)."
        )
    if chance is None or logs is None:
        return [*say, "How much of that is chance, --chance tells, of logs and a recipe."]
    return [*say, *_against_chance(crossed, logs, chance)]


def _against_chance(crossed: Crossed, logs: LogsCrossed, chance: Chance) -> list[str]:
    counts, apart = crossed.table(), _apart(crossed, logs, chance)
    low, high = chance.moves.low + apart, chance.moves.high + apart
    lit = np.argwhere(chance.more)
    order = sorted(lit.tolist(), key=lambda c: high[c[0], c[1]] - counts[c[0], c[1]])
    say = []
    if order:
        say.append(f"More than chance would move ({chance.draws} draws, 95 in 100 lie inside):")
        rows = [["move", "customers", "by chance"]]
        for i, j in order:
            names = f"{crossed.states[i]} → {crossed.states[j]}"
            rows.append([names, f"{counts[i, j]:,.0f}", f"{low[i, j]:,.0f} to {high[i, j]:,.0f}"])
        say += ["  " + line for line in columns(rows)]
    else:
        say.append(f"No move is more than chance would make ({chance.draws} draws).")
    changed = chance.changed[~np.isnan(chance.changed)]
    for level in (0.5, 0.8):
        who = changed >= level
        if who.any():
            say.append(
                f"{who.sum():,} customers have changed with a chance of {level:.0%} or more; "
                f"about {changed[who].sum():,.0f} of them really have."
            )
    if not (changed >= 0.5).any():
        say.append("Of no single customer it can be said that it has probably changed.")
    steady = chance.steadiness
    if not np.isnan(steady.mean):
        say.append(
            f"Same again {steady.mean:.2f}: had the year happened again with nothing changed, so "
            "many would stand in the same segment."
        )
    if not chance.told.all():
        say.append(
            f"Chance is told of {chance.told.sum():,} customers who came before the windows, and "
            "of nobody who came within them."
        )
    return say
