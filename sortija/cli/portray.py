"""``sortija portray``: what sets segments apart, and the rules that retell them."""

from __future__ import annotations

import argparse
import json
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.cli.book import book_file, write_book
from sortija.cli.engines import engine_for
from sortija.cli.files import open_measures
from sortija.cli.group import names
from sortija.cli.terminal import Trouble, columns
from sortija.core.engine import Engine
from sortija.core.formats.measures import KEY, MeasureFile, MeasureFileError
from sortija.core.measures.describe import Axis
from sortija.core.portraits.apart import sets_apart
from sortija.core.portraits.bins import MOST_LEVELS
from sortija.core.portraits.book.facts import (
    BookFacts,
    RuleFact,
    SegmentFacts,
    ThreadFact,
    category_facts,
    number_facts,
)
from sortija.core.portraits.marks import MARKS
from sortija.core.portraits.naming import Proposal, propose_names
from sortija.core.portraits.profile import (
    CategoryProfile,
    NumericProfile,
    category_profile,
    numeric_profile,
)
from sortija.core.portraits.rules import Retelling, Rule, retell, steadiness
from sortija.core.portraits.sentences import rule_words
from sortija.core.portraits.tree import DEEPEST
from sortija.core.portraits.typical import most_typical
from sortija.core.table import Column

__all__ = ["Portrait", "add_to", "portrait_as_data", "portrait_of", "print_portrait"]

#: What sortija group writes of a grouping itself; it would retell it by itself.
_OF_THE_GROUPING = ("distance", "margin")
_MOST_SEGMENTS = 40
_EXAMPLES = """\
examples:
  sortija portray segments.csv --segment segment --measures measures.parquet
      what sets the segments apart, a rule for each, names and typical customers
  sortija portray segments.parquet --segment segment --depth 2 --category plan,garden --json
      two questions about two traits alone: can the segments be found without the log?
  sortija portray segments.csv --segment segment --measures measures.parquet --book segments.pdf
      a book of the segments: what sets each apart, in sentences
"""


@dataclass(frozen=True)
class _Number:
    name: str
    label: str
    unit: str
    profile: NumericProfile
    family: str = "visits"
    shaped: bool = False


@dataclass(frozen=True)
class _Category:
    name: str
    label: str
    levels: tuple[str, ...]
    profile: CategoryProfile
    shaped: bool = False

    @property
    def values(self) -> tuple[str, ...]:
        return self.levels[1:]


@dataclass(frozen=True)
class Portrait:
    """All that is told of the segments of a file; ``groups``: of the customers in ``rows``."""

    segments: tuple[str, ...]
    customers: list[str]
    groups: NDArray[np.int32]
    columns: list[Column]
    numeric: list[_Number]
    categories: list[_Category]
    told: Retelling
    steady: float
    names: list[list[Proposal]]
    typical: list[list[int]]
    outside: int
    skipped: dict[str, str]


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "portray", help="what sets segments apart, and rules that retell them",
        description="Describe segments: which columns set them apart, a rule that finds each of "
        "them and how well it does on customers held back, names, typical customers. ASSIGNED is "
        "a table (CSV or Parquet, one row a customer, the column customer as key) with the "
        "segment; what is known of the customers stands beside it or in MEASURES.",
        epilog=_EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    add = parser.add_argument
    add("assigned", type=Path, metavar="ASSIGNED")
    add("--segment", required=True, metavar="COLUMN", help="the column that says the segment")
    add("--measures", type=Path, metavar="MEASURES", help="a table with more of the same customers")
    add("--numeric", action="append", default=[], metavar="A,B", help="columns that are numbers")
    add(
        "--category", action="append", default=[], metavar="C,D", help="columns that are categories"
    )
    add("--depth", type=_depth, default=3, metavar="1-4", help="questions in a row (3)")
    add("--seed", type=int, default=4107, help="the same seed holds the same rows back (4107)")
    add("--json", action="store_true", help="figures as JSON on standard output")
    add(
        "--book",
        type=book_file,
        metavar="FILE",
        help="a page a segment, as .html, .pdf, .docx or .md",
    )
    parser.set_defaults(run=run)


