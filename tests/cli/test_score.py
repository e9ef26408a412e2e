"""``sortija score``: bands, codes and totals in files; frozen cuts on another date."""

import csv
import io
import json

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from sortija.core.scores.bands import band
from tests.cli.support import CommandCase


class Score(CommandCase):
    command = "score"

    def setUp(self):
        super().setUp()
        rng = np.random.default_rng(3)
        self.recency = rng.integers(1, 200, 90)
        self.money = np.round(rng.gamma(2, 40, 90), 2)
        self.path = self.measures("m.csv", self.recency, self.money)

    def measures(self, name, recency, money):
        rows = [
            f"C{i},{r},{m},00{i % 7}" for i, (r, m) in enumerate(zip(recency, money, strict=True))
        ]
        return self.file("customer,recency,money,district\n" + "\n".join(rows) + "\n", name)

    def rows(self, *arguments):
        text, _ = self.call(*arguments)
        return list(csv.DictReader(io.StringIO(text)))

    def test_bands_code_and_total(self):
        rows = self.rows(self.path, "--measure", "recency:low", "--measure", "money:high",
                         "--weight", "money=2", "--bands", "4")  # fmt: skip
        low = band(self.recency.astype(float), 4, False).bands
        high = band(self.money, 4, True).bands
        for row, a, b in zip(rows, low, high, strict=True):
            self.assertEqual((int(row["recency_band"]), int(row["money_band"])), (a, b))
            self.assertEqual((row["code"], int(row["total"])), (f"{a}{b}", a + 2 * b))
        self.assertEqual(rows[3]["district"], "003")
        self.assertEqual(float(rows[5]["money"]), self.money[5])

    def test_frozen_cuts_score_another_date(self):
        recipe = self.folder / "b.json"
        asked = ("--measure", "recency:low", "--measure", "money", "--recipe", recipe)
        first = self.rows(self.path, *asked)
        self.assertEqual(self.rows(self.path, "--recipe", recipe), first)
        # The same customer with the same measures has the same bands among quite others.
        later = self.measures("later.csv", self.recency[:3], self.money[:3])
        bands = [(r["recency_band"], r["money_band"]) for r in self.rows(later, "--recipe", recipe)]
        self.assertEqual(bands, [(r["recency_band"], r["money_band"]) for r in first[:3]])
        extreme = self.measures("far.csv", [0, 9999], [1e9, -5.0])
        codes = [r["code"] for r in self.rows(extreme, "--recipe", recipe)]
        self.assertEqual(codes, ["55", "11"])

    def test_own_cuts_and_equal_widths(self):
        rows = self.rows(self.path, "--measure", "recency:low", "--cuts", "recency=30,90")
        for row, days in zip(rows, self.recency, strict=True):
            self.assertEqual(int(row["recency_band"]), 3 if days <= 30 else 2 if days <= 90 else 1)
        rows = self.rows(self.path, "--measure", "money", "--equal-widths", "--bands", "2")
        middle = (self.money.min() + self.money.max()) / 2
        self.assertEqual([r["money_band"] for r in rows],
                         ["2" if m >= middle else "1" for m in self.money])  # fmt: skip

    def test_missing_values_have_no_band_and_no_code(self):
        path = self.file("customer,a,b\nC1,1,1\nC2,,2\nC3,3,3\n", "gaps.csv")
        rows = self.rows(path, "--measure", "a", "--measure", "b", "--bands", "2")
        self.assertEqual([r["code"] for r in rows], ["11", "", "22"])
        self.assertEqual([r["total"] for r in rows], ["2", "", "4"])
        _, said = self.call(path, "--measure", "a", "--bands", "2")
        self.assertIn("1 customers lack a measure", said)

    def test_parquet_in_and_out(self):
        path, out = self.folder / "m.parquet", self.folder / "s.parquet"
        pq.write_table(pa.table({"customer": ["a", "b"], "x": [1.0, 2.0]}), path)
        self.call(path, "--measure", "x", "--bands", "2", "--out", out)
        self.assertEqual(pq.read_table(out)["x_band"].to_pylist(), [1, 2])

    def test_sentences(self):
        recipe = self.file(json.dumps({"format": "else"}), "r.json")
        taken = self.file("customer,a,code\nC1,1,x\n", "taken.csv")
        for path, words, told in (
            (self.path, "", "Name measures to score by"),
            (self.path, "--measure nope:low", "no column called nope"),
            (self.path, "--measure recency --measure recency:low", "recency is named twice"),
            (self.path, "--measure recency --bands 11", "recency: there are 2 to 10 bands"),
            (self.path, "--measure recency --cuts recency=9,3", "The cuts of recency do not rise"),
            (self.path, "--measure recency --cuts recency", "write it as column=30,90"),
            (self.path, "--measure recency --weight money=2", "money is not among the measures"),
            (self.path, "--measure recency --weight recency=-1", "recency cannot weigh -1"),
            (self.path, f"--recipe {recipe}", "r.json: It is no score recipe"),
            (taken, "--measure a --bands 2", "has a column called code already"),
        ):
            self.assertIn(told, self.said(path, *words.split()), words)
