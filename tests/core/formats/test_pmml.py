"""PMML read back by a small reader of the standard that shares nothing with the writer."""

import math
import unittest
import xml.etree.ElementTree as ET

import numpy as np

from sortija.core.formats.pmml import PmmlError, write_pmml
from sortija.core.groups.assignment import freeze
from sortija.core.groups.grouping import group
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table
from tests.core.formats.test_recipes import frozen_case, shop

SPACE = "{http://www.dmg.org/PMML-4_4}"
FUNCTIONS = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "/": lambda a, b: a / b,
    "abs": abs,
    "ln": math.log,
    "sqrt": math.sqrt,
    "lessThan": lambda a, b: a < b,
    "isIn": lambda a, *among: a in among,
    "and": lambda *all_: all(all_),
}


class Reader:
    """Center-based clustering as PMML 4.4 defines it, as far as the tests need."""

    def __init__(self, text):
        self.root = ET.fromstring(text)
        self.model = self.root.find(f"{SPACE}ClusteringModel")
        measure = self.model.find(f"{SPACE}ComparisonMeasure")
        assert measure.get("kind") == "distance" and measure[0].tag == f"{SPACE}squaredEuclidean"
        self.clusters = [
            (c.get("id"), [float(v) for v in c.find(f"{SPACE}Array").text.split()])
            for c in self.model.iter(f"{SPACE}Cluster")
        ]
        assert int(self.model.get("numberOfClusters")) == len(self.clusters)

    def fields(self, record):
        """Mining fields: outliers as extreme values, missing ones replaced."""
        out = {}
        for field in self.model.find(f"{SPACE}MiningSchema"):
            value = record[field.get("name")]
            if value is None and field.get("missingValueTreatment") == "returnInvalid":
                return None
            if value is None and field.get("missingValueReplacement") is not None:
                value = float(field.get("missingValueReplacement"))
            if value is not None and field.get("outliers") == "asExtremeValues":
                value = min(max(value, float(field.get("lowValue"))), float(field.get("highValue")))
            out[field.get("name")] = value
        for derived in self.model.find(f"{SPACE}LocalTransformations"):
            out[derived.get("name")] = self.value(derived[0], out)
        return out

    def value(self, node, fields):
        tag = node.tag.removeprefix(SPACE)
        if tag == "Constant":
            return float(node.text) if node.get("dataType") == "double" else node.text or ""
        if tag == "FieldRef":
            return fields[node.get("field")]
        name = node.get("function")
        if name == "if":
            test = self.value(node[0], fields)
            return None if test is None else self.value(node[1 if test else 2], fields)
        values = [self.value(each, fields) for each in node]
        if name in ("isMissing", "isNotMissing"):
            return (values[0] is None) == (name == "isMissing")
        if name == "and" and False in values:
            return False
        return None if None in values else FUNCTIONS[name](*values)

    def nearest(self, record):
        """(cluster's id, squared distance); None where the result is invalid.

        The standard compares on the fields that are there, scaled up to all of them.
        """
        fields = self.fields(record)
        if fields is None:
            return None
        parts = [
            (fields[f.get("field")], float(f.get("fieldWeight")))
            for f in self.model.iter(f"{SPACE}ClusteringField")
        ]
        there = [place for place, (value, _) in enumerate(parts) if value is not None]
        if not there:
            return None
        adjust = len(parts) / len(there)
        found = [
            (adjust * sum(parts[i][1] * (parts[i][0] - centre[i]) ** 2 for i in there), number)
            for number, centre in self.clusters
        ]
        best = min(found)
        return best[1], best[0]


def records(table):
    for row in range(len(table)):
        out = {}
        for column in table:
            value = column.values[row]
            if column.kind == "number":
                out[column.name] = None if np.isnan(value) else float(value)
            else:
                out[column.name] = column.levels[value - 1] if value else None
        yield out


