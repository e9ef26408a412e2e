"""``sortija group``, ``place`` and ``compare``: files in and out, the same figures as the core."""

import csv
import io
import json
import re

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
from jsonschema import Draft202012Validator

from sortija.core.formats.recipes import schema
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.grouping import group
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table
from tests.cli.support import CommandCase
from tests.core.formats.test_pmml import Reader, records


def shop(n=300, seed=1):
    """Four kinds of customers as a file has them, and which kind each is."""
    rng = np.random.default_rng(seed)
    kind = rng.integers(0, 4, n)
    recency = np.round(np.array([10, 80, 200, 40])[kind] + rng.normal(0, 5, n))
    money = np.exp(np.array([5.0, 3, 1, 4])[kind] + rng.normal(0, 0.2, n))
    plan = np.array(["plus", "card", "card", "none"])[kind]
    return kind, [f"C{i:03d}" for i in range(n)], recency, money, plan


def text_of(names, recency, money, plan, gone=()):
    lines = ["customer,recency,money,plan"]
    for row, name in enumerate(names):
        value = "" if row in gone else repr(float(money[row]))
        lines.append(f"{name},{recency[row]:.0f},{value},{plan[row]}")
    return "\n".join(lines) + "\n"


class GroupCase(CommandCase):
    command = "group"

    def setUp(self):
        super().setUp()
        self.kind, self.names, *self.columns = shop()
        self.path = self.file(text_of(self.names, *self.columns), "measures.csv")
        self.asked = ("--numeric", "recency,money", "--log", "money", "--category", "plan")

    def rows(self, text):
        return list(csv.DictReader(io.StringIO(text)))

    def out(self, *more, name="s.csv"):
        path = self.folder / name
        self.call(self.path, *self.asked, "--out", path, *more)
        return self.rows(path.read_text())


