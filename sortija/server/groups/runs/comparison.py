"""Any two ways to divide the customers side by side: groupings, tiers, traits, yardsticks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.groups.compare import Comparison, compare, nested_in_words, rand_in_words
from sortija.core.table import Column
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.ledger.customers.traits import said
from sortija.server.lens.fields import Field, field_kind
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.scores.drafts import draft_of as scores_draft
from sortija.server.scores.scored import scored_at
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Problem
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["ComparePage", "compare_page"]

MOST = 60


class Choice(BaseModel):
    """Something that divides the customers; ``key`` names it in an address."""

    key: str
    label: str
    kind: str


class ComparePage(BaseModel):
    """``table``: customers by the groups of both; ``matching``: the partner of each group of the
    first, −1 for none; ``differ``: customers in both and not with their group's partner, whom the
    field ``differ_field`` holds for the lens."""

    first: Choice
    second: Choice
    rows: list[str]
    columns: list[str]
    row_field: str
    column_field: str
    table: list[list[int]]
    matching: list[int]
    differ: int
    both: int
    only_first: int
    only_second: int
    rand: float
    words: str
    variation: float
    agree: float | None
    note: str
    differ_field: str
    choices: list[Choice]


@dataclass(frozen=True)
class Division:
    """``labels``: (n,) from 0, −1 for no group; ``field``: what a lens calls it."""

    key: str
    label: str
    kind: str
    labels: NDArray[np.int32]
    names: tuple[str, ...]
    field: str
    stamp: str
    window: str

    @property
    def choice(self) -> Choice:
        return Choice(key=self.key, label=self.label, kind=self.kind)


def compare_page(study: Study, window: WindowInView, first: str, second: str) -> ComparePage:
    """Two divisions of the customers, and everything else that could be compared."""
    made = measures_or_job(study, window)
    if not isinstance(made, MeasureSet):
        raise Problem("The measures of this window are still being derived.", 503)
    choices = _choices(study, made)
    a, b = (_division(study, made, key) for key in (first, second))
    found = _compared(Keyed((a.stamp, b.stamp), (a, b)))
    both = int(found.table.sum())
    note = ""
    if a.window != b.window:
        note = "They are of different windows: customers may have moved, not only groups."
    return ComparePage(
        first=a.choice, second=b.choice, rows=list(a.names), columns=list(b.names),
        row_field=a.field, column_field=b.field, table=found.table.tolist(),
        matching=found.matching.tolist(), differ=int(found.differ.sum()), both=both,
        only_first=found.only_first, only_second=found.only_second, rand=found.adjusted_rand,
        words=nested_in_words(found.table) or rand_in_words(found.adjusted_rand),
        variation=found.variation_of_information,
        agree=found.agree if both else None, note=note, differ_field=f"differ:{a.key}~{b.key}",
        choices=choices,
    )  # fmt: skip


def _choices(study: Study, made: MeasureSet) -> list[Choice]:
    rows = Grouping.objects.filter(study=study, binned=False).order_by("-starred", "-id")[:MOST]
    out = [Choice(key=f"g{g.pk}", label=_called(g), kind="grouping") for g in rows]
    out += [
        Choice(key=f"y{y.pk}", label=_yardstick_called(y), kind="yardstick")
        for y in Yardstick.objects.filter(study=study).order_by("-id")
    ]
    out.append(Choice(key="ladder", label="The tiers at Scores", kind="tiers"))
    out += [
        Choice(key=f"t.{name.removeprefix('trait:')}", label=made.about(name).label, kind="trait")
        for name, source in made.others.items()
        if source.kind == "category"
    ]
    return out


def _called(grouping: Grouping) -> str:
    recipe = grouping.recipe
    columns = len(recipe["numeric"]) + len(recipe["categories"])
    return f"{grouping.k} groups, {recipe['method']}, {columns} columns, no. {grouping.pk}"


def _yardstick_called(yardstick: Yardstick) -> str:
    kind = "tiers" if yardstick.ladder is not None else "segments"
    use = "" if yardstick.retired else ", in use"
    return f"{yardstick.k} {kind} of {yardstick.adopted_at:%d %b %Y}{use}"


def _division(study: Study, made: MeasureSet, key: str) -> Division:
    found = _resolved(study, made, key)
    if found is None:
        raise Problem("One of the two no longer exists. Pick another.", 404)
    return found


def _resolved(study: Study, made: MeasureSet, key: str) -> Division | None:
    if key == "ladder":
        at = scored_at(made, scores_draft(study)[0])
        if at is None:
            return None
        return Division(key, "The tiers at Scores", "tiers", at.places - 1, at.ladder.names,
                        "tier:now", at.stamp, made.window.key)  # fmt: skip
    if key.startswith("t."):
        name = f"trait:{key.removeprefix('t.')}"
        if name not in made.others or made.source(name).kind != "category":
            return None
        column = made.column(name)
        labels = np.asarray(column.values, np.int32)[: made.size] - 1
        words = said(study, name, column.levels)
        return Division(key, made.about(name).label, "trait", labels, words, name,
                        made.source(name).stamp, made.window.key)  # fmt: skip
    kind, number = key[:1], key[1:]
    if not is_whole(number):
        return None
    if kind == "g":
        return _grouping(study, made, key, int(number))
    return _yardstick(study, made, key, int(number)) if kind == "y" else None


def _grouping(study: Study, made: MeasureSet, key: str, number: int) -> Division | None:
    row = Grouping.objects.filter(study=study, pk=number).select_related("labels").first()
    if row is None:
        return None
    labels = np.full(made.size, -1, np.int32)
    codes = np.asarray(read_column(row.labels).values)[: made.size]
    labels[: len(codes)] = codes - 1
    names = tuple(f"Group {n}" for n in range(1, row.k + 1))
    return Division(key, _called(row), "grouping", labels, names, f"grouping:{number}",
                    f"{row.labels.token}:{made.size}", row.window)  # fmt: skip


def _yardstick(study: Study, made: MeasureSet, key: str, number: int) -> Division | None:
    row = Yardstick.objects.filter(study=study, pk=number).first()
    placed = assignment_at(study, row, made.window) if row else None
    if row is None or placed is None:
        return None
    state = placed.placement.state
    labels = np.where(state < row.k, state, -1).astype(np.int32)
    names = tuple(s.name for s in row.segments.all())
    return Division(key, _yardstick_called(row), "yardstick", labels, names, f"segment:{number}",
                    placed.stamp, made.window.key)  # fmt: skip


@remembered
def _compared(key: Keyed[tuple[Division, Division]]) -> Comparison:
    a, b = key.value
    return compare(a.labels, b.labels, len(a.names), len(b.names))


@field_kind("differ")
def _differ_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """Who is not with the partner of the own group: ``differ:g12~y3``."""
    first, _, second = name.partition("~")
    made = measures_or_job(study, window)
    if not isinstance(made, MeasureSet):
        return None
    a, b = _resolved(study, made, first), _resolved(study, made, second)
    if a is None or b is None:
        return None
    found = _compared(Keyed((a.stamp, b.stamp), (a, b)))
    codes = np.zeros(made.size, np.int32)
    codes[(a.labels >= 0) & (b.labels >= 0)] = 1
    codes[found.differ] = 2
    column = Column(name, "category", codes, "", ("same", "elsewhere"))
    words = ("With the same customers", "Elsewhere")
    return Field(f"differ:{name}", "Grouped differently", "", column, f"{a.stamp}~{b.stamp}", words)
