"""``sortija holdout``: draw who is not written to."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.cli.files import ENDINGS, check_out, open_list, write_table
from sortija.cli.terminal import Trouble
from sortija.core.campaigns.holdout import draw_holdout
from sortija.core.formats.measures import MeasureFile, MeasureFileError

__all__ = ["GROUP", "HELD", "WRITTEN", "add_to"]

GROUP, WRITTEN, HELD = "group", "written", "held"
_STRATUM = "stratum"
_EXAMPLES = """\
examples:
  sortija holdout list.csv --share 0.1 --out drawn.csv
      one in ten is held out; drawn.csv has group (written or held) and stratum besides
  sortija holdout list.csv --share 0.5 --stratify segment --seed 3 --out drawn.csv
      half of every segment, by a seed that draws the same again
"""


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "holdout", help="draw who is not written to, so that the effect can be told",
        description="Hold out a share of a list, exact to one, within strata.",
        epilog=_EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    add = parser.add_argument
    add("list", type=Path, metavar="LIST", help="a row per customer; - reads standard input")
    add("--share", type=float, required=True, metavar="0.1", help="the share held out")
    add("--stratify", metavar="COLUMN", help="draw within each value of it, such as segment")
    add("--seed", type=int, default=1, metavar="N", help="which of the draws (1)")
    add("--out", type=Path, required=True, metavar="FILE", help=ENDINGS)
    parser.set_defaults(run=run)


def run(asked: argparse.Namespace) -> None:
    """Draw, write the list with its arms, say how many are in each."""
    check_out(asked.out)
    if not 0 < asked.share < 1:
        raise Trouble(f"--share {asked.share:g}: a share held out lies between 0 and 1.")
    if asked.seed < 0:
        raise Trouble(f"--seed {asked.seed}: a seed is 0 or more.")
    file = open_list(asked.list)
    for name in (GROUP, _STRATUM):
        if name in file.cells.column_names:
            raise Trouble(f"{file.path}: it has a column called {name}. Is it drawn already?")
    segment = _segments(file, asked.stratify)
    drawn = draw_holdout(segment, np.zeros(len(file), np.int64), asked.share, asked.seed)
    cells = file.cells.append_column(_STRATUM, pa.array(drawn.stratum))
    groups = np.where(drawn.held, HELD, WRITTEN)
    write_table(cells.append_column(GROUP, pa.array(groups.tolist(), pa.string())), asked.out)
    held = int(drawn.held.sum())
    print(f"{len(file) - held:,} are written to, {held:,} held out: {asked.out}.")


def _segments(file: MeasureFile, name: str | None) -> NDArray[np.int64]:
    if name is None:
        return np.zeros(len(file), np.int64)
    try:
        return np.asarray(file.table((), (name,))[name].values, np.int64)
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem
