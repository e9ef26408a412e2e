"""``sortija cross``: two tables, or two dates of a log and what chance alone would have moved."""

import csv
import io
import json

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from sortija.core.crossings.chance import chance_of
from sortija.core.crossings.redrawn import Inputs
from sortija.core.crossings.sizes import sizes_changed
from sortija.core.crossings.yardsticks import ByCentres
from sortija.core.formats.recipes import read_recipe
from sortija.core.ledger.first_purchases import first_purchases
from tests.cli.support import CommandCase
from tests.core.crossings.worlds import AFTER, BEFORE, MASK, SHAPING, world

EARLIER = """customer,segment,margin,monetary
A,1,0.5,100.5
B,1,0.1,50
C,2,0.2,20
D,2,0.9,5
E,,,7
"""
LATER = """customer,segment,margin,monetary
B,2,0.2,10
A,1,0.6,120
C,3,0.8,33
F,1,0.4,60
E,2,0.5,9
"""
DATES = ("--before-date", "2025-06-30", "--after-date", "2026-06-30")


def _rows(path):
    return list(csv.DictReader(io.StringIO(path.read_text())))


class Tables(CommandCase):
    command = "cross"

    def setUp(self):
        super().setUp()
        self.files = self.file(EARLIER, "one.csv"), self.file(LATER, "two.csv")

    def found(self, *more):
        out, _ = self.call(*self.files, "--json", *more)
        return json.loads(out)

    def test_every_customer_of_either_table_once(self):
        found = self.found()
        self.assertEqual(found["states"], ["1", "2", "3", "not yet", "left", "unplaced"])
        expected = np.zeros((6, 6), int)
        for before, after in ((0, 0), (0, 1), (1, 2), (1, 4), (5, 1), (3, 0)):
            expected[before, after] += 1
        self.assertEqual(found["customers"], expected.tolist())
        self.assertEqual(found["money_before"][0][:2], [100.5, 50.0])
        self.assertEqual(found["money_after"][3][0], 60.0)
        self.assertEqual(found["money_after"][1][4], 0.0)
        self.assertEqual(found["sizes"]["before"], [2, 2, 0, 1, 0, 1])

    def test_a_border_move_is_near_at_both_dates(self):
        border = np.array(self.found()["border"])
        self.assertEqual((border.sum(), border[0, 1]), (1, 1))

    def test_who_is_known_has_left_before_it_comes_back(self):
        known = self.file(
            "customer,first\nF,2023-01-09\nG,2024-02-01\nH,2026-01-02\nI,2027-01-01\n", "known.csv"
        )
        found = np.array(self.found("--known", known, *DATES)["customers"])
        self.assertEqual(found[4, 0], 1)  # F
        self.assertEqual(found[4, 4], 1)  # G
        self.assertEqual(found[3, 4], 1)  # H
        self.assertEqual(found.sum(), 8)

    def test_sizes_are_tested_between_equal_seasons_only(self):
        rows = [f"{n},{s}" for n, s in enumerate([1] * 70 + [2] * 45)]
        later = [f"{n},{s}" for n, s in enumerate([1] * 50 + [2] * 20 + [1] * 5 + [2] * 40)]
        self.files = (
            self.file("customer,segment\n" + "\n".join(rows), "a.csv"),
            self.file("customer,segment\n" + "\n".join(later), "b.csv"),
        )
        test = self.found(*DATES)["sizes"]["test"]
        self.assertAlmostEqual(test["chi_squared"], 9.0)  # McNemar's
        self.assertIsNone(self.found()["sizes"]["test"])
        quarter = ("--before-date", "2026-03-31", "--after-date", "2026-06-30")
        self.assertIsNone(self.found(*quarter)["sizes"]["test"])
        self.assertIsNone(self.found()["money_before"])

    def test_for_a_reader(self):
        out, _ = self.call(*self.files)
        self.assertIn("from ↓ to →", out)
        self.assertIn("Of 3 customers in a segment at both dates 2 (67%)", out)
        self.assertIn("--chance tells", out)

    def test_names_stay_whatever_the_files_are(self):
        path = self.folder / "two.parquet"
        pq.write_table(pa.table({"customer": ["A", "B"], "segment": [2, 1]}), path)
        out, _ = self.call(self.files[0], path, "--json")
        found = np.array(json.loads(out)["customers"])
        self.assertEqual(found[0, 0], 1)
        self.assertEqual(found[0, 1], 1)

    def test_what_cannot_be_crossed_says_so(self):
        one, two = self.files
        cases = [
            ((one,), "name two tables"),
            ((one, two, "--chance"), "--chance wants logs and --recipe"),
            ((one, two, "--segment", "tier"), "there is no column called tier"),
            ((one, two, "--money", "spend"), "there is no column called spend"),
            ((one, two, "--known", one), "no column says since when"),
            ((one, two, "--known", self.file("customer,first\nA,soon\n", "k.csv"), *DATES),
             "no date"),
            ((one, two, "--known", self.file("customer,first\nA,2024-01-01\n", "l.csv")),
             "--before-date and --after-date"),
            ((one, two, "--recipe", one), "--before and --after"),
        ]  # fmt: skip
        for arguments, words in cases:
            with self.subTest(words):
                self.assertIn(words, self.said(*arguments))