class Pmml(unittest.TestCase):
    def placed_alike(self, frozen, table):
        reader, placed = Reader(write_pmml(frozen)), frozen.place(table)
        for row, record in enumerate(records(table)):
            found = reader.nearest(record)
            if placed.segment[row] == 0:
                self.assertIsNone(found)
                continue
            self.assertEqual(found[0], str(placed.segment[row]))
            self.assertAlmostEqual(math.sqrt(found[1]), placed.distance[row], delta=1e-3)

    def test_mixed_data_are_placed_alike(self):
        table, _, frozen = frozen_case()
        self.placed_alike(frozen, table)
        self.placed_alike(frozen, shop(5))

    def test_ten_thousand_rows_with_missing_and_unseen_values(self):
        _, _, frozen = frozen_case()
        rng, n, columns = np.random.default_rng(9), 10_000, []
        for column in shop(6):
            if column.kind == "number":
                values = rng.choice(column.values[~np.isnan(column.values)], n)
                values = values * rng.choice([1.0, 1.0, 3.0, -1.0], n)  # beyond the range as well
                values[rng.random(n) < 0.1] = np.nan
                columns.append(Column(column.name, "number", values, column.unit))
            else:
                levels = (*column.levels, "never seen")
                codes = rng.integers(0, len(levels) + 1, n).astype(np.int32)
                columns.append(Column(column.name, "category", codes, "", levels))
        table = Table(tuple(columns))
        reader, placed = Reader(write_pmml(frozen)), frozen.place(table)
        self.assertGreater((placed.segment == 0).sum(), 500)
        for row, record in enumerate(records(table)):
            found = reader.nearest(record)
            segment = 0 if found is None else int(found[0])
            if segment != placed.segment[row]:  # nothing but a tie, to the digits of float32
                self.assertLess(placed.margin[row], 1e-4, record)

    def test_what_a_program_hands_out(self):
        _, _, frozen = frozen_case()
        model = Reader(write_pmml(frozen)).model
        tags = [each.tag.removeprefix(SPACE) for each in model]
        self.assertEqual(tags[:3], ["MiningSchema", "Output", "LocalTransformations"])
        features = {o.get("name"): o.get("feature") for o in model.iter(f"{SPACE}OutputField")}
        self.assertEqual(features, {"segment": "predictedValue", "distance": "affinity",
                                    "segment name": "predictedDisplayValue"})  # fmt: skip

    def test_numbers_alone_and_missing_ones(self):
        steps = {"money": Steps(transform="log"), "gap": Steps(), "recency": Steps(scale="none")}
        for method in ("k-means", "hierarchical"):
            recipe = Recipe(steps, method=method, starts=2)
            table = shop()
            rows = prepare(table, recipe)
            self.assertLess(len(rows), len(table))
            self.placed_alike(freeze(rows, group(rows, 3, recipe), recipe), table)

    def test_categories_alone(self):
        recipe = Recipe({}, ("plan", "town"), method="k-modes", starts=2)
        table = shop()
        rows = prepare(table, recipe)
        self.placed_alike(freeze(rows, group(rows, 3, recipe), recipe), table)

    def test_what_the_standard_cannot_say_is_refused(self):
        for steps, more, words in (
            (Steps(scale="rank"), {}, "cannot say ranks, by which recency"),
            (Steps(), {"method": "k-medoids"}, "no Gower's distance"),
        ):
            recipe = Recipe({"recency": steps}, starts=2, **more)
            rows = prepare(shop(), recipe)
            with self.assertRaisesRegex(PmmlError, words):
                write_pmml(freeze(rows, group(rows, 2, recipe), recipe))
        recipe = Recipe({"recency": Steps(), "gap": Steps(fill="neighbours")}, starts=2)
        rows = prepare(shop(), recipe)
        with self.assertRaisesRegex(PmmlError, "by whom gap is filled"):
            write_pmml(freeze(rows, group(rows, 2, recipe), recipe))

    def test_sizes_and_names(self):
        _, _, frozen = frozen_case()
        reader = Reader(write_pmml(frozen))
        sizes = [int(c.get("size")) for c in reader.model.iter(f"{SPACE}Cluster")]
        self.assertEqual(sizes, frozen.counts.tolist())
        self.assertEqual(reader.root.get("version"), "4.4")
        kinds = {f.get("name"): f.get("optype") for f in reader.root.iter(f"{SPACE}DataField")}
        self.assertEqual(kinds["money"], "continuous")
        self.assertEqual(kinds["town"], "categorical")


if __name__ == "__main__":
    unittest.main()
