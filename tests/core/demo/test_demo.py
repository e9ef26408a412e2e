"""Marrowmere: the same bytes every time, and the dirt that a real log has."""

import csv
import tempfile
import unittest
from pathlib import Path

from sortija.demo.files import digest, write_demo

FILES = ("log", "members", "offers", "responses", "districts", "truth", "winter")


class Demo(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.demo = write_demo(folder / "a", members=400)
        cls.again = write_demo(folder / "b", members=400)
        cls.other = write_demo(folder / "c", members=400, seed=8)
        with cls.demo.log.open() as file:
            cls.lines = list(csv.DictReader(file, delimiter=";"))

    def test_same_seed_same_bytes(self):
        for name in FILES:
            self.assertEqual(digest(getattr(self.demo, name)), digest(getattr(self.again, name)))
        self.assertNotEqual(digest(self.demo.log), digest(self.other.log))

    def test_the_shipped_set_is_this_one(self):
        shipped = Path(__file__).parents[3] / "sortija" / "demo" / "small"
        for name in FILES:
            mine = getattr(self.demo, name)
            self.assertEqual(digest(shipped / mine.name), digest(mine), name)

    def test_dirt(self):
        self.assertEqual(len(self.lines), self.demo.lines)
        self.assertTrue(any(row["card"] == "" for row in self.lines))
        self.assertTrue(any(row["card"] == "TEST-99" for row in self.lines))
        self.assertEqual({row["kind"] for row in self.lines}, {"sale", "return", "void"})
        self.assertTrue(any("/2062" in row["sold_at"] for row in self.lines))
        styles = {"/" in row["sold_at"] for row in self.lines}
        self.assertEqual(styles, {True, False})
        self.assertTrue({"Pots", "Pots and planters"} <= {row["department"] for row in self.lines})
        day = [tuple(row.values()) for row in self.lines if row["sold_at"].startswith("10/05/2025")]
        self.assertGreater(len(day), len(set(day)))

    def test_truth_names_every_member_and_half_the_audience_is_held_out(self):
        with self.demo.truth.open() as file:
            rows = list(csv.DictReader(file))
        self.assertEqual(len(rows), 400)
        arms = [int(r["campaign_arm"]) for r in rows]
        self.assertLessEqual(abs(arms.count(1) - arms.count(2)), 1)
        with self.demo.winter.open() as file:
            told = {row["card"]: row["group"] for row in csv.DictReader(file)}
        known = {"1": "written", "2": "held"}
        drawn = [(r["card"], known[r["campaign_arm"]]) for r in rows if r["campaign_arm"] != "0"]
        self.assertEqual(told, dict(drawn))
        moved = sum(r["quarter_8"] != r["quarter_9"] for r in rows) / 400
        usual = sum(r["quarter_3"] != r["quarter_4"] for r in rows) / 400
        self.assertGreater(moved, usual)


if __name__ == "__main__":
    unittest.main()
