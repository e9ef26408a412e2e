"""``sortija group``: segments from a table of measures."""

from __future__ import annotations

import argparse
import csv
import io
import json
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from sortija.cli.candidates import print_candidates
from sortija.cli.engines import engine_for
from sortija.cli.files import check_out, open_measures, write_table, write_whole
from sortija.cli.terminal import Trouble, Watch
from sortija.core.engine import Engine
from sortija.core.formats.measures import KEY, MeasureFile, MeasureFileError, whole_ids
from sortija.core.formats.pmml import PmmlError, write_pmml
from sortija.core.formats.recipes import write_recipe
from sortija.core.groups.assignment import PlacedRows, centres_in_own_units, freeze, placed_rows
from sortija.core.groups.cautions import cautions_about, equals_column
from sortija.core.groups.grouping import group, grouper
from sortija.core.groups.lloyd import Fit, nearest_centres
from sortija.core.groups.null_models import gap_statistic, null_figures
from sortija.core.groups.recipe import METHODS, Method, Prepared, Recipe, RecipeError, prepare
from sortija.core.groups.suggestion import suggest
from sortija.core.groups.sweep import sweep
from sortija.core.groups.verdict import judge
from sortija.core.measures.preparation import Steps
from sortija.core.progress import Progress

__all__ = ["add_to", "names", "placed_table", "weights"]

_MISSING = {"leave-out": "leave out", "median": "median", "neighbours": "neighbours"}
_MOST = 40
_EXAMPLES = """\
examples:
  sortija group measures.csv --numeric recency,frequency,monetary --log frequency,monetary --k 2-9
      try two to nine groups, and see which number the figures speak for
  sortija group measures.csv --numeric recency,frequency --category plan,garden --k 5 \\
          --out segments.csv --recipe segments.json --centres centres.csv
      five segments by numbers and categories; the recipe places other dates alike
  sortija group measures.parquet --numeric recency,monetary --method hierarchical --k 4
      Ward's tree, cut into four
"""


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "group", help="segments from a table of measures",
        description="Group the customers of a table of measures (CSV or Parquet, one row a "
        "customer, the column customer as key) into k segments, or try several k.",
        epilog=_EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    add = parser.add_argument
    add("measures", type=Path, metavar="MEASURES")
    add("--numeric", action="append", default=[], metavar="A,B", help="columns that are numbers")
    add(
        "--category", action="append", default=[], metavar="C,D", help="columns that are categories"
    )
    add("--method", choices=METHODS, help="k-prototypes; k-means without categories, k-modes "
        "without numbers")  # fmt: skip
    add("--k", type=_ks, default=(5, 5), metavar="5|2-9", help="how many groups, or a range to try")
    add("--seed", type=int, default=4107, help="the same seed gives the same groups (4107)")
    add("--restarts", type=_count, default=10, metavar="N", help="starts that are tried (10)")
    add("--scale", choices=("z", "range", "robust", "rank", "none"), default="z")
    add("--log", action="append", default=[], metavar="A,B", help="columns to take the log of")
    add("--root", action="append", default=[], metavar="A,B", help="columns to take the root of")
    add("--cap", type=float, default=0.0, metavar="SHARE", help="cap this share at both ends")
    add("--weight", action="append", default=[], metavar="A=2", help="how much a column counts (1)")
    add("--balance", type=float, default=1.0, metavar="B", help="how much categories count (1)")
    add(
        "--fixed-weights",
        action="store_true",
        help="categories count alike, whatever they have to do with the other columns",
    )
    add("--pool", type=float, default=0.0, metavar="SHARE", help="levels rarer than this are one")
    add("--missing", choices=tuple(_MISSING), default="leave-out", help="customers without a value")
    add("--linkage", choices=("ward", "single", "complete", "average"), default="ward")
    add("--distance", choices=("euclidean", "gower"), default="euclidean")
    add("--out", type=Path, metavar="FILE", help="customer, segment, distance, margin")
    add("--recipe", type=Path, metavar="FILE", help="freeze the grouping for sortija place")
    add("--pmml", type=Path, metavar="FILE", help="the same as PMML 4.4")
    add("--centres", type=Path, metavar="FILE", help="centres in the columns' own units, as CSV")
    add("--gap", action="store_true", help="with a range of k: the gap statistic too")
    add("--json", action="store_true", help="figures as JSON on standard output")
    parser.set_defaults(run=run)


