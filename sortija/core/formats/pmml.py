"""A frozen grouping as PMML 4.4: a centre-based ClusteringModel with its transformations."""

from __future__ import annotations

import xml.etree.ElementTree as ET

import numpy as np

from sortija.core.groups.assignment import FrozenGrouping
from sortija.core.groups.recipe import Category
from sortija.core.measures.preparation import Fitted

__all__ = ["PmmlError", "write_pmml"]

_SPACE = "http://www.dmg.org/PMML-4_4"


class PmmlError(ValueError):
    """A grouping that the standard cannot say; the message names the column or the method."""


def write_pmml(frozen: FrozenGrouping) -> str:
    """XML text. Distances read from it are D; a customer goes to the nearest cluster.

    A category becomes an indicator for each level, weighted γ/2, so that a level that differs
    adds γ. A level that was never seen adds γ/2 everywhere: it places alike.

    Raises
    ------
    PmmlError
        Gower's distance, a scale by rank, or a fill by neighbours.
    """
    _sayable(frozen)
    ET.register_namespace("", _SPACE)
    root = ET.Element(f"{{{_SPACE}}}PMML", {"version": "4.4"})
    header = _under(root, "Header", description="Segments grouped by Sortija")
    _under(header, "Application", name="Sortija")
    _dictionary(root, frozen)
    model = _under(
        root, "ClusteringModel", modelName="segments", functionName="clustering",
        modelClass="centerBased", algorithmName=frozen.recipe.method,
        numberOfClusters=str(frozen.k),
    )  # fmt: skip
    _schema(model, frozen)
    _output(model)
    local = _under(model, "LocalTransformations")
    fields: list[tuple[str, float]] = []
    for name, fitted, weight in frozen.preparation.numeric:
        fields.append((f"prepared {name}", 1.0))
        _prepared(local, name, fitted, weight)
    for category in frozen.preparation.categories:
        for code in _codes(category, frozen):
            fields.append((f"{category.name} is {_label(category, code)}", category.gamma / 2))
            _indicator(local, category, code)
    measure = _under(model, "ComparisonMeasure", kind="distance")
    _under(measure, "squaredEuclidean")
    for name, weight in fields:
        _under(model, "ClusteringField", field=name, fieldWeight=_text(weight),
               compareFunction="absDiff")  # fmt: skip
    for group in range(frozen.k):
        cluster = _under(model, "Cluster", id=str(group + 1), name=f"Segment {group + 1}",
                         size=str(int(frozen.counts[group])))  # fmt: skip
        values = _centre(frozen, group)
        array = _under(cluster, "Array", n=str(len(values)), type="real")
        array.text = " ".join(_text(value) for value in values)
    ET.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(root, "unicode") + "\n"


def _sayable(frozen: FrozenGrouping) -> None:
    if frozen.preparation.gower:
        raise PmmlError("PMML has no Gower's distance. Group by k-means or k-prototypes.")
    for name, fitted, _ in frozen.preparation.numeric:
        if fitted.steps.scale == "rank":
            raise PmmlError(f"PMML cannot say ranks, by which {name} is scaled. Take z-scores.")
        if fitted.steps.fill == "neighbours":
            raise PmmlError(
                f"PMML cannot say neighbours, by whom {name} is filled. Take the median."
            )


def _under(parent: ET.Element, tag: str, **attributes: str) -> ET.Element:
    return ET.SubElement(parent, f"{{{_SPACE}}}{tag}", attributes)


def _text(value: float) -> str:
    return repr(float(value))


def _dictionary(root: ET.Element, frozen: FrozenGrouping) -> None:
    preparation = frozen.preparation
    count = len(preparation.numeric) + len(preparation.categories)
    fields = _under(root, "DataDictionary", numberOfFields=str(count))
    for name, _, _ in preparation.numeric:
        _under(fields, "DataField", name=name, optype="continuous", dataType="double")
    for category in preparation.categories:
        field = _under(fields, "DataField", name=category.name, optype="categorical",
                       dataType="string")  # fmt: skip
        for level in (*category.levels, *category.pooled):
            _under(field, "Value", value=level)


