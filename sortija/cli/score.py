"""``sortija score``: bands, codes and totals from a table of measures."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from sortija.cli.files import ENDINGS, check_out, open_measures, read_text, write_table, write_whole
from sortija.cli.group import weights
from sortija.cli.terminal import Trouble
from sortija.core.formats.measures import MeasureFile, MeasureFileError
from sortija.core.scores.recipe import (
    Asked,
    FrozenScore,
    Scored,
    ScoreError,
    fit_score,
    read_score,
    score,
    write_score,
)
from sortija.core.table import Table

__all__ = ["add_to", "with_scores"]

_EXAMPLES = """\
examples:
  sortija score measures.csv --measure recency:low --measure frequency --measure monetary
      five bands each, the highest is best; adds their bands, the code and the total
  sortija score june.csv --measure recency:low --measure monetary --recipe bands.json
  sortija score july.csv --recipe bands.json --out july-scored.parquet
      the cuts of June, frozen, used for July
"""


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "score", help="bands, codes and totals",
        description="Score the customers of a table of measures: each measure is cut into bands, "
        "highest best; ties are never split. With --measure, --recipe keeps the cuts; without, it "
        "scores by the cuts that it holds.",
        epilog=_EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    add = parser.add_argument
    add("measures", type=Path, metavar="MEASURES")
    add("--measure", action="append", default=[], metavar="NAME:low|high", help="which end is best")
    add("--bands", type=int, default=5, metavar="2-10", help="bands of each measure (5)")
    add("--equal-widths", action="store_true", help="bands of equal width, not of equal customers")
    add("--cuts", action="append", default=[], metavar="NAME=30,90", help="own cuts of a measure")
    add("--weight", action="append", default=[], metavar="NAME=2", help="weight in the total (1)")
    add("--recipe", type=Path, metavar="FILE", help="where the cuts are kept")
    add("--out", type=Path, metavar="FILE", help=ENDINGS)
    parser.set_defaults(run=run)


def _asked(asked: argparse.Namespace) -> tuple[Asked, ...]:
    weigh, cuts = weights(asked.weight), _cuts(asked.cuts)
    out = []
    for text in asked.measure:
        name, _, end = text.rpartition(":")
        if end not in ("low", "high") or not name:
            name, end = text, "high"
        kind: Any = "equal widths" if asked.equal_widths else "equal customers"
        own = cuts.pop(name, ())
        out.append(
            Asked(name, end == "high", asked.bands, weigh.pop(name, 1.0),
                  "own cuts" if own else kind, own)
        )  # fmt: skip
    for name in (*weigh, *cuts):
        raise Trouble(f"{name} is not among the measures to score by.")
    return tuple(out)


def _cuts(parts: list[str]) -> dict[str, tuple[float, ...]]:
    out = {}
    for part in parts:
        name, _, values = part.rpartition("=")
        try:
            out[name] = tuple(float(value) for value in values.split(","))
        except ValueError:
            name = ""
        if not name:
            raise Trouble(f"--cuts {part}: write it as column=30,90.")
    return out


def run(asked: argparse.Namespace) -> None:
    """Read, cut or take the cuts, score, write."""
    check_out(asked.out)
    file = open_measures(asked.measures)
    wanted = _asked(asked)
    try:
        if wanted:
            frozen = fit_score(_table(file, [each.measure for each in wanted]), wanted)
        elif asked.recipe:
            frozen = read_score(read_text(asked.recipe))
        else:
            raise Trouble("Name measures to score by with --measure, or a --recipe that has cuts.")
        found = score(_table(file, [name for name, _, _ in frozen.measures]), frozen)
    except (ScoreError, MeasureFileError) as problem:
        where = f"{asked.recipe}: " if isinstance(problem, ScoreError) and not wanted else ""
        raise Trouble(f"{where}{problem}") from problem
    table = with_scores(file, frozen, found)
    write_table(table, asked.out)
    if wanted and asked.recipe:
        write_whole(asked.recipe, write_score(frozen).encode())
    _tell(frozen, found)


def _table(file: MeasureFile, names: list[str]) -> Table:
    return file.table(tuple(dict.fromkeys(names)))


def with_scores(file: MeasureFile, frozen: FrozenScore, found: Scored) -> pa.Table:
    """The file's own columns, then a band a measure, the code and the total."""
    table = file.typed()
    more: dict[str, pa.Array] = {}
    for (name, _, _), banding in zip(frozen.measures, found.bandings, strict=True):
        more[f"{name}_band"] = pa.array(banding.bands, mask=banding.bands == 0)
    more["code"] = pa.array(found.codes.tolist(), pa.string())
    totals, none = found.totals, np.isnan(found.totals)
    whole = bool((totals[~none] == np.rint(totals[~none])).all())
    more["total"] = pa.array(np.nan_to_num(totals).astype(np.int64) if whole else totals, mask=none)
    for name, column in more.items():
        if name in table.column_names:
            raise Trouble(f"{file.path} has a column called {name} already. Rename it first.")
        table = table.append_column(name, column)
    return table


def _tell(frozen: FrozenScore, found: Scored) -> None:
    for (name, _, cuts), banding in zip(frozen.measures, found.bandings, strict=True):
        sizes = ", ".join(f"{n:,}" for n in reversed(banding.sizes))
        best = "high" if cuts.higher_is_better else "low"
        words = f"{name} ({best} is best): {sizes} customers from band {cuts.bands} to 1"
        if banding.empty:
            words += f"; ties leave {banding.empty} empty"
        print(words + ".", file=sys.stderr)
    without = int(np.isnan(found.totals).sum())
    if without:
        print(f"{without:,} customers lack a measure and have no code.", file=sys.stderr)
