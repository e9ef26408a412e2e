"""``sortija compare``: two groupings of the same customers."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.cli.files import open_measures
from sortija.cli.terminal import Trouble, columns
from sortija.core.formats.measures import KEY, MeasureFile, MeasureFileError
from sortija.core.groups.compare import Comparison, compare, nested_in_words, rand_in_words
from sortija.core.table import Column

__all__ = ["add_to", "as_data", "compared", "told"]


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "compare", help="two groupings of the same customers",
        description="Compare two files that sortija group or sortija place wrote: who is where in "
        "each, which segments match, how much they agree.",
    )  # fmt: skip
    parser.add_argument("first", type=Path, metavar="A")
    parser.add_argument("second", type=Path, metavar="B")
    parser.add_argument("--column", default="segment", metavar="NAME", help="what to compare")
    parser.add_argument("--json", action="store_true", help="as JSON")
    parser.set_defaults(run=run)


def _segments(file: MeasureFile, name: str) -> Column:
    try:
        column = file.table((), (name,))[name]
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem
    if not column.levels:
        raise Trouble(f"{file.path}: nobody has a {name} in it.")
    return column


def run(asked: argparse.Namespace) -> None:
    """Join by customer, compare, tell."""
    found, names, unshared = compared([open_measures(asked.first), open_measures(asked.second)],
                                      asked.column)  # fmt: skip
    if asked.json:
        print(json.dumps(as_data(found, names, unshared), indent=1, ensure_ascii=False))
    else:
        print("\n".join(told(found, names, unshared)))


def compared(
    files: list[MeasureFile], column: str
) -> tuple[Comparison, list[list[str]], tuple[int, int]]:
    """Two tables by one column: what is alike, the levels of each, who is in one table only."""
    one, other = (_segments(file, column) for file in files)
    first, second, unshared = _joined(files, one, other)
    names = [_ordered(one.levels), _ordered(other.levels)]
    a, b = (
        _renumbered(codes, each.levels, order)
        for codes, each, order in zip((first, second), (one, other), names, strict=True)
    )
    return compare(a, b, len(names[0]), len(names[1])), names, unshared


def _ordered(levels: tuple[str, ...]) -> list[str]:
    """Segments by number where they are numbers."""
    return sorted(levels, key=lambda text: (not text.isdigit(), int(text) if text.isdigit() else 0,
                                            text))  # fmt: skip


def _renumbered(
    codes: NDArray[np.int32], levels: tuple[str, ...], order: list[str]
) -> NDArray[np.int64]:
    place = np.array([-1, *(order.index(level) for level in levels)], np.int64)
    return place[codes]


def _joined(
    files: list[MeasureFile], one: Column, other: Column
) -> tuple[NDArray[np.int32], NDArray[np.int32], tuple[int, int]]:
    """Codes of the customers in both files; how many are in one only."""
    places = {name: row for row, name in enumerate(files[1].customers.to_pylist())}
    rows = [places.get(name, -1) for name in files[0].customers.to_pylist()]
    there = np.array(rows, np.int64)
    both = there >= 0
    if not both.any():
        raise Trouble(
            f"{files[0].path} and {files[1].path} share no {KEY}. Are they of the same shop?"
        )
    alone = (int((~both).sum()), len(files[1]) - int(both.sum()))
    return one.values[both], other.values[there[both]], alone


def told(found: Comparison, names: list[list[str]], unshared: tuple[int, int]) -> list[str]:
    """What is said of a comparison, line by line."""
    head = ["A \\ B", *names[1], "matches"]
    rows = [
        [name, *(f"{n:,}" for n in found.table[place]),
         names[1][found.matching[place]] if found.matching[place] >= 0 else "–"]
        for place, name in enumerate(names[0])
    ]  # fmt: skip
    differ, both = int(found.differ.sum()), int(found.table.sum())
    words = nested_in_words(found.table) or rand_in_words(found.adjusted_rand)
    said = [
        *columns([head, *rows]), "",
        f"Adjusted Rand {found.adjusted_rand:.3f}: {words}. "
        f"Variation of information {found.variation_of_information:.3f}.",
        f"{differ:,} of {both:,} customers are elsewhere than their segment's match.",
    ]  # fmt: skip
    if any((*unshared, found.only_first, found.only_second)):
        said.append(
            f"Not compared: {unshared[0] + found.only_first:,} who have a place in A only, "
            f"{unshared[1] + found.only_second:,} in B only."
        )
    return said


def as_data(found: Comparison, names: list[list[str]], unshared: tuple[int, int]) -> dict[str, Any]:
    """The same as figures."""
    return {
        "first": names[0], "second": names[1], "customers": found.table.tolist(),
        "matching": [names[1][m] if m >= 0 else None for m in found.matching],
        "adjusted_rand": found.adjusted_rand,
        "variation_of_information": found.variation_of_information,
        "agree": found.agree, "differ": int(found.differ.sum()),
        "only_first": unshared[0] + found.only_first,
        "only_second": unshared[1] + found.only_second,
    }  # fmt: skip
