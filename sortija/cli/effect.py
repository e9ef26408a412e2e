"""``sortija effect``: what a campaign did, written to against held out."""

from __future__ import annotations

import argparse
import json
import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.cli.files import open_list
from sortija.cli.holdout import HELD, WRITTEN
from sortija.cli.terminal import Trouble, columns
from sortija.core.campaigns.differences import Difference
from sortija.core.campaigns.effect import Effect, Parts, Spend, effect_of, parts_of, spend_effect
from sortija.core.campaigns.strata import Arms, arms_of
from sortija.core.formats.measures import MeasureFile, MeasureFileError
from sortija.core.table import Column

__all__ = ["Segments", "add_to", "as_data", "effect_in", "told"]

_EXAMPLES = """\
examples:
  sortija effect list.csv --group group --returned returned
      group says written or held of each customer, returned 1 or 0
  sortija effect list.csv --spend spend --pre pre_spend --stratum stratum --segment segment --json
      spend a head as well, capped and adjusted for what was spent before; read within the strata
      of the draw; by segment

By intention to treat: keep everybody in the list who was drawn, opened or not, delivered or not.
"""


def add_to(commands: Any) -> None:
    """Register the command."""
    parser = commands.add_parser(
        "effect", help="what a campaign did, written to against held out",
        description="Compare those written to with those held out: who came back, what they spent.",
        epilog=_EXAMPLES, formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    add = parser.add_argument
    add("list", type=Path, metavar="LIST", help="a row per customer; - reads standard input")
    add("--group", default="group", metavar="COLUMN", help="written or held (group)")
    add("--returned", default="returned", metavar="COLUMN", help="1 or 0 (returned)")
    add("--spend", metavar="COLUMN", help="what was spent since")
    add("--pre", metavar="COLUMN", help="what was spent before")
    add("--stratum", metavar="COLUMN", help="the strata of the draw")
    add("--segment", metavar="COLUMN", help="tell it by segment, too")
    add("--json", action="store_true", help="as JSON")
    parser.set_defaults(run=run)


@dataclass(frozen=True)
class Segments:
    """The effect by segment, whose names are in the order of its figures."""

    names: tuple[str, ...]
    returned: Parts
    spend: tuple[Spend | None, ...]


def run(asked: argparse.Namespace) -> None:
    """Read the list, tell the effect."""
    found, segments = effect_in(open_list(asked.list), asked)
    if asked.json:
        print(json.dumps(as_data(found, segments), indent=1, ensure_ascii=False))
    else:
        print("\n".join(told(found, segments)))


def effect_in(file: MeasureFile, asked: argparse.Namespace) -> tuple[Effect, Segments | None]:
    """The effect in a list, and by segment where a column of them is named."""
    if asked.pre and not asked.spend:
        raise Trouble("--pre adjusts spend: name the column of --spend, too.")
    arms = _arms(file, asked)
    came = _returned(file, asked.returned)
    spent, before = (_numbers(file, name) if name else None for name in (asked.spend, asked.pre))
    found = effect_of(came, arms, spent, before)
    segments = _by_segment(file, asked, arms, came, spent, before) if asked.segment else None
    return found, segments


def _arms(file: MeasureFile, asked: argparse.Namespace) -> Arms:
    group = _category(file, asked.group)
    row = _first(np.asarray(group.values) == 0)
    if row is not None:
        raise Trouble(f"{file.path}, row {row + 2}: {asked.group} is empty.")
    odd = [level for level in group.levels if level not in (WRITTEN, HELD)]
    if odd:
        row = _first(np.asarray(group.values) == group.levels.index(odd[0]) + 1)
        raise Trouble(
            f"{file.path}, row {(row or 0) + 2}: {asked.group} is {WRITTEN} or {HELD}, not "
            f"“{odd[0]}”."
        )
    held = np.array([level == HELD for level in ("", *group.levels)])[group.values]
    stratum = _category(file, asked.stratum).values if asked.stratum else None
    try:
        return arms_of(held, None if stratum is None else np.asarray(stratum))
    except ValueError as problem:
        raise Trouble(f"{file.path}: {problem}.") from problem


def _returned(file: MeasureFile, name: str) -> NDArray[np.bool_]:
    values = _numbers(file, name)
    row = _first((values != 0) & (values != 1))
    if row is not None:
        raise Trouble(f"{file.path}, row {row + 2}: {name} is 0 or 1, not {values[row]:g}.")
    return values == 1


def _numbers(file: MeasureFile, name: str) -> NDArray[np.float64]:
    """A column of which no cell is empty."""
    try:
        values = np.asarray(file.table((name,))[name].values, np.float64)
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem
    row = _first(~np.isfinite(values))
    if row is not None:
        raise Trouble(f"{file.path}, row {row + 2}: {name} has no number. Write 0 for nothing.")
    return values


def _category(file: MeasureFile, name: str) -> Column:
    try:
        return file.table((), (name,))[name]
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem


def _first(wrong: NDArray[np.bool_]) -> int | None:
    return int(wrong.argmax()) if wrong.any() else None


def _by_segment(
    file: MeasureFile, asked: argparse.Namespace, arms: Arms, came: NDArray[np.bool_],
    spent: NDArray[np.float64] | None, before: NDArray[np.float64] | None,
) -> Segments:  # fmt: skip
    column = _category(file, asked.segment)
    part = np.asarray(column.values)
    found = parts_of(came, arms, part)
    level = 1 - 0.05 / max(len(found.numbers), 1)
    spend = [
        None if spent is None
        else spend_effect(
            spent[who], arms.of(who), None if before is None else before[who], level
        )
        for who in (part == number for number in found.numbers)
    ]  # fmt: skip
    names = ("", *column.levels)
    return Segments(tuple(names[n] for n in found.numbers), found, tuple(spend))


def _plain(value: float) -> float | None:
    return None if math.isnan(value) else value


def _difference(found: Difference) -> dict[str, float | None]:
    names = ("written", "held", "difference", "low", "high", "p")
    return {name: _plain(getattr(found, name)) for name in names}


def _spend(found: Spend) -> dict[str, Any]:
    adjusted = found.adjusted and {
        name: _plain(getattr(found.adjusted, name)) for name in ("difference", "low", "high", "p")
    }
    return {**_difference(found.plain), "adjusted": adjusted, "cap": _plain(found.cap)}


def as_data(found: Effect, segments: Segments | None) -> dict[str, Any]:
    """An effect as figures."""
    written, held = (int(count) for count in found.arms.sizes.sum(axis=1))
    return {
        "customers": {WRITTEN: written, HELD: held},
        "returned": _difference(found.returned),
        "spend": _spend(found.spend) if found.spend else None,
        "segments": _segments_json(segments) if segments else [],
        "interaction_p": _plain(segments.returned.differ) if segments else None,
    }


def _segments_json(segments: Segments) -> list[dict[str, Any]]:
    figures = segments.returned
    return [
        {
            "segment": name, "customers": {WRITTEN: size[0], HELD: size[1]},
            **_difference(returned), "p": _plain(p), "returned": _difference(returned),
            "spend": _spend(spend) if spend else None,
        }
        for name, size, returned, p, spend in zip(
            segments.names, figures.sizes, figures.returned, figures.p, segments.spend, strict=True
        )
    ]  # fmt: skip


def _points(found: Difference) -> str:
    return f"{100 * found.difference:+.1f} ({100 * found.low:+.1f} to {100 * found.high:+.1f})"


def told(found: Effect, segments: Segments | None) -> list[str]:
    """What is said of an effect, line by line."""
    returned = found.returned
    written, held = (int(count) for count in found.arms.sizes.sum(axis=1))
    said = [
        f"{written:,} written to, {held:,} held out.",
        f"Came back: {100 * returned.written:.1f}% against {100 * returned.held:.1f}%, "
        f"{_points(returned)} points, 95%.",
        f"Had nothing been sent, {100 * returned.by_luck:.2g} such campaigns in 100 would look "
        "like this or plainer.",
    ]
    if found.spend:
        said += _spend_words(found.spend)
    if segments:
        said += ["", *_segment_words(segments)]
    return said


def _spend_words(spend: Spend) -> list[str]:
    plain, adjusted = spend.plain, spend.adjusted
    said = [f"Spend a head: {plain.written:.2f} against {plain.held:.2f}, {_money(plain)}."]
    if adjusted:
        cap = "not capped" if math.isnan(spend.cap) else f"capped at {spend.cap:.2f}"
        said.append(f"Adjusted for earlier spend, {cap}: {_money(adjusted)}.")
    return said


def _money(found: Difference) -> str:
    if math.isnan(found.low):
        return f"{found.difference:+.2f}; an arm has too few buyers for an interval"
    return f"{found.difference:+.2f} ({found.low:+.2f} to {found.high:+.2f}, 95%)"


def _segment_words(segments: Segments) -> list[str]:
    figures = segments.returned
    head = ["segment", "written", "held", "points"]
    rows = [
        [name, f"{size[0]:,}", f"{size[1]:,}", _points(returned)]
        for name, size, returned in zip(
            segments.names, figures.sizes, figures.returned, strict=True
        )
    ]
    if math.isnan(figures.differ):
        return columns([head, *rows])
    sign = "Segments differ" if figures.differ < 0.05 else "No sign that segments differ"
    return [
        f"{sign} (p {figures.differ:.2g}); intervals are widened for {len(rows)} looks.",
        *columns([head, *rows]),
    ]
