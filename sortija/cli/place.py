"""``sortija place``: customers of any date by a frozen grouping."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from sortija.cli.engines import engine_for
from sortija.cli.files import ENDINGS, check_out, open_measures, read_text, write_table
from sortija.cli.group import placed_table
from sortija.cli.terminal import Trouble
from sortija.core.formats.measures import MeasureFileError
from sortija.core.formats.recipes import RecipeFileError, read_recipe

__all__ = ["add_to"]


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "place", help="customers of any date by a frozen grouping",
        description="Place the customers of a table of measures by a recipe that sortija group "
        "has frozen: each goes to its nearest segment, and segments keep their numbers.",
    )  # fmt: skip
    parser.add_argument("measures", type=Path, metavar="MEASURES")
    parser.add_argument("--recipe", type=Path, metavar="FILE", required=True)
    parser.add_argument("--out", type=Path, metavar="FILE", help=ENDINGS)
    parser.set_defaults(run=run)


def run(asked: argparse.Namespace) -> None:
    """Read both, place, write."""
    check_out(asked.out)
    try:
        frozen = read_recipe(read_text(asked.recipe))
    except RecipeFileError as problem:
        raise Trouble(f"{asked.recipe}: {problem}") from problem
    file = open_measures(asked.measures)
    numeric = tuple(name for name, _, _ in frozen.preparation.numeric)
    categories = tuple(c.name for c in frozen.preparation.categories)
    donors = frozen.preparation.donors
    if donors is not None:
        categories = tuple(dict.fromkeys((*categories, *(name for name, _ in donors.categories))))
    engine = engine_for()
    try:
        placed = frozen.place(file.table(numeric, categories), engine)
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem
    finally:
        engine.release()
    write_table(placed_table(file, placed), asked.out)
    there = int((placed.segment > 0).sum())
    words = f"{there:,} customers placed in {frozen.k} segments."
    if there < len(file):
        words += f" {len(file) - there:,} lack a measure and have none."
    print(words, file=sys.stderr)