class Logs(CommandCase):
    command = "cross"

    @classmethod
    def setUpClass(cls):
        cls.world = world(900, 30, 3, changing=0.15)

    def setUp(self):
        super().setUp()
        log = self.world.log
        owner = np.repeat(np.arange(900), np.diff(log.start)[:900])
        days = log.day.astype("M8[D]").astype(str)
        text = io.StringIO()
        text.write("card;receipt;date;item;quantity;amount\n")
        for c, r, d, m in zip(owner, log.receipt, days, log.money, strict=True):
            text.write(f"C{c:04d};{r};{d};tea;1;{m / 100:.2f}\n")
        self.path = self.file(text.getvalue())
        measures, self.recipe = self.folder / "m.csv", self.folder / "s.json"
        self.call(self.path, "--out", measures, "--as-of", "2026-06-30", command="derive")
        self.call(
            measures, "--numeric", ",".join(SHAPING), "--log", ",".join(SHAPING), "--k", 4,
            "--recipe", self.recipe, "--out", self.folder / "g.csv", command="group",
        )  # fmt: skip
        self.asked = (self.path, "--recipe", self.recipe, "--before", "2025-06-30", "--after",
                      "2026-06-30")  # fmt: skip

    def test_chance_as_the_core_tells_it(self):
        who = self.folder / "who.csv"
        out, _ = self.call(*self.asked, "--chance", 40, "--customers", who, "--json")
        found = json.loads(out)
        frozen = read_recipe(self.recipe.read_text())
        inputs = Inputs(self.world.log, BEFORE, AFTER, MASK, 2, frozenset(SHAPING))
        core = chance_of(inputs, ByCentres(frozen.preparation, frozen.centres), 40)
        counts, chance = np.array(found["customers"]), found["chance"]
        self.assertEqual(int(counts.sum()), sum(np.diff(self.world.log.start)[:900] > 0))
        apart = counts - core.observed
        np.testing.assert_allclose(
            np.array(chance["mean"], float)[:4, :4], (core.moves.mean + apart)[:4, :4]
        )
        self.assertIsNone(chance["mean"][4][0])
        self.assertIsNone(chance["high"][5][5])
        self.assertTrue((np.array(chance["low"], float)[:4] <= np.array(chance["high"], float)[:4])
                        [~np.isnan(np.array(chance["low"], float)[:4])].all())  # fmt: skip
        # Sizes are told of those who were there before both windows.
        there = first_purchases(self.world.log.arrays(), MASK)
        early = (there >= 0) & (there < BEFORE.first_day(0))
        self.assertTrue((core.told == early).all())
        test = sizes_changed(core.observed[:4, :4])
        self.assertAlmostEqual(found["sizes"]["test"]["chi_squared"], test.chi_squared)
        self.assertAlmostEqual(chance["steadiness"], float(core.steadiness.mean))
        rows = {row["customer"]: row for row in _rows(who)}
        self.assertEqual(len(rows), counts.sum())
        self.assertEqual(list(next(iter(rows.values()))),
                         ["customer", "before", "after", "p", "changed"])  # fmt: skip
        for number in (0, 7, 400):
            row = rows[f"C{number:04d}"]
            self.assertAlmostEqual(float(row["p"]), core.p[number])
            self.assertAlmostEqual(float(row["changed"]), core.changed[number])

    def test_the_matrix_is_that_of_the_tables(self):
        """Both dates derived and placed by hand come to the same counts and the same money."""
        files = []
        for day in ("2025-06-30", "2026-06-30"):
            measures, placed = self.folder / f"m{day}.csv", self.folder / f"p{day}.csv"
            self.call(self.path, "--as-of", day, "--out", measures, command="derive")
            self.call(measures, "--recipe", self.recipe, "--out", placed, command="place")
            rows = [
                {**row, **more} for row, more in zip(
                    _rows(measures), _rows(placed), strict=True)
            ]  # fmt: skip
            both = self.folder / f"b{day}.csv"
            with both.open("w", newline="") as file:
                writer = csv.DictWriter(file, list(rows[0]))
                writer.writeheader()
                writer.writerows(rows)
            files.append(both)
        tables = json.loads(self.call(*files, "--json")[0])
        logs = json.loads(self.call(*self.asked, "--json")[0])
        here, there = (np.array(each["customers"]) for each in (logs, tables))
        np.testing.assert_array_equal(here[:4, :4], there[:4, :4])
        np.testing.assert_allclose(
            np.array(logs["money_after"])[:4, :4], np.array(tables["money_after"])[:4, :4], 1e-9
        )
        # Who came back was known: the tables alone cannot tell, and the log can.
        self.assertEqual(here[4:6, :4].sum(), there[4:6, :4].sum())

    def test_for_a_reader(self):
        out, _ = self.call(*self.asked, "--chance", "40")
        self.assertIn("More than chance would move (40 draws", out)
        self.assertRegex(out, r"\d+ customers have changed with a chance of 80% or more")
        self.assertIn("Same again 0.", out)

    def test_what_cannot_be_told_says_so(self):
        path, _, recipe, *_ = self.asked
        self.assertIn("does not come after", self.said(path, "--recipe", recipe, "--before",
                      "2026-06-30", "--after", "2025-06-30"))  # fmt: skip
        _, error = self.call(path, "--recipe", recipe, "--before", "2023-12-31", "--after",
                             "2026-06-30", "--json")  # fmt: skip
        self.assertIn("Caution: of the window to 2023-12-31 the log has 6 of these 12", error)
        self.assertIn("Use --window 12m", self.said(*self.asked, "--window", "all", "--chance"))
        self.assertIn("from 20 to 1000", self.said(*self.asked, "--chance", "3", status=2))
        text = self.recipe.read_text().replace('"monetary"', '"points"')
        self.recipe.write_text(text)
        self.assertIn("places by points", self.said(*self.asked))