class Group(GroupCase):
    def test_the_segments_of_the_core_largest_first(self):
        rows = self.out("--k", "4", "--seed", "7")
        recency, money, plan = self.columns
        levels = ("card", "none", "plus")
        codes = np.array([levels.index(p) + 1 for p in plan], np.int32)
        table = Table((
            Column("recency", "number", recency), Column("money", "number", money),
            Column("plan", "category", codes, "", levels),
        ))  # fmt: skip
        recipe = Recipe({"recency": Steps(), "money": Steps(transform="log")}, ("plan",), seed=7)
        fit = group(prepare(table, recipe), 4, recipe)
        self.assertEqual([r["customer"] for r in rows], self.names)
        self.assertEqual([int(r["segment"]) for r in rows], (fit.labels + 1).tolist())
        self.assertEqual(adjusted_rand(fit.labels, self.kind), 1.0)
        self.assertEqual(fit.counts.tolist(), sorted(fit.counts.tolist(), reverse=True))
        self.assertTrue(all(0 <= float(r["distance"]) < 5 for r in rows))

    def test_to_the_screen_and_as_parquet(self):
        text, said = self.call(self.path, *self.asked, "--k", "4")
        self.assertIn("300 customers in 4 segments", said)
        path = self.folder / "s.parquet"
        self.call(self.path, *self.asked, "--k", "4", "--out", path)
        self.assertEqual(
            pq.read_table(path)["segment"].to_pylist(),
            [int(r["segment"]) for r in self.rows(text)],
        )

    def test_every_method(self):
        for words in (
            "--method k-means --numeric recency,money", "--method k-modes --category plan",
            "--method k-medoids --numeric recency --category plan --restarts 2",
            "--method hierarchical --numeric recency,money --linkage complete",
            "--method hierarchical --numeric recency --category plan --distance gower "
            "--linkage average",
        ):  # fmt: skip
            text, _ = self.call(self.path, *words.split(), "--k", "3")
            self.assertEqual({r["segment"] for r in self.rows(text)}, {"1", "2", "3"})

    def test_several_k_and_the_suggestion(self):
        text, _ = self.call(self.path, *self.asked, "--k", "2-6")
        self.assertEqual(re.findall(r"^(\d) +\d", text, re.M), ["2", "3", "4", "5", "6"])
        self.assertIn("4 groups hold", text)
        self.assertNotIn("gap", text)
        text, _ = self.call(self.path, *self.asked, "--k", "2-6", "--gap")
        self.assertIn("The gap statistic speaks for 4.", text)
        text, _ = self.call(self.path, *self.asked, "--k", "2-6", "--json")
        data = json.loads(text)
        self.assertEqual((data["suggested"], len(data["candidates"])), (4, 5))
        costs = [c["cost"] for c in data["candidates"]]
        self.assertEqual(costs, sorted(costs, reverse=True))
        rows = self.out("--k", "2-6")
        self.assertEqual(len({r["segment"] for r in rows}), 4)

    def test_more_k_than_can_be_made(self):
        text, _ = self.call(self.path, "--category", "plan", "--k", "2-9")
        self.assertEqual(re.findall(r"^(\d) +\d", text, re.M), ["2", "3"])
        few = self.file("customer,x\nC1,1\nC2,5\n", "few.csv")
        self.assertIn("2 customers cannot make 2 to 9 groups",
                      self.said(few, "--numeric", "x", "--k", "2-9"))  # fmt: skip

    def test_nothing_is_written_where_nothing_stands_out(self):
        rng = np.random.default_rng(1)
        lines = [f"C{i},{a:.4f},{b:.4f}" for i, (a, b) in enumerate(rng.random((400, 2)))]
        path = self.file("customer,a,b\n" + "\n".join(lines) + "\n", "even.csv")
        out = self.folder / "no.csv"
        text, said = self.call(path, "--numeric", "a,b", "--k", "2-5", "--out", out, status=1)
        self.assertRegex(text, "No clear grouping|Barely a grouping")
        self.assertIn("nothing was written", said)
        self.assertFalse(out.exists())

    def test_recipe_pmml_and_centres(self):
        recipe, pmml, centres = (self.folder / n for n in ("r.json", "r.xml", "c.csv"))
        rows = self.out("--k", "4", "--recipe", recipe, "--pmml", pmml, "--centres", centres)
        data = json.loads(recipe.read_text())
        self.assertEqual(list(Draft202012Validator(schema()).iter_errors(data)), [])
        reader = Reader(pmml.read_text())
        recency, money, plan = self.columns
        codes = np.array([("card", "none", "plus").index(p) + 1 for p in plan], np.int32)
        table = Table((
            Column("recency", "number", recency), Column("money", "number", money),
            Column("plan", "category", codes, "", ("card", "none", "plus")),
        ))  # fmt: skip
        found = [reader.nearest(record)[0] for record in records(table)]
        self.assertEqual(found, [r["segment"] for r in rows])
        told = self.rows(centres.read_text())
        for number, centre in enumerate(told, 1):
            mine = [i for i, r in enumerate(rows) if r["segment"] == str(number)]
            self.assertEqual(int(centre["customers"]), len(mine))
            self.assertAlmostEqual(float(centre["recency"]), recency[mine].mean(), delta=0.01)
            self.assertEqual(centre["plan"], plan[mine[0]])

    def test_missing_values_are_left_out_or_filled(self):
        self.path = self.file(text_of(self.names, *self.columns, gone=(0, 5)), "gaps.csv")
        rows = self.out("--k", "4")
        self.assertEqual([i for i, r in enumerate(rows) if not r["segment"]], [0, 5])
        for how in ("median", "neighbours"):
            rows = self.out("--k", "4", "--missing", how)
            self.assertTrue(all(r["segment"] for r in rows))

    def test_weights_and_what_is_dropped(self):
        flat = [f"{name},1,{i % 2},x" for i, name in enumerate(self.names)]
        path = self.file("customer,flat,a,c\n" + "\n".join(flat) + "\n", "flat.csv")
        asked = ("--numeric", "flat,a", "--category", "c", "--k", "2", "--json")
        text, _ = self.call(path, *asked)
        self.assertEqual(json.loads(text)["dropped"], ["flat", "c"])
        text, _ = self.call(self.path, *self.asked, "--k", "3", "--weight", "plan=0", "--json")
        self.assertEqual(json.loads(text)["dropped"], ["plan"])

    def test_cautions(self):
        _, said = self.call(self.path, "--numeric", "recency,money", "--k", "3")
        self.assertIn("Caution: money is skewed as prepared", said)
        _, said = self.call(self.path, *self.asked, "--k", "2-3")
        self.assertNotIn("Caution", said)

    def test_sentences(self):
        for words, told in (
            ("", "Name columns to group by"),
            ("--numeric nope", "no column called nope"),
            ("--numeric plan", "row 2: column plan has “"),
            ("--numeric recency,recency", "recency is named twice"),
            ("--numeric recency --log money", "money: it is not among"),
            ("--numeric recency --cap 0.6", "--cap 0.6"),
            ("--numeric recency --weight recency", "write it as column=2"),
            ("--numeric recency --weight money=2", "money has a weight, but is not among"),
            ("--category plan --method k-means", "k-means takes numbers only; plan is a category"),
            ("--numeric recency --k 9 --out x.doc", "call it .csv, .parquet, .xlsx or .jsonl"),
            ("--category plan --k 4", "Only 3 groups of customers differ"),
            ("--numeric money --method k-medoids --k 2 --pmml x.xml", "no Gower's distance"),
        ):
            self.assertIn(told, self.said(self.path, *words.split()), words)
        for words, told in (
            ("--k 0", "try between 2 and 40"), ("--k 5-2", "fewest first"), ("--k many", "write 5"),
            ("--restarts 0", "no number of starts"), ("--method magic", "invalid choice"),
        ):  # fmt: skip
            self.assertIn(told, self.said(self.path, *words.split(), status=2), words)
        self.assertFalse((self.folder / "x.xml").exists())


