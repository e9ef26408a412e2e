"""Frames of pandas, Polars and Arrow in and out: the same figures as the commands of a terminal."""

import io
import json
import subprocess
import sys
import tempfile
import unittest
from contextlib import redirect_stderr
from importlib.resources import files
from pathlib import Path

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa

import sortija
from sortija.cli.terminal import Trouble
from sortija.notebook.progress import Bar

ROOT = Path(__file__).resolve().parents[2]
SMALL = files("sortija.demo.small")
BY = {"recency": "low", "frequency": "high", "monetary": "high"}
NUMBERS = ["recency", "frequency", "monetary"]


def command(*words):
    done = subprocess.run([sys.executable, "-m", "sortija", *map(str, words)], cwd=ROOT,
                          capture_output=True, text=True)  # fmt: skip
    if done.returncode:
        raise AssertionError(done.stderr)
    return done.stdout


class Frames(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.log = sortija.read_log(SMALL / "log.csv", members=SMALL / "members.csv")
        cls.arrow = sortija.derive(cls.log)
        cls.frames = {
            "pandas": cls.arrow.to_pandas(), "polars": pl.from_arrow(cls.arrow),
            "arrow": cls.arrow,
        }  # fmt: skip

    def test_a_log_says_what_was_read(self):
        said = repr(self.log)
        self.assertIn(f"{len(self.log):,} lines of", said)
        self.assertIn("log.csv: customer ", said)
        self.assertEqual(self.log.last_day.isoformat(), "2026-06-30")

    def test_measures_are_those_of_the_command(self):
        out = self.folder / "measures.parquet"
        command("derive", SMALL / "log.csv", "--members", SMALL / "members.csv", "--out", out)
        self.assertTrue(pa.parquet.read_table(out).equals(self.arrow))

    def test_what_goes_in_comes_out(self):
        kinds = {"pandas": pd.DataFrame, "polars": pl.DataFrame, "arrow": pa.Table}
        told = {}
        for name, frame in self.frames.items():
            scored = sortija.score(frame, BY)
            found = sortija.group(frame, NUMBERS, ["plan"], k=4, log=["monetary"])
            placed = sortija.place(frame, found)
            for made in (scored, found.segments, found.centres, placed):
                self.assertIsInstance(made, kinds[name])
            told[name] = (list(scored["total"]), found.frozen.counts.tolist())
            self.assertEqual(sortija.compare(found.segments, placed).figures["adjusted_rand"], 1)
        self.assertEqual(told["pandas"], told["polars"])
        totals, sizes = told["arrow"]
        self.assertEqual(([total.as_py() for total in totals], sizes), told["pandas"])

    def test_groups_are_those_of_the_command(self):
        path, out = self.folder / "m.parquet", self.folder / "s.csv"
        pa.parquet.write_table(self.arrow, path)
        command("group", path, "--numeric", ",".join(NUMBERS), "--log", "monetary", "--category",
                "plan", "--k", 4, "--out", out, "--recipe", self.folder / "r.json")  # fmt: skip
        found = sortija.group(self.arrow, NUMBERS, ["plan"], k=4, log=["monetary"])
        self.assertEqual(
            pd.read_csv(out)["segment"].tolist(), found.segments["segment"].to_pylist()
        )
        found.write(self.folder / "own.json")
        placed = sortija.place(self.arrow, self.folder / "own.json")
        self.assertTrue(placed.equals(sortija.place(self.arrow, self.folder / "r.json")))
        found.write(self.folder / "own.pmml")
        self.assertIn("ClusteringModel", (self.folder / "own.pmml").read_text())

    def test_several_k_and_own_centres(self):
        tried = sortija.group(self.frames["pandas"], NUMBERS, k=(1, 4), log=["monetary"])
        self.assertEqual(list(tried.table["k"]), [1, 2, 3, 4])
        self.assertTrue(repr(tried))
        three = tried[3]
        centres = three.centres.drop(columns=["segment", "customers"]).to_dict("records")
        again = sortija.group(self.frames["pandas"], NUMBERS, k=3, log=["monetary"],
                              centres=centres)  # fmt: skip
        self.assertLessEqual(again.frozen.cost, three.frozen.cost * 1.001)

    def test_crossings_portraits_and_effects_tell_what_commands_tell(self):
        frame = self.frames["polars"]
        june = sortija.group(frame, NUMBERS, k=3, log=["monetary"])
        early = sortija.derive(self.log, as_of=self.log.last_day.replace(month=3, day=31))
        march = sortija.place(early, june)
        crossed = sortija.cross(pl.from_arrow(march), june.segments)
        self.assertEqual(
            int(np.sum(crossed.figures["customers"])), sum(crossed.table.drop("from").sum().row(0))
        )
        path = self.folder / "segments.parquet"
        both = frame.join(june.segments, on="customer")
        both.write_parquet(path)
        figures = json.loads(command("portray", path, "--segment", "segment", "--json"))
        told = sortija.portray(both)
        self.assertEqual(told.figures["rules"], figures["rules"])
        self.assertIsInstance(told.table, pl.DataFrame)
        self.assertIn("customers in 3 segments", repr(told))
        rng = np.random.default_rng(5)
        drawn = pd.DataFrame({
            "customer": [f"C{n}" for n in range(400)], "group": ["written", "held"] * 200,
            "returned": rng.integers(0, 2, 400), "spend": rng.gamma(2, 20, 400).round(2),
        })  # fmt: skip
        drawn.to_csv(self.folder / "drawn.csv", index=False)
        figures = json.loads(
            command("effect", self.folder / "drawn.csv", "--spend", "spend", "--json")
        )
        effect = sortija.effect(drawn, spend="spend")
        self.assertEqual(effect.figures["spend"], figures["spend"])
        self.assertEqual(effect.table["of"].tolist(), ["everyone"])

    def test_what_cannot_be_done_is_one_sentence(self):
        frame = self.frames["pandas"]
        twice = {"customer": ["A", "A"], "visits": [1, 2]}
        alike = {"customer": ["A", "B", "C"], "visits": [1, 1, 2]}
        for words, wrong in (
            ("is no table: give a frame", lambda: sortija.score([1, 2], BY)),
            ("no column is called customer", lambda: sortija.score({"visits": [1]}, BY)),
            ("customer A has two rows", lambda: sortija.score(twice, {"visits": "high"})),
            ("no column", lambda: sortija.group(frame, ["nothing"], k=2)),
            ("the better end is high or low", lambda: sortija.score(frame, {"recency": "up"})),
            ("there is no such file", lambda: sortija.derive("nothing.csv")),
            ("kard is no role", lambda: sortija.read_log(SMALL / "log.csv", kard="card")),
            ("cannot be read", lambda: sortija.place(frame, "nothing.json")),
            ("groups of customers differ", lambda: sortija.group(alike, ["visits"], k=3)),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(Trouble, words):
                wrong()

    def test_a_bar_is_drawn_where_somebody_watches(self):
        shown = Bar()
        shown._on, shown._spoke = True, 0.0
        with redirect_stderr(io.StringIO()) as said:
            shown("grouping", 2, 4)
            shown("grouping", 3, 4)  # too soon after the first
            shown.clear()
        self.assertEqual(said.getvalue().count("grouping"), 1)
        self.assertIn("2 of 4", said.getvalue())
        self.assertTrue(said.getvalue().endswith("\r"))

    def test_importing_it_brings_in_nothing_before_it_is_asked_for(self):
        words = (
            "import sortija, sys; "
            "print([n for n in ('numba', 'numpy', 'pandas', 'polars') if n in sys.modules])"
        )
        ran = [sys.executable, "-c", words]
        done = subprocess.run(ran, cwd=ROOT, capture_output=True, text=True)
        self.assertEqual(done.stdout.strip(), "[]")
        with self.assertRaises(AttributeError):
            sortija.nothing  # noqa: B018


if __name__ == "__main__":
    unittest.main()