def _schema(model: ET.Element, frozen: FrozenGrouping) -> None:
    schema = _under(model, "MiningSchema")
    for name, fitted, _ in frozen.preparation.numeric:
        field = _under(schema, "MiningField", name=name, outliers="asExtremeValues",
                       lowValue=_text(fitted.low), highValue=_text(fitted.high))  # fmt: skip
        if np.isnan(fitted.fill):  # nobody without a value has a segment
            field.set("missingValueTreatment", "returnInvalid")
        else:
            field.set("missingValueReplacement", _text(fitted.fill))
            field.set(
                "missingValueTreatment", "asMode" if fitted.steps.fill == "mode" else "asMedian"
            )
    for category in frozen.preparation.categories:
        # Missing is a level of its own, and a level that was never seen differs from all.
        _under(schema, "MiningField", name=category.name, missingValueTreatment="asIs",
               invalidValueTreatment="asIs")  # fmt: skip


def _output(model: ET.Element) -> None:
    """What a scoring program hands out: the segment, what it is called, D to its centre."""
    output = _under(model, "Output")
    for name, feature, kind, optype in (
        ("segment", "predictedValue", "string", "categorical"),
        ("segment name", "predictedDisplayValue", "string", "categorical"),
        ("distance", "affinity", "double", "continuous"),
    ):
        _under(output, "OutputField", name=name, feature=feature, dataType=kind, optype=optype)


def _apply(parent: ET.Element, function: str) -> ET.Element:
    return _under(parent, "Apply", function=function)


def _constant(parent: ET.Element, value: float) -> None:
    _under(parent, "Constant", dataType="double").text = _text(value)


def _prepared(local: ET.Element, name: str, fitted: Fitted, weight: float) -> None:
    """bent value → less the centre → by the spread → times the weight."""
    field = _under(local, "DerivedField", name=f"prepared {name}", optype="continuous",
                   dataType="double")  # fmt: skip
    times = _apply(field, "*")
    by = _apply(times, "/")
    _constant(times, weight)
    less = _apply(by, "-")
    _constant(by, fitted.spread)
    _bent(less, name, fitted.steps.transform)
    _constant(less, fitted.centre)


def _bent(parent: ET.Element, name: str, how: str) -> None:
    if how == "none":
        _under(parent, "FieldRef", field=name)
        return
    choice = _apply(parent, "if")
    _under(_apply(choice, "lessThan"), "FieldRef", field=name)
    _constant(choice[0], 0.0)
    for sign in (-1.0, 1.0):
        times = _apply(choice, "*")
        _constant(times, sign)
        if how == "root":
            _under(_apply(_apply(times, "sqrt"), "abs"), "FieldRef", field=name)
        else:
            inside = _apply(_apply(times, "ln"), "+")
            _constant(inside, 1.0)
            _under(_apply(inside, "abs"), "FieldRef", field=name)


def _codes(category: Category, frozen: FrozenGrouping) -> range:
    """Missing, every level, and the pooled ones together."""
    return range(len(category.levels) + (2 if category.pooled else 1))


def _label(category: Category, code: int) -> str:
    """Told apart from a level that happens to be called so."""
    return f"“{category.label(code)}”" if 0 < code <= len(category.levels) else category.label(code)


def _indicator(local: ET.Element, category: Category, code: int) -> None:
    field = _under(local, "DerivedField", name=f"{category.name} is {_label(category, code)}",
                   optype="continuous", dataType="double")  # fmt: skip
    choice = _apply(field, "if")
    if code == 0:
        _under(_apply(choice, "isMissing"), "FieldRef", field=category.name)
    else:
        both = _apply(choice, "and")
        _under(_apply(both, "isNotMissing"), "FieldRef", field=category.name)
        test = _apply(both, "isIn")
        _under(test, "FieldRef", field=category.name)
        levels = category.pooled if code > len(category.levels) else [category.levels[code - 1]]
        for level in levels:
            _under(test, "Constant", dataType="string").text = level
    _constant(choice, 1.0)
    _constant(choice, 0.0)


def _centre(frozen: FrozenGrouping, group: int) -> list[float]:
    values = [float(v) for v in frozen.centres.numbers[group]]
    for place, category in enumerate(frozen.preparation.categories):
        mode = int(frozen.centres.modes[group, place])
        values += [float(code == mode) for code in _codes(category, frozen)]
    return values
