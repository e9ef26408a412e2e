"""Compile kernels once, by walking a very small demo through the core.

Those of the first screens before the server starts, on a new machine while the front end is made:
those that read a file by one process, those that look at a log (``measures``) by another. With the
word ``later`` the others, while somebody signs in and looks around.
"""

from __future__ import annotations

import fcntl
import os
import signal
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np

from sortija.core.campaigns.responses import responses_of
from sortija.core.engine import Engine
from sortija.core.formats.delimited import DelimitedFile, sniff
from sortija.core.groups.neighbourhood import neighbourhood_of
from sortija.core.groups.null_models import null_figures
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.groups.sweep import sweep
from sortija.core.ledger.assemble import assemble
from sortija.core.ledger.cube import Cube
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.lines import LineReader
from sortija.core.ledger.log import Log
from sortija.core.ledger.overlap import overlapping
from sortija.core.ledger.rules import default_rules, mask_of
from sortija.core.ledger.summaries import balance, visits
from sortija.core.lens.bins import bin_column
from sortija.core.lens.clauses import Clause
from sortija.core.lens.drawing import Chart, count_everyone, redraw
from sortija.core.lens.evaluate import select, without
from sortija.core.measures.derive import Derived, derive, last_day_of
from sortija.core.measures.describe import axis_for, outline
from sortija.core.measures.expected import expected_visits, fit_expected, rhythm_of
from sortija.core.measures.fences import fences_of
from sortija.core.measures.neighbours import choose_donors, fill_column
from sortija.core.measures.preparation import propose
from sortija.core.measures.rollup import roll_up
from sortija.core.portraits.profile import numeric_profile
from sortija.core.portraits.rules import retell, steadiness
from sortija.core.table import Column, Table
from sortija.demo.files import write_demo
from sortija.launch.compiled import COMPILED
from sortija.server.jobs.niceness import let_screens_go_first

MEMBERS = 120


def look(log: Log, mask: int) -> None:
    """What the Ledger's screens compute."""
    Cube.of(log.day, log.bits, log.money)
    visits(log, mask)
    balance(log, mask, 0, 30_000)
    overlapping([lambda: [log.receipt]] * 2, [len(log)] * 2, ["both", "replace"])


def read_demo() -> Log:
    """The log of a very small demo."""
    with tempfile.TemporaryDirectory() as folder:
        demo = write_demo(Path(folder), members=MEMBERS)
        dialect = sniff(demo.log)
        file = DelimitedFile(demo.log, dialect)
        mapping, _ = guess_log(file.first_rows(500))
        reader = LineReader(mapping, 2, 20_900)
        return assemble(list(reader.read(file.batches())), len(reader.cards))


def made_up(customers: int = 40, lines: int = 6) -> Log:
    """A log that no file was read for: some lines for each customer, a receipt each."""
    many = customers * lines
    each = np.arange(many)
    none = np.full(many, -1, np.int16)
    start = np.minimum(np.arange(customers + 2) * lines, many)
    return Log(
        start, (20_000 + 30 * (each % lines)).astype(np.int32), each.astype(np.uint64),
        np.full(many, 1_000), 100 + each, np.zeros(many, np.int8), none, none, none,
        np.zeros(many, np.int32),
    )  # fmt: skip


def looked_at(log: Log) -> tuple[Log, int, Derived]:
    """A log, the bits of its rules, its measures; what the Ledger shows of it is computed too."""
    mask = mask_of(default_rules())
    window = last_day_of(log, mask)
    assert window is not None
    look(log, mask)
    return log, mask, derive(log, window, mask, 2, engine=Engine(1))


def first(derived: Derived) -> None:
    """What the first screens compute."""
    column = derived.table["recency"]
    clause = Clause("measure:recency", ranges=((None, 60.0),))
    selection = select([clause], {("measure:recency", ""): column}, derived.known, derived.money)
    charts = [Chart("measure:visits", bin_column(column))]
    everyone = [count_everyone(charts[0].bins, derived.known)]
    _, last = redraw(selection, charts, everyone, None)
    redraw(selection, charts, everyone, last)
    without(selection, 0, derived.money)


def later(log: Log, mask: int, derived: Derived) -> None:
    """What somebody comes to after a look around: measures told, then every way to groups."""
    engine, table = Engine(1), derived.table
    rows = np.flatnonzero(derived.present)
    for name, is_log in (("recency", False), ("monetary", True)):
        values = np.asarray(table[name].values)
        for some in (rows, rows[1:]):  # an even and an odd number take different ways
            fences_of(values[some])
        outline(values, rows, axis_for(values[rows], is_log))
    responses_of(log.arrays(), mask, rows, 20_400, 20_500, 20_000)
    rhythm = rhythm_of(log, mask, int(log.day.max()) + 1, engine)
    if model := fit_expected(rhythm, engine):
        expected_visits(model, rhythm, 13.0, engine)
    codes = np.arange(len(table), dtype=np.int32) % 3 + 1
    kinds = Column("trait:kind", "category", codes, "", ("a", "b", "c"))
    roll_up(log, kinds)
    table = Table((*table, kinds))
    numeric = {n: propose(table[n]) for n in ("recency", "frequency", "monetary")}
    steps = {**numeric, "gap_mean": propose(table["gap_mean"])}
    donors = choose_donors(table, steps, ("trait:kind",), derived.present, 1)
    fill_column(donors, table, "gap_mean", derived.present, engine=engine)
    mixed = Recipe(numeric, ("trait:kind",))
    for recipe in (
        mixed, Recipe(numeric, method="k-means"), Recipe({}, ("trait:kind",), method="k-modes"),
        Recipe(numeric, method="hierarchical"),
        *(replace(mixed, method="hierarchical", linkage=linkage, distance="gower")
          for linkage in ("average", "single")),
        replace(mixed, method="k-medoids"), replace(mixed, seeding="dense"),
    ):  # fmt: skip
        prepared = prepare(table, recipe, derived.present)
        list(sweep(prepared, [2], recipe, engine, settled=True))
        null_figures(prepared, [2], recipe, engine)
    neighbourhood_of(prepare(table, mixed, derived.present), 1, engine)
    numeric_profile(np.asarray(table["recency"].values), codes - 1, 3)
    steadiness([table["recency"], kinds], codes - 1, 3, engine=engine)
    retell([table["recency"], kinds], codes - 1, 3, engine=engine)


@contextmanager
def alone(folder: Path) -> Iterator[None]:
    """One process at a time compiles for a folder; it may end as it likes."""
    with (folder / "compiling").open("w") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        yield


def compile_first() -> None:
    """The kernels of the first screens by two processes; nothing where they are there."""
    folder = os.environ.get("NUMBA_CACHE_DIR")
    if not folder:
        return
    with alone(Path(folder)):
        done = Path(folder) / COMPILED
        if not done.exists():
            other = subprocess.Popen([sys.executable, "-m", "sortija.launch.warm", "measures"])
            read_demo()
            if other.wait() == 0:
                done.touch()


def main() -> None:
    # A shell has what it starts in the background ignore Ctrl-C, which is meant for us too.
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    asked = "".join(sys.argv[1:])
    if asked == "later":
        let_screens_go_first()
        later(*looked_at(read_demo()))
    elif asked == "measures":
        first(looked_at(made_up())[2])
    else:
        compile_first()


if __name__ == "__main__":
    main()
