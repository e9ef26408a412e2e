"""What commands tell of tables, as figures and frames: plain text where it is looked at."""

from __future__ import annotations

import argparse
import io
from collections.abc import Sequence
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from typing import Any

import pyarrow as pa

from sortija.cli import compare as comparing
from sortija.cli import effect as effects
from sortija.cli.cross_tables import cross_tables
from sortija.cli.engines import engine_for
from sortija.cli.portray import portrait_as_data, portrait_of, print_portrait
from sortija.cli.terminal import Trouble, columns
from sortija.core.formats.measures import MeasureFileError
from sortija.notebook.frames import measures_in, of_the_kind

__all__ = ["Told", "compare", "cross", "effect", "portray"]


@dataclass(frozen=True)
class Told:
    """``figures``: as ``--json`` of the command has them; ``table``: the figures that make one;
    ``words``: what a terminal says."""

    figures: dict[str, Any]
    table: Any
    words: str

    def __repr__(self) -> str:
        return self.words


def compare(one: Any, other: Any, column: str = "segment") -> Told:
    """Two groupings of the same customers: who is where, which segments match, how far they agree.

    >>> a = {"customer": ["A", "B", "C"], "segment": [1, 1, 2]}
    >>> float(compare(a, a).figures["adjusted_rand"])
    1.0
    """
    found, names, unshared = comparing.compared([measures_in(one), measures_in(other)], column)
    table = pa.table({
        column: names[0], **{name: found.table[:, n] for n, name in enumerate(names[1])}
    })  # fmt: skip
    return Told(
        comparing.as_data(found, names, unshared), of_the_kind(one, table),
        "\n".join(comparing.told(found, names, unshared)),
    )  # fmt: skip


def cross(before: Any, after: Any, segment: str = "segment") -> Told:
    """Who went where between two tables of placed customers.

    How much of it is chance two tables cannot say: ``sortija cross`` does, of logs and a recipe.

    >>> june = {"customer": ["A", "B"], "segment": [1, 2]}
    >>> july = {"customer": ["A", "B"], "segment": [2, 2]}
    >>> cross(june, july).table.column("2").to_pylist()
    [1, 1, 0, 0, 0]
    """
    asked = argparse.Namespace(
        segment=segment, money=None, margin=None, known=None, before_date=None, after_date=None
    )
    found = cross_tables(asked, [measures_in(before), measures_in(after)])
    counts, names = found.table().astype(int), found.states
    there = [n for n in range(len(names)) if counts[n].any() or counts[:, n].any()]
    head = ["from ↓ to →", *(names[n] for n in there)]
    lines = [[names[a], *(f"{counts[a, b]:,}" for b in there)] for a in there]
    table = pa.table({
        "from": list(names), **{name: counts[:, n] for n, name in enumerate(names)}
    })  # fmt: skip
    figures = {"states": list(names), "customers": counts.tolist()}
    return Told(figures, of_the_kind(before, table), "\n".join(columns([head, *lines])))


def portray(
    table: Any, segment: str = "segment", numeric: Sequence[str] = (),
    category: Sequence[str] = (), depth: int = 3, seed: int = 4107,
) -> Told:  # fmt: skip
    """What sets segments apart, and rules that retell them.

    Raises
    ------
    Trouble
        Fewer than two segments, or no column that tells anything of them.

    >>> shop = {"customer": list("ABCDEF"), "segment": [1, 1, 1, 2, 2, 2],
    ...         "visits": [1, 2, 1, 9, 8, 9]}
    >>> portray(shop).table["name"].to_pylist()
    ['visits']
    """
    file, engine = measures_in(table), engine_for()
    asked = argparse.Namespace(
        assigned="the table", segment=segment, numeric=list(numeric), category=list(category),
        depth=depth, seed=seed,
    )  # fmt: skip
    try:
        found = portrait_of(asked, file, engine)
    except MeasureFileError as problem:
        raise Trouble(str(problem)) from problem
    finally:
        engine.release()
    figures, said = portrait_as_data(found), io.StringIO()
    with redirect_stdout(said), redirect_stderr(said):
        print_portrait(found)
    rows = pa.table({
        "name": [row.name for row in found.numeric],
        "eta_squared": [row["eta_squared"] for row in figures["numeric"]],
        **{
            str(name): [float(row.profile.means[n]) for row in found.numeric]
            for n, name in enumerate(found.segments)
        },
    })  # fmt: skip
    return Told(figures, of_the_kind(table, rows), said.getvalue().rstrip())


def effect(
    table: Any, group: str = "group", returned: str = "returned", spend: str | None = None,
    pre: str | None = None, stratum: str | None = None, segment: str | None = None,
) -> Told:  # fmt: skip
    """What a campaign did: written to against held out, by intention to treat.

    Raises
    ------
    Trouble
        A column is not there, or says something else than it may.

    >>> rows = {"customer": [f"C{n}" for n in range(40)], "group": ["written", "held"] * 20,
    ...         "returned": [1, 0] * 20}
    >>> effect(rows).figures["returned"]["difference"]
    1.0
    """
    asked = argparse.Namespace(
        group=group, returned=returned, spend=spend, pre=pre, stratum=stratum, segment=segment
    )
    found, segments = effects.effect_in(measures_in(table), asked)
    figures = effects.as_data(found, segments)
    rows = [
        ("everyone", figures["returned"]),
        *((s["segment"], s["returned"]) for s in figures["segments"]),
    ]
    names = ("written", "held", "difference", "low", "high")
    frame = pa.table({
        "of": [name for name, _ in rows], **{n: [row[n] for _, row in rows] for n in names}
    })  # fmt: skip
    return Told(figures, of_the_kind(table, frame), "\n".join(effects.told(found, segments)))
