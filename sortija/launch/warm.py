"""Compile every kernel once, by walking a very small demo through the core."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from sortija.core.engine import Engine
from sortija.core.formats.delimited import DelimitedFile, sniff
from sortija.core.ledger.assemble import assemble
from sortija.core.ledger.cube import Cube
from sortija.core.ledger.lines import LineReader
from sortija.core.ledger.log import Log
from sortija.core.ledger.looks import balance, visits
from sortija.core.ledger.mapping import guess_log
from sortija.core.ledger.overlap import overlapping
from sortija.core.ledger.rules import default_rules, mask_of
from sortija.core.lens.bins import bin_column
from sortija.core.lens.clauses import Clause
from sortija.core.lens.evaluate import Chart, draw, select, without
from sortija.core.measures.derive import derive, last_day_of
from sortija.demo.files import write_demo


def look(log: Log, mask: int) -> None:
    """What the Ledger's screens compute, on arrays that cannot be written to, as files' are."""
    for array in vars(log).values():
        if isinstance(array, np.ndarray):
            array.flags.writeable = False
    Cube.of(log.day, log.bits, log.money)
    visits(log, mask)
    balance(log, mask, 0, 30_000)
    overlapping([lambda: [log.receipt]] * 2, [len(log)] * 2, ["both", "replace"])


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        demo = write_demo(Path(folder), members=120)
        dialect = sniff(demo.log)
        file = DelimitedFile(demo.log, dialect)
        mapping, _ = guess_log(file.first_rows(500))
        reader = LineReader(mapping, 2, 20_900)
        log = assemble(list(reader.read(file.batches())), len(reader.cards))
    mask = mask_of(default_rules())
    window = last_day_of(log, mask)
    assert window is not None
    look(log, mask)
    derived = derive(log, window, mask, 2, engine=Engine(1))
    column = derived.table["recency"]
    clause = Clause("measure:recency", ranges=((None, 60.0),))
    selection = select([clause], {("measure:recency", ""): column}, derived.known, derived.money)
    draw(selection, [Chart("measure:recency", bin_column(column))])
    without(selection, 0, derived.money)


if __name__ == "__main__":
    main()