def _ks(text: str) -> tuple[int, int]:
    first, _, last = text.partition("-")
    if not first.isdigit() or (last or first).isdigit() is False:
        raise argparse.ArgumentTypeError(f"{text} is no number of groups; write 5, or 2-9")
    ks = int(first), int(last or first)
    if not 1 <= ks[0] <= ks[1] <= _MOST or (last and ks[0] < 2):
        raise argparse.ArgumentTypeError(f"{text}: try between 2 and {_MOST} groups, fewest first")
    return ks


def _count(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= 1000:
        raise argparse.ArgumentTypeError(f"{text} is no number of starts from 1 to 1000")
    return int(text)


def names(parts: list[str]) -> tuple[str, ...]:
    """``["a,b", "c"]`` → ``("a", "b", "c")``."""
    return tuple(name.strip() for part in parts for name in part.split(",") if name.strip())


def weights(parts: list[str]) -> dict[str, float]:
    """``["a=2"]`` → ``{"a": 2.0}``."""
    out = {}
    for part in parts:
        name, equals, value = part.rpartition("=")
        try:
            out[name.strip()] = float(value)
        except ValueError:
            equals = ""
        if not equals or not name.strip():
            raise Trouble(f"--weight {part}: write it as column=2.")
    return out


def recipe_of(asked: argparse.Namespace) -> Recipe:
    """What the arguments say; columns are looked at later."""
    numeric, categories = names(asked.numeric), names(asked.category)
    twice = next((n for n in numeric + categories if (numeric + categories).count(n) > 1), None)
    if twice is not None:
        raise Trouble(f"{twice} is named twice.")
    if not numeric and not categories:
        raise Trouble("Name columns to group by, with --numeric, --category or both.")
    logs, roots = names(asked.log), names(asked.root)
    for name in (*logs, *roots):
        if name not in numeric:
            raise Trouble(f"--log or --root {name}: it is not among the --numeric columns.")
    if not 0 <= asked.cap < 0.5:
        raise Trouble(f"--cap {asked.cap}: cap less than half at each end, such as 0.01.")
    fill: Any = _MISSING[asked.missing]
    steps = {
        name: Steps(
            fill, asked.cap, "log" if name in logs else "root" if name in roots else "none",
            asked.scale,
        )
        for name in numeric
    }  # fmt: skip
    guess: Method = "k-means" if not categories else "k-modes" if not numeric else "k-prototypes"
    method: Method = asked.method or guess
    return Recipe(
        steps, categories, weights(asked.weight), asked.balance, method, asked.seed,
        asked.restarts, asked.linkage, asked.distance, pool=asked.pool,
        relevance=not asked.fixed_weights,
    )  # fmt: skip


def run(asked: argparse.Namespace) -> None:
    """Read, group, write; nothing is written before all of it is there."""
    check_out(asked.out)
    recipe = recipe_of(asked)
    file = open_measures(asked.measures)
    watch = Watch()
    engine = engine_for(watch)
    try:
        rows = prepare(file.table(tuple(recipe.numeric), recipe.categories), recipe)
        _one(asked, file, rows, recipe, engine, watch)
    except (RecipeError, MeasureFileError, PmmlError) as problem:
        watch.clear()
        raise Trouble(str(problem)) from problem
    finally:
        engine.release()


def _one(
    asked: argparse.Namespace, file: MeasureFile, rows: Prepared, recipe: Recipe, engine: Engine,
    watch: Watch,
) -> None:  # fmt: skip
    first, last = asked.k
    if first == last:
        fit = group(rows, first, recipe, engine, watch)
        watch.clear()
        _write(asked, file, rows, fit, recipe, engine)
        _tell(asked, rows, fit)
        _warn(rows, fit)
        return
    make = grouper(rows, recipe, engine, watch)
    ks = [k for k in range(first, last + 1) if k < len(rows)]
    if not ks:
        raise RecipeError(f"{len(rows):,} customers cannot make {first} to {last} groups.")
    found = list(sweep(rows, ks, recipe, engine, watch, make=make))
    ks = [c.k for c in found]
    own = [c.silhouette for c in found], [c.valley for c in found]
    verdict = judge(ks, *own, null_figures(rows, ks, recipe, engine, _quiet(watch), own=own))
    said = suggest(
        ks, [c.silhouette for c in found], [c.weakest for c in found],
        [c.smallest for c in found], verdict,
    )  # fmt: skip
    gap = gap_statistic(rows, ks, recipe, engine, watch) if asked.gap else None
    watch.clear()
    print_candidates(found, said, verdict, gap, asked.json)
    _warn(rows)
    if not any((asked.out, asked.recipe, asked.pmml, asked.centres)):
        return
    if said.k is None:
        raise Trouble("nothing was written, for no number of groups stands out. Name one with --k.")
    _write(asked, file, rows, make(said.k), recipe, engine)


def _quiet(watch: Watch) -> Progress:
    def heard(stage: str, done: int, of: int) -> None:
        watch("looking at tables without groups", 0, 0)

    return heard


def _write(
    asked: argparse.Namespace, file: MeasureFile, rows: Prepared, fit: Fit, recipe: Recipe,
    engine: Engine,
) -> None:  # fmt: skip
    frozen = freeze(rows, fit, recipe)
    pmml = write_pmml(frozen) if asked.pmml else ""
    placed = nearest_centres(rows, fit.centres, engine)
    values = placed_rows(
        rows, len(file), placed.labels, placed.distance.astype(np.float64), placed.margin
    )
    if asked.out or not (asked.json or asked.k[0] != asked.k[1]):
        write_table(placed_table(file, values), asked.out)
    if asked.recipe:
        write_whole(asked.recipe, write_recipe(frozen).encode())
    if asked.pmml:
        write_whole(asked.pmml, pmml.encode())
    if asked.centres:
        units = centres_in_own_units(frozen)
        text = io.StringIO()
        writer = csv.writer(text, lineterminator="\n")
        writer.writerow(["segment", "customers", *frozen.preparation.names])
        for number, values_ in enumerate(units):
            writer.writerow([number + 1, int(frozen.counts[number]), *values_.values()])
        write_whole(asked.centres, text.getvalue().encode())


def placed_table(file: MeasureFile, placed: PlacedRows) -> pa.Table:
    """customer, segment, distance, margin; empty where a customer cannot be placed."""
    out = placed.segment == 0
    return pa.table({
        KEY: whole_ids(file.customers),
        "segment": pa.array(placed.segment, mask=out),
        "distance": pa.array(placed.distance, mask=out),
        "margin": pa.array(placed.margin, mask=out),
    })  # fmt: skip


def _tell(asked: argparse.Namespace, rows: Prepared, fit: Fit) -> None:
    left = _left_out(rows)
    if asked.json:
        data = {
            "k": len(fit.counts), "customers": fit.counts.tolist(), "cost": fit.cost,
            "passes": fit.passes, "settled": fit.settled, "moved": fit.moved, **left,
        }  # fmt: skip
        print(json.dumps(data, indent=1))
        return
    sizes = ", ".join(f"{count:,}" for count in fit.counts)
    words = f"{len(rows):,} customers in {len(fit.counts)} segments of {sizes}."
    if left["dropped"]:
        words += f" Left out, for it does not vary: {', '.join(left['dropped'])}."
    if fit.moved:
        words += f" {fit.moved:.1%} changed segment to be with their nearest centre."
    print(words, file=sys.stderr)


def _warn(rows: Prepared, fit: Fit | None = None) -> None:
    """What to know of the columns, and of a grouping that hardly says more than one of them."""
    for category in rows.preparation.categories:
        if category.relevance is not None:
            words = category.relevance.words(category.name)
            print(words[0].upper() + words[1:], file=sys.stderr)
    for words in cautions_about(rows):
        print(f"Caution: {words}", file=sys.stderr)
    equal = equals_column(rows, fit.labels, len(fit.counts)) if fit else None
    if equal:
        print(f"Caution: {equal[0]} alone would put {equal[1]:.0%} of them into the same group.",
              file=sys.stderr)  # fmt: skip


def _left_out(rows: Prepared) -> dict[str, Any]:
    return {"dropped": list(rows.preparation.dropped)}
