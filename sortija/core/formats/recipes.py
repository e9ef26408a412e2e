"""Frozen groupings as JSON, by the schema in ``recipe.schema.json``."""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files
from typing import Any

import numpy as np
from jsonschema import Draft202012Validator

from sortija.core.groups.assignment import FrozenGrouping
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Category, Preparation, Recipe
from sortija.core.measures.neighbours import Donors
from sortija.core.measures.preparation import Fitted, Steps

__all__ = ["FORMAT", "RecipeFileError", "read_recipe", "schema", "write_recipe"]

FORMAT, VERSION = "sortija grouping recipe", 1


class RecipeFileError(ValueError):
    """A file that is no recipe; the message names the place in it."""


@cache
def schema() -> dict[str, Any]:
    """The published JSON schema (draft 2020-12)."""
    text = files("sortija.core.formats").joinpath("recipe.schema.json").read_text("utf-8")
    found: dict[str, Any] = json.loads(text)
    return found


def write_recipe(frozen: FrozenGrouping) -> str:
    """JSON text. Numbers are written so that reading gives the same bits."""
    preparation, centres = frozen.preparation, frozen.centres
    data = {
        "format": FORMAT,
        "version": VERSION,
        "recipe": frozen.recipe.as_json(),
        "preparation": {
            "numeric": [_number(n, f, w) for n, f, w in preparation.numeric],
            "categories": [
                {"column": c.name, "levels": list(c.levels), "pooled": list(c.pooled),
                 "weight": c.gamma}
                for c in preparation.categories
            ],
            "dropped": list(preparation.dropped),
            "gower": preparation.gower,
            "donors": preparation.donors.as_json() if preparation.donors else None,
        },
        "segments": [
            {"segment": g + 1, "customers": int(frozen.counts[g]),
             "numbers": centres.numbers[g].astype(float).tolist(),
             "codes": centres.modes[g].tolist()}
            for g in range(frozen.k)
        ],
        "cost": frozen.cost,
    }  # fmt: skip
    return json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def _number(name: str, fitted: Fitted, weight: float) -> dict[str, Any]:
    out: dict[str, Any] = {
        "column": name, "weight": weight, "steps": fitted.steps.__dict__,
        "fill": None if fitted.fill != fitted.fill else fitted.fill,
        "low": fitted.low, "high": fitted.high, "centre": fitted.centre, "spread": fitted.spread,
    }  # fmt: skip
    return {**out, "knots": list(fitted.knots), "count": fitted.count} if fitted.knots else out


def read_recipe(text: str) -> FrozenGrouping:
    """A frozen grouping from JSON text.

    Raises
    ------
    RecipeFileError
        It is no JSON, of another format or version, or does not follow the schema.
    """
    try:
        data = json.loads(text)
    except json.JSONDecodeError as problem:
        raise RecipeFileError(f"line {problem.lineno} is no JSON: {problem.msg}.") from problem
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise RecipeFileError("it is no grouping recipe of Sortija.")
    if data.get("version") != VERSION:
        raise RecipeFileError(
            f"it is of version {data.get('version')}, and this Sortija reads version {VERSION}."
        )
    wrong = next(iter(Draft202012Validator(schema()).iter_errors(data)), None)
    if wrong is not None:
        where = "/".join(str(part) for part in wrong.absolute_path)
        raise RecipeFileError(f"at {where or 'its top'}: {wrong.message}.")
    return _frozen(data)


def _frozen(data: dict[str, Any]) -> FrozenGrouping:
    parts, segments = data["preparation"], data["segments"]
    numeric = tuple(
        (
            each["column"],
            Fitted(
                Steps(**each["steps"]),
                float("nan") if each["fill"] is None else float(each["fill"]),
                float(each["low"]),
                float(each["high"]),
                float(each["centre"]),
                float(each["spread"]),
                tuple(float(knot) for knot in each.get("knots", ())),
                count=int(each.get("count", 0)),
            ),
            float(each["weight"]),
        )
        for each in parts["numeric"]
    )
    categories = tuple(
        Category(c["column"], tuple(c["levels"]), float(c["weight"]), tuple(c["pooled"]))
        for c in parts["categories"]
    )
    for number, each in enumerate(segments):
        if len(each["numbers"]) != len(numeric) or len(each["codes"]) != len(categories):
            raise RecipeFileError(f"at segments/{number}: it has too many or too few values.")
    donors = parts.get("donors")
    preparation = Preparation(
        numeric, categories, tuple(parts["dropped"]),
        Donors.from_json(donors) if donors else None, bool(parts["gower"]),
    )  # fmt: skip
    k = len(segments)
    centres = Centres(
        np.array([each["numbers"] for each in segments], np.float32).reshape(k, -1),
        np.array([each["codes"] for each in segments], np.uint8).reshape(k, -1),
    )
    counts = np.array([each["customers"] for each in segments], np.int64)
    recipe = Recipe.from_json(data["recipe"])
    return FrozenGrouping(recipe, preparation, centres, counts, float(data["cost"]))
