"""The recipe as the screen shows it: columns with small threads, cautions with remedies, time."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import BaseModel

from sortija.core.groups.cautions import RARE, SKEWED, rare_in_words, skewed_in_words
from sortija.core.sampling import SEED, sample_rows
from sortija.server.groups.models import Grouping
from sortija.server.groups.recipe.inputs import (
    Draft,
    chosen,
    draft_of,
    groupable,
    method_of,
    steps_of,
)
from sortija.server.ledger.customers.traits import said
from sortija.server.measures.actions import Plan, plan_of
from sortija.server.measures.column_summaries import likeness, summary_of
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.measures.payloads import StepsBody
from sortija.server.measures.plan import role_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.trail import in_rows

__all__ = ["RecipeBody", "recipe_body"]

SAME, LACKS, FEW, ID_LIKE, MOST_LEVELS = 0.9, 0.05, 30, 0.9, 250
_LOOKED_AT = 20_000


class NumericInput(BaseModel):
    """``shape``, ``prepared``: everyone along the axis as it is and as prepared."""

    name: str
    label: str
    unit: str
    role: str
    picked: bool
    steps: StepsBody
    own_steps: bool
    weight: float
    missing: int
    shape: list[int]
    prepared: list[int]
    reason: str


class CategoryInput(BaseModel):
    """``shares``: of the commonest levels, by customers; ``levels`` their names."""

    name: str
    label: str
    role: str
    picked: bool
    weight: float
    values: int
    levels: list[str]
    shares: list[int]


class Remedy(BaseModel):
    """One click: the recipe as it would be."""

    label: str
    draft: Draft


class Caution(BaseModel):
    """What may mislead, about which column (empty: the whole recipe), and what to do."""

    column: str
    words: str
    remedies: list[Remedy]


class RecipeBody(BaseModel):
    """``seconds``: about how long a sweep takes, None while nothing like it was ever run."""

    revision: int
    draft: Draft
    numeric: list[NumericInput]
    categories: list[CategoryInput]
    method: str
    customers: int
    cautions: list[Caution]
    seconds: int | None


def recipe_body(study: Study, made: MeasureSet) -> RecipeBody:
    """The draft with everything that can be picked."""
    draft, revision = draft_of(study)
    plan, _ = plan_of(study)
    numeric, categories = chosen(study, made, draft)
    numbers = [
        _number(made, plan, draft, name, name in numeric)
        for name, source in made.sources.items()
        if source.kind == "number" and not name.startswith("offer:")
    ]
    traits = [_trait(made, plan, draft, name, categories) for name in groupable(made)]
    whole = draft.model_copy(update={"numeric": numeric, "categories": categories})
    return RecipeBody(
        revision=revision, draft=draft, numeric=numbers, categories=traits,
        method=method_of(draft, numeric, categories), customers=int(made.present.sum()),
        cautions=_cautions(made, plan, whole), seconds=_seconds(study, made, whole),
    )  # fmt: skip


def _number(made: MeasureSet, plan: Plan, draft: Draft, name: str, picked: bool) -> NumericInput:
    steps = steps_of(made, plan, draft, name)
    look, about = summary_of(made, name, steps), made.about(name)
    return NumericInput(
        name=name, label=about.label, unit=about.unit, role=role_of(made, plan, name),
        picked=picked, steps=StepsBody(**steps.__dict__), own_steps=name in draft.steps,
        weight=draft.weights.get(name, 1.0),
        missing=sum(look["figures"]["missing"].values()), shape=look["shape"],
        prepared=look["prepared"], reason=_reason(look, steps.transform),
    )  # fmt: skip


def _reason(look: dict[str, Any], transform: str) -> str:
    """Why it is prepared so, in words."""
    raw, after = look["figures"].get("skew"), look.get("prepared_skew")
    if raw is None or after is None:
        return ""
    if transform in ("log", "root"):
        return f"skew {raw:.1f} to {after:.1f}"
    return f"skew {after:.1f}"


def _trait(
    made: MeasureSet, plan: Plan, draft: Draft, name: str, picked: list[str]
) -> CategoryInput:
    short, column = name.removeprefix("trait:"), made.column(name)
    counts = np.bincount(np.asarray(column.values)[made.present], minlength=len(column.levels) + 1)
    order = np.argsort(-counts[1:], kind="stable")[:6]
    words = said(made.study, name, column.levels)
    return CategoryInput(
        name=short, label=made.about(name).label, role=role_of(made, plan, name),
        picked=short in picked, weight=draft.weights.get(short, 1.0), values=len(column.levels),
        levels=[words[n] for n in order], shares=[int(counts[n + 1]) for n in order],
    )  # fmt: skip


def _seconds(study: Study, made: MeasureSet, draft: Draft) -> int | None:
    """From the last sweep of the same method, by customers, columns, starts and rows of k."""
    method = method_of(draft, draft.numeric or [], draft.categories or [])
    rows = Grouping.objects.filter(study=study, recipe__method=method, seconds__gt=0)
    last = list(rows.order_by("-id")[:8])
    if not last:
        return None
    mean = sum(row.seconds / _work(row) for row in last) / len(last)
    columns = len(draft.numeric or []) + len(draft.categories or [])
    own = int(made.present.sum()) * max(columns, 1) * (20 + draft.starts)
    return max(1, round(mean * own * (draft.most - 1)))


def _work(row: Grouping) -> float:
    columns = len(row.recipe["numeric"]) + len(row.recipe["categories"])
    return float(sum(row.outcome.counts) * max(columns, 1) * (20 + row.recipe["starts"]))


def _cautions(made: MeasureSet, plan: Plan, draft: Draft) -> list[Caution]:
    """What matters of the columns that are picked, the gravest first; looked at once."""
    names = [*(draft.numeric or []), *(f"trait:{c}" for c in draft.categories or [])]
    stamps = tuple(made.source(name).stamp for name in names)
    steps = {n: steps_of(made, plan, draft, n).__dict__ for n in draft.numeric or []}
    key = (made.stamp, stamps, draft.model_dump_json(), repr(steps))
    found = _found(Keyed(key, (made, plan, draft)))
    return [each.model_copy(update={"words": in_rows(made.study, each.words)}) for each in found]


@remembered
def _found(key: Keyed[tuple[MeasureSet, Plan, Draft]]) -> list[Caution]:
    made, plan, draft = key.value
    return [
        *_levels(made, draft), *_ids_and_constants(made, draft), *_same(made, draft),
        *_lacking(made, plan, draft), *_skewed(made, plan, draft), *_few(made, draft),
    ]  # fmt: skip


def _without(draft: Draft, name: str) -> Draft:
    if name.startswith("trait:"):
        short = name.removeprefix("trait:")
        rest = [c for c in draft.categories or [] if c != short]
        return draft.model_copy(update={"categories": rest})
    return draft.model_copy(update={"numeric": [n for n in draft.numeric or [] if n != name]})


def _leave_out(draft: Draft, made: MeasureSet, name: str) -> Remedy:
    return Remedy(label=f"Leave out {made.about(name).label}", draft=_without(draft, name))


def _levels(made: MeasureSet, draft: Draft) -> list[Caution]:
    out = []
    present = int(made.present.sum())
    for short in draft.categories or []:
        name = f"trait:{short}"
        column, label = made.column(name), made.about(name).label
        counts = np.bincount(np.asarray(column.values)[made.present])[1:]
        there = int((counts > 0).sum())
        rare = int(((counts > 0) & (counts < RARE * present)).sum())
        pooled = Remedy(label="Pool the rare values", draft=draft.model_copy(update={"pool": RARE}))
        remedies = [_leave_out(draft, made, name)]
        if there > ID_LIKE * present and present > FEW:
            words = f"{label} is different for almost everyone: it looks like an id."
        elif there > MOST_LEVELS and draft.pool == 0:
            words = f"{label} has {there:,} values. More than {MOST_LEVELS} cannot be grouped by."
            remedies.insert(0, pooled)
        elif rare > 1 and draft.pool == 0:
            words = rare_in_words(label, rare)
            remedies.insert(0, pooled)
        else:
            continue
        out.append(Caution(column=name, words=words, remedies=remedies))
    return out


def _ids_and_constants(made: MeasureSet, draft: Draft) -> list[Caution]:
    out = []
    for name in draft.numeric or []:
        label, values = made.about(name).label, np.asarray(made.column(name).values, float)
        rows = sample_rows(np.flatnonzero(made.present & ~np.isnan(values)), _LOOKED_AT, SEED)
        some = values[rows]
        different = len(np.unique(some))
        whole = len(some) > FEW and made.about(name).whole and bool((some == np.rint(some)).all())
        if len(some) and different == 1:
            words = f"{label} is the same for everyone, so it tells nobody apart."
        elif whole and different > ID_LIKE * len(some):
            words = f"{label} is a different whole number for almost everyone: it looks like an id."
        else:
            continue
        out.append(Caution(column=name, words=words, remedies=[_leave_out(draft, made, name)]))
    return out


def _same(made: MeasureSet, draft: Draft) -> list[Caution]:
    names = [n for n in draft.numeric or [] if made.source(n).kind == "number"]
    found = likeness(made, names, rank=True) if len(names) > 1 else None
    out = []
    for i, a in enumerate(found.names if found else ()):
        for j, b in enumerate(found.names[:i] if found else ()):
            value = found.values[i][j] if found else None
            if value is None or abs(value) < SAME:
                continue
            la, lb = made.about(a).label, made.about(b).label
            weights = draft.weights | {n: draft.weights.get(n, 1.0) / 2 for n in (a, b)}
            halve = Remedy(
                label="Give both half the weight",
                draft=draft.model_copy(update={"weights": weights}),
            )
            if all(draft.weights.get(n, 1.0) <= 0.5 for n in (a, b)):
                continue  # they count as one already
            words = f"{lb} and {la} say nearly the same (r {value:.2f}), so that it counts twice."
            out.append(Caution(column=a, words=words, remedies=[_leave_out(draft, made, a), halve]))
    return out


def _lacking(made: MeasureSet, plan: Plan, draft: Draft) -> list[Caution]:
    out, present = [], max(int(made.present.sum()), 1)
    for name in draft.numeric or []:
        missing = int((made.column(name).missing & made.present).sum())
        filled = steps_of(made, plan, draft, name).fill != "leave out"
        if filled or missing / present <= LACKS:
            continue
        label = made.about(name).label
        words = f"{missing:,} customers ({missing / present:.0%}) lack {label} and would stay out."
        remedies = [_leave_out(draft, made, name)]
        if not made.about(name).by_definition:
            remedies.insert(0, _fill(made, plan, draft, name))
        out.append(Caution(column=name, words=words, remedies=remedies))
    return out


def _fill(made: MeasureSet, plan: Plan, draft: Draft, name: str) -> Remedy:
    """Neighbours lend a value; not offered for what is missing by definition."""
    own = StepsBody(**{**steps_of(made, plan, draft, name).__dict__, "fill": "neighbours"})
    steps = draft.steps | {name: own}
    return Remedy(
        label="Fill from the nearest customers", draft=draft.model_copy(update={"steps": steps})
    )


def _skewed(made: MeasureSet, plan: Plan, draft: Draft) -> list[Caution]:
    out = []
    for name in draft.numeric or []:
        steps = steps_of(made, plan, draft, name)
        skew = summary_of(made, name, steps).get("prepared_skew")
        if skew is None or abs(skew) <= SKEWED or steps.scale == "rank":
            continue
        ranked = StepsBody(**{**steps.__dict__, "transform": "none", "scale": "rank"})
        capped = StepsBody(**{**steps.__dict__, "cap": 0.02})
        remedies = [
            Remedy(label=words, draft=draft.model_copy(update={"steps": draft.steps | {name: own}}))
            for words, own in (("Use ranks", ranked), ("Cap 2% at each end", capped))
            if own.model_dump() != StepsBody(**steps.__dict__).model_dump()
        ]
        words = skewed_in_words(made.about(name).label, skew)
        out.append(Caution(column=name, words=words, remedies=remedies))
    return out


def _few(made: MeasureSet, draft: Draft) -> list[Caution]:
    present = int(made.present.sum())
    if present >= FEW * draft.most:
        return []
    most = max(2, present // FEW)
    words = f"{present:,} customers are few for {draft.most} groups."
    remedy = Remedy(label=f"Try at most {most}", draft=draft.model_copy(update={"most": most}))
    return [Caution(column="", words=words, remedies=[remedy] if most < draft.most else [])]