class Place(GroupCase):
    """The same customers and others, by a frozen recipe."""

    def place(self, path, out="p.csv", status=0):
        written = self.folder / out
        _, said = self.call(path, "--recipe", self.recipe, "--out", written,
                            command="place", status=status)  # fmt: skip
        return (self.rows(written.read_text()) if not status else None), said

    def setUp(self):
        super().setUp()
        self.recipe = self.folder / "r.json"
        self.first = self.out("--k", "4", "--recipe", self.recipe)

    def test_the_same_customers_come_to_the_same_segments(self):
        rows, said = self.place(self.path)
        self.assertEqual(rows, self.first)
        self.assertIn("300 customers placed in 4 segments", said)

    def test_other_customers_keep_the_numbers(self):
        kind, names, *columns = shop(200, 9)
        columns[2][3] = "gift"  # a level that was never seen
        path = self.file(text_of(names, *columns, gone=(7,)), "later.csv")
        rows, said = self.place(path)
        self.assertEqual(rows[7]["segment"], "")
        self.assertIn("1 lack a measure", said)
        number = {k: {r["segment"] for r, own in zip(self.first, self.kind, strict=True)
                      if own == k} for k in range(4)}  # fmt: skip
        for row, own in enumerate(kind):
            if row not in (3, 7):
                self.assertEqual({rows[row]["segment"]}, number[own])

    def test_what_is_no_recipe(self):
        self.recipe.write_text("{}")
        _, said = self.place(self.path, status=1)
        self.assertIn("r.json: it is no grouping recipe", said)
        self.recipe = self.folder / "none.json"
        _, said = self.place(self.path, status=1)
        self.assertIn("none.json: cannot be read", said)

    def test_a_column_that_is_gone(self):
        path = self.file("customer,recency\nC1,3\n", "few.csv")
        _, said = self.place(path, status=1)
        self.assertIn("few.csv: there is no column called money", said)


class Compare(CommandCase):
    command = "compare"

    def segments(self, name, pairs):
        body = "".join(f"{customer},{segment}\n" for customer, segment in pairs)
        return self.file("customer,segment\n" + body, name)

    def setUp(self):
        super().setUp()
        self.a = self.segments("a.csv", [(f"C{i}", 1 + i // 10) for i in range(30)] + [("X", 1)])
        self.b = self.segments(
            "b.csv", [(f"C{i}", 10 if i < 9 else 2 if i < 20 else 3) for i in range(30)]
        )

    def test_as_json(self):
        data = json.loads(self.call(self.a, self.b, "--json")[0])
        self.assertEqual((data["first"], data["second"]), (["1", "2", "3"], ["2", "3", "10"]))
        self.assertEqual(data["customers"], [[1, 0, 9], [10, 0, 0], [0, 10, 0]])
        self.assertEqual(data["matching"], ["10", "2", "3"])
        self.assertEqual((data["differ"], data["only_first"], data["only_second"]), (1, 1, 0))
        first, second = np.repeat([0, 1, 2], 10), np.repeat([0, 1, 2], [9, 11, 10])
        self.assertAlmostEqual(data["adjusted_rand"], adjusted_rand(first, second))

    def test_for_a_person(self):
        text, _ = self.call(self.a, self.b)
        self.assertIn("1 of 30 customers are elsewhere", text)
        self.assertIn("much the same groups, with some customers elsewhere", text)
        self.assertIn("1 who have a place in A only", text)
        same, _ = self.call(self.a, self.a)
        self.assertIn("the same groups", same)

    def test_parquet_and_customers_without_a_segment(self):
        path = self.folder / "p.parquet"
        pq.write_table(pa.table({
            "customer": [f"C{i}" for i in range(30)],
            "segment": pa.array([None, *[1] * 29], pa.int32()),
        }), path)  # fmt: skip
        data = json.loads(self.call(self.a, path, "--json")[0])
        self.assertEqual(data["customers"], [[9], [10], [10]])
        self.assertEqual(data["only_first"], 2)

    def test_sentences(self):
        other = self.segments("o.csv", [("Z1", 1), ("Z2", 2)])
        self.assertIn("share no customer", self.said(self.a, other))
        self.assertIn("no column called tier", self.said(self.a, self.b, "--column", "tier"))
        empty = self.segments("e.csv", [("C1", ""), ("C2", "")])
        self.assertIn("nobody has a segment in it", self.said(self.a, empty))
