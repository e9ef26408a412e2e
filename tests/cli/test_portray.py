"""``sortija portray``: the core's figures, rules that can be followed, names, typical customers."""

import json

import numpy as np
from scipy import stats

from tests.cli.support import CommandCase


def shop(n=1500, seed=3):
    """Customers of three segments that two numbers and a plan tell apart."""
    rng = np.random.default_rng(seed)
    visits = rng.integers(1, 21, n)
    silence = rng.integers(1, 366, n)
    plan = np.array(["card", "plus", "none"])[rng.integers(0, 3, n)]
    segment = np.where(visits < 3, "Rare", np.where(plan == "plus", "Plus", "Usual"))
    return visits, silence, plan, segment


def text_of(visits, silence, plan, segment, without=()):
    lines = ["customer,visits,silence,plan,garden,segment,margin"]
    for row in range(len(visits)):
        own = "" if row in without else segment[row]
        lines.append(f"C{row:04d},{visits[row]},{silence[row]},{plan[row]},yard,{own},0.5")
    return "\n".join(lines) + "\n"


class Portray(CommandCase):
    command = "portray"

    def setUp(self):
        super().setUp()
        self.columns = shop()
        self.path = self.file(text_of(*self.columns), "segments.csv")

    def told(self, *more):
        return json.loads(self.call(self.path, "--segment", "segment", "--json", *more)[0])

    def test_figures_of_every_column(self):
        visits, _, _, segment = self.columns
        told = self.told()
        self.assertEqual([row["name"] for row in told["numeric"]], ["visits", "silence"])
        self.assertEqual([row["name"] for row in told["categories"]], ["plan"])
        self.assertEqual(told["skipped"], {"garden": "is the same for everybody"})
        parts = [visits[segment == name] for name in ("Plus", "Rare", "Usual")]
        f, p = stats.f_oneway(*parts)
        self.assertAlmostEqual(told["numeric"][0]["f"], f, places=6)
        self.assertAlmostEqual(told["numeric"][0]["p"], p, places=9)
        within = sum(((part - part.mean()) ** 2).sum() for part in parts)
        whole = ((visits - visits.mean()) ** 2).sum()
        self.assertAlmostEqual(told["numeric"][0]["eta_squared"], 1 - within / whole, places=9)

    def test_rules_that_anybody_can_follow(self):
        told = self.told()
        rules = {rule["segment"]: rule for rule in told["rules"]}
        self.assertEqual(rules["Rare"]["words"], "visits under 3")
        self.assertEqual(rules["Plus"]["words"], "plan plus, visits 3 and more")
        for rule in rules.values():
            self.assertEqual((rule["holds"], rule["belongs"]), (1.0, 1.0))
        self.assertEqual(told["tree"]["accuracy"], 1.0)
        self.assertAlmostEqual(told["tree"]["held_back"], 450, delta=2)
        self.assertLess(told["tree"]["largest_segment"], 0.7)
        self.assertEqual(
            told["tree"]["first"], {"column": "plan", "cut": None, "levels": ["card", "none"]}
        )
        alone = self.told("--numeric", "visits,silence", "--depth", "1")
        self.assertEqual(alone["tree"]["first"], {"column": "visits", "cut": 3.0})
        self.assertEqual(alone["categories"], [])

    def test_what_is_known_stands_in_another_file(self):
        lines = text_of(*self.columns).splitlines()
        alone = "\n".join(",".join((line.split(",")[0], line.split(",")[5])) for line in lines)
        path = self.file(alone, "alone.csv")
        measures = self.file(
            "\n".join(lines[:1] + lines[:0:-1]), "measures.csv"
        )  # otherwise ordered
        asked = ("--segment", "segment", "--json")
        beside = json.loads(self.call(path, *asked, "--measures", measures)[0])
        self.assertEqual(beside, self.told())
        self.assertIn("no column tells anything", self.said(path, "--segment", "segment"))
        others = self.file("customer,visits\nX1,3\nX2,4\n", "others.csv")
        self.assertIn("has none of the customers", self.said(path, *asked, "--measures", others))

    def test_names_and_typical_customers(self):
        told = self.told()
        names = {row["segment"]: row["name"] for row in told["names"]}
        self.assertEqual(len(set(names.values())), 3)
        self.assertIn("Plus", names["Plus"])
        rows = {f"C{row:04d}": name for row, name in enumerate(self.columns[3])}
        for row in told["segments"]:
            self.assertEqual(len(row["typical"]), 3)
            self.assertEqual({rows[customer] for customer in row["typical"]}, {row["segment"]})

    def test_on_the_terminal(self):
        path = self.file(text_of(*self.columns, without={0, 5}), "some.csv")
        out, error = self.call(path, "--segment", "segment")
        self.assertIn("1,498 customers in 3 segments.", out)
        self.assertIn("    visits under 3\n    holds 100% of the segment", out)
        self.assertIn("of 100 customers whom the tree had not seen", out)
        self.assertIn("2 customers are in no segment.", error)
        self.assertIn("Left out: garden is the same for everybody.", error)

    def test_ten_customers_have_names_and_no_rules(self):
        rows = "".join(f"{n},{n},{20 - n},{n % 2},{'AB'[n > 5]}\n" for n in range(1, 11))
        path = self.file("customer,points,days,odd,group\n" + rows, "ten.csv")
        told = json.loads(self.call(path, "--segment", "group", "--json")[0])
        self.assertEqual((told["rules"], told["tree"]["first"]), ([], None))
        self.assertEqual(len({row["name"] for row in told["names"]}), 2)
        self.assertIn("There are no rules", self.call(path, "--segment", "group")[0])

    def test_a_book(self):
        visits, _, _, segment = self.columns
        path = self.folder / "book.md"
        self.call(self.path, "--segment", "segment", "--book", path)
        told = path.read_text()
        self.assertIn("## Rare\n", told)
        mine = segment == "Rare"
        self.assertIn(f"**{mine.sum():,} customers**", told)
        self.assertIn(f"**{visits[mine].mean():.2f}".rstrip("0").rstrip("."), told)
        self.assertIn("Visits under 3", told)
        self.assertIn("Plan plus: **100%**", told)
        for kind, begins in (("html", b"<!doctype"), ("pdf", b"%PDF-"), ("docx", b"PK")):
            file = self.folder / f"book.{kind}"
            self.call(self.path, "--segment", "segment", "--book", file)
            self.assertTrue(file.read_bytes().startswith(begins))
        asked = (self.path, "--segment", "segment", "--book")
        self.assertIn("none of the endings", self.said(*asked, "b.txt", status=2))
        self.assertIn("cannot be written", self.said(*asked, self.folder / "gone" / "b.md"))

    def test_what_cannot_be_told(self):
        for more, words in (
            (("--segment", "who"), "there is no column called who"),
            (("--segment", "garden"), "names 1 segments"),
            (("--segment", "customer"), "names 1,500 segments"),
            (("--segment", "segment", "--numeric", "segment"), "is the segment itself"),
            (("--segment", "segment", "--category", "garden"), "garden is the same for everybody"),
            (("--segment", "segment", "--numeric", "plan"), "which is no number"),
        ):
            with self.subTest(more):
                self.assertIn(words, self.said(self.path, *more))
        deep = self.said(self.path, "--segment", "segment", "--depth", "9", status=2)
        self.assertIn("no depth from 1 to 4", deep)