def _depth(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= DEEPEST:
        raise argparse.ArgumentTypeError(f"{text} is no depth from 1 to {DEEPEST}")
    return int(text)


def run(asked: argparse.Namespace) -> None:
    """Read, describe, print."""
    file, engine = open_measures(asked.assigned), engine_for()
    if asked.measures is not None:
        file = _beside(file, open_measures(asked.measures))
    try:
        portrait = portrait_of(asked, file, engine)
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem
    finally:
        engine.release()
    if asked.book is not None:
        write_book(asked.book, asked.assigned, _facts(portrait))
    if asked.json:
        print(json.dumps(portrait_as_data(portrait), indent=1, ensure_ascii=False))
    else:
        print_portrait(portrait)


def _beside(file: MeasureFile, more: MeasureFile) -> MeasureFile:
    """The file with the columns that another has of the same customers; empty of others."""
    place = pc.index_in(file.customers.cast(pa.string()), more.customers.cast(pa.string()))
    if place.null_count == len(place):
        raise Trouble(f"{more.path} has none of the customers of {file.path}.")
    cells = file.cells
    for name in more.cells.column_names:
        if name not in cells.column_names:
            cells = cells.append_column(name, more.cells[name].take(place))
    return MeasureFile(file.path, file.customers, cells)


def portrait_of(asked: argparse.Namespace, file: MeasureFile, engine: Engine) -> Portrait:
    """What sets the segments of a table apart, and rules that retell them."""
    segment = file.table((), (asked.segment,)).columns[0]
    segments = tuple(sorted(segment.levels, key=_in_order))
    if not 2 <= len(segments) <= _MOST_SEGMENTS:
        raise Trouble(
            f"{asked.assigned}: column {asked.segment} names {len(segments):,} segments. "
            f"Between 2 and {_MOST_SEGMENTS} can be told apart."
        )
    place = np.array([-1, *(segments.index(level) for level in segment.levels)], np.int32)
    every = place[segment.values]
    rows = np.flatnonzero(every >= 0)
    groups, k = every[rows], len(segments)
    found, skipped = _columns(asked, file, rows)
    numeric = [
        _Number(c.name, c.name.replace("_", " "), "", numeric_profile(c.values, groups, k))
        for c in found if c.kind == "number"
    ]  # fmt: skip
    categories = [
        _Category(c.name, c.name.replace("_", " "), ("not given", *c.levels),
                  category_profile(c.values, len(c.levels), groups, k))
        for c in found if c.kind == "category"
    ]  # fmt: skip
    numeric.sort(key=lambda row: -np.nan_to_num(row.profile.eta_squared))
    categories.sort(key=lambda row: -row.profile.v)
    numbers = [c for c in found if c.kind == "number"]
    ids = file.customers.take(pa.array(rows)).cast(pa.string()).to_pylist()
    return Portrait(
        segments, ids, groups, found, numeric, categories,
        retell(found, groups, k, asked.depth, asked.seed, engine),
        steadiness(found, groups, k, asked.seed, engine),
        propose_names(sets_apart(numeric, categories, k)),
        most_typical(numbers, groups, k), len(file) - len(rows), skipped,
    )  # fmt: skip


def _in_order(level: str) -> tuple[float, str]:
    """Numbers by size, before words."""
    return (float(level), "") if level.isdigit() else (float("inf"), level)


def _columns(
    asked: argparse.Namespace, file: MeasureFile, rows: NDArray[np.intp]
) -> tuple[list[Column], dict[str, str]]:
    """The columns that describe, at these rows, and why others do not."""
    numeric, categories = names(asked.numeric), names(asked.category)
    if not numeric and not categories:
        typed = file.typed()
        for name in typed.column_names:
            if name in (KEY, asked.segment, *_OF_THE_GROUPING):
                continue
            kind = typed[name].type
            is_number = pa.types.is_integer(kind) or pa.types.is_floating(kind)
            numeric, categories = (
                ((*numeric, name), categories) if is_number else (numeric, (*categories, name))
            )
    for name in (*numeric, *categories):
        if name == asked.segment:
            raise Trouble(f"{name} is the segment itself; name other columns to tell it by.")
    found, skipped = [], {}
    for column in file.table(numeric, categories).columns:
        kept = Column(column.name, column.kind, column.values[rows], "", column.levels)
        reason = _says_nothing(kept)
        if reason:
            skipped[column.name] = reason
        else:
            found.append(kept)
    if not found:
        told = "; ".join(f"{name} {reason}" for name, reason in skipped.items())
        raise Trouble(
            f"{file.path}: no column tells anything of the segments ({told or 'there is none'})."
        )
    return found, skipped


def _says_nothing(column: Column) -> str:
    if column.kind == "category":
        if len(column.levels) > MOST_LEVELS:
            return f"has {len(column.levels):,} different values"
        there = np.unique(column.values[column.values > 0])
    else:
        there = np.unique(column.values[~np.isnan(column.values)])
    return "" if len(there) > 1 else "is the same for everybody"


def portrait_as_data(portrait: Portrait) -> dict[str, Any]:
    """A portrait as figures."""
    told = portrait.told
    question = told.tree.nodes[0].question
    first: dict[str, Any] | None = None
    if question is not None:
        column = portrait.columns[question.column]
        first = {"column": column.name, "cut": question.cut}
        if question.levels:
            first["levels"] = [column.levels[code - 1] for code in question.levels]
    return {
        "segments": [
            {"segment": name, "customers": int((portrait.groups == place).sum()),
             "typical": [portrait.customers[row] for row in portrait.typical[place]]}
            for place, name in enumerate(portrait.segments)
        ],
        "outside": portrait.outside,
        "numeric": [
            {"name": row.name, "eta_squared": _or_none(row.profile.eta_squared),
             "f": _or_none(row.profile.f), "p": _or_none(row.profile.p)}
            for row in portrait.numeric
        ],
        "categories": [
            {"name": row.name, "v": row.profile.v, "chi_squared": row.profile.chi_squared,
             "p": row.profile.p}
            for row in portrait.categories
        ],
        "tree": {
            "first": first, "accuracy": _or_none(told.right.value), "held_back": told.right.of,
            "largest_segment": _or_none(told.usual.value), "steady": _or_none(portrait.steady),
        },
        "rules": [
            {"segment": portrait.segments[rule.segment], "words": rule_words(rule.ways, _label),
             "holds": _or_none(rule.holds.value), "belongs": _or_none(rule.belongs.value)}
            for rule in told.rules
        ],
        "names": [
            {"segment": name, "name": mine[0].name}
            for name, mine in zip(portrait.segments, portrait.names, strict=True)
        ],
        "skipped": portrait.skipped,
    }  # fmt: skip


def _facts(portrait: Portrait) -> BookFacts:
    """What a book can say of segments of a file: nobody knows what they were made by."""
    k = len(portrait.segments)
    sizes = np.bincount(portrait.groups, minlength=k)
    rules = {rule.segment: rule for rule in portrait.told.rules}
    numbers = number_facts(portrait.numeric, k)
    categories = category_facts(portrait.categories, k)
    return BookFacts(
        study="Segments", window="", currency="", outside=portrait.outside,
        segments=tuple(
            SegmentFacts(
                number=place + 1, name=_called(portrait, place), mark=place % MARKS,
                customers=int(sizes[place]), money=float("nan"), numbers=numbers[place],
                categories=categories[place], rule=_rule_fact(rules.get(place)),
            )
            for place in range(k)
        ),
        threads={row.name: _thread(row) for row in portrait.numeric},
    )  # fmt: skip


def _called(portrait: Portrait, place: int) -> str:
    """A segment's own name; one that is a mere number is called by what sets it apart."""
    own = portrait.segments[place]
    return portrait.names[place][0].name if own.isdigit() else own


def _thread(row: _Number) -> ThreadFact:
    profile = row.profile
    means = tuple(float(mean) for mean in profile.means)
    known = [mean for mean in means if np.isfinite(mean)]
    low, _, high = (float(q) for q in profile.quartiles)
    axis = Axis(min([low, *known]), max([high, *known]), False)
    return ThreadFact(row.label, row.unit, axis, (low, high), means)


def _rule_fact(rule: Rule | None) -> RuleFact | None:
    if rule is None:
        return None
    words = rule_words(rule.ways, _label)
    return RuleFact(words[:1].upper() + words[1:], rule.holds.value, rule.belongs.value)


def _or_none(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None


def _label(name: str) -> str:
    return name.replace("_", " ")


def print_portrait(portrait: Portrait) -> None:
    """Tell it on standard output, what was left out on standard error."""
    told, k = portrait.told, len(portrait.segments)
    print(f"{len(portrait.groups):,} customers in {k} segments.\n")
    if portrait.numeric:
        head = ("what sets them apart", "η²", *portrait.segments)
        rows = [
            (row.label, _two(row.profile.eta_squared), *(_short(m) for m in row.profile.means))
            for row in portrait.numeric
        ]
        print("\n".join(columns([head, *rows])), end="\n\n")
    if portrait.categories:
        head = ("most above everyone", "V²", *portrait.segments)
        rows = [(row.label, _two(row.profile.v**2), *_telling(row)) for row in portrait.categories]
        print("\n".join(columns([head, *rows])), end="\n\n")
    print(_tree_words(told, portrait.steady), end="\n\n")
    rules: dict[int, Rule] = {rule.segment: rule for rule in told.rules}
    for place, name in enumerate(portrait.segments):
        size = int((portrait.groups == place).sum())
        print(f"{name}  {portrait.names[place][0].name}, {size:,} customers")
        if place in rules:
            rule = rules[place]
            print(f"    {rule_words(rule.ways, _label)}")
            print(f"    holds {_percent(rule.holds.value)} of the segment; "
                  f"{_percent(rule.belongs.value)} of those it catches belong")  # fmt: skip
        typical = ", ".join(portrait.customers[row] for row in portrait.typical[place])
        print(f"    typical: {typical}")
    if portrait.outside:
        print(f"{portrait.outside:,} customers are in no segment.", file=sys.stderr)
    for column, reason in portrait.skipped.items():
        print(f"Left out: {column} {reason}.", file=sys.stderr)


def _tree_words(told: Retelling, steady: float) -> str:
    if not told.rules:
        return "There are no rules: no question leaves twenty customers on either side."
    words = (
        f"The questions place {round(100 * told.right.value)} of 100 customers whom the tree had "
        f"not seen; calling everybody the largest segment would place "
        f"{round(100 * told.usual.value)}."
    )
    if np.isfinite(steady) and steady < 0.9:
        words += f" In redrawn tables the first question is the same {steady:.0%} of the time."
    return f"{words} They retell the grouping and explain no behaviour."


def _telling(row: _Category) -> list[str]:
    shares = row.profile.shares
    return [
        f"{row.levels[level]} {_percent(shares[place, level])}"
        for place, level in enumerate(row.profile.telling)
    ]


def _percent(share: float) -> str:
    return f"{share:.0%}" if np.isfinite(share) else "–"


def _two(value: float) -> str:
    return f"{value:.2f}" if np.isfinite(value) else "–"


def _short(value: float) -> str:
    return f"{value:,.4g}" if np.isfinite(value) else "–"
