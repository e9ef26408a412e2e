"""Cohorts and the yardstick's fit over HTTP, on the small demo."""

from datetime import date
from unittest import mock

import numpy as np

from sortija.core.calendar import day_number
from sortija.core.crossings.drift import drift, freeze_numbers
from sortija.server.crossings import fit
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies.windows import WindowInView
from tests.server.support import DemoCase, ServerCase


class Empty(ServerCase):
    def test_without_a_log_or_groups(self):
        for path in ("crossings/cohorts", "crossings/yardstick"):
            self.assertEqual(self.get(path)["status"]["state"], "empty")


class Cohorts(DemoCase):
    def test_cohorts_and_the_lens_agree(self):
        page = self.get("crossings/cohorts")
        self.assertEqual(page["status"]["state"], "whole")
        self.assertEqual(page["ends"], "2026-06-30")
        everybody = sum(row["customers"] for row in page["rows"])
        log = ledger_of(self.study).lines().log
        self.assertGreater(everybody, 300)
        self.assertLessEqual(everybody, log.customers)
        self.assertEqual([row["few"] for row in page["rows"]],
                         [row["customers"] < page["least"] for row in page["rows"]])  # fmt: skip
        row = max(page["rows"][2:], key=lambda row: row["customers"])
        self.assertFalse(row["unsure"])
        cell = row["cells"][1]
        began = {"field": f"began:days={row['first']}..{row['last']}", "values": ["yes"]}
        again = {"field": f"bought:days={cell['first']}..{cell['last']}", "values": ["yes"]}
        lens = {"clauses": [began]}
        self.assertEqual(self.send("post", "lens", lens)["lens"]["customers"], row["customers"])
        lens = {"clauses": [began, again]}
        self.assertEqual(self.send("post", "lens", lens)["lens"]["customers"], cell["bought"])
        self.assertEqual(row["cells"][0]["bought"], row["customers"])

    def test_the_future_of_a_window_is_not_told(self):
        page = self.get("crossings/cohorts", to="2025-12-31")
        self.assertEqual(page["ends"], "2025-12-31")
        for row in page["rows"]:
            for cell in row["cells"]:
                self.assertLessEqual(cell["last"], "2025-12-31")
        wait = page["wait"]
        self.assertEqual(wait["waiting"], sorted(wait["waiting"], reverse=True))
        span = day_number(date(2025, 12, 31)) - day_number(date.fromisoformat(page["begins"]))
        self.assertLessEqual(max(wait["days"]), span)
        words = self.get("crossings/cohorts", to="2019-12-31")["status"]["words"]
        self.assertIn("after this window", words)


class Paths(DemoCase):
    once = DemoCase.swept

    def test_ways_patterns_and_the_lens_agree(self):
        self.assertEqual(self.get("crossings/paths")["status"]["state"], "empty")
        self.adopt(4)
        page = self.get("crossings/paths")
        self.assertEqual(page["dates"][-1], "2026-06-30")
        self.assertGreaterEqual(len(page["dates"]), 3)
        ribbons = self.get("crossings", by="quarter")
        self.assertEqual([d["to"] for d in ribbons["dates"] if d["counts"]], page["dates"])
        counts = [row["customers"] for row in page["rows"]]
        self.assertEqual(counts, sorted(counts, reverse=True))
        self.assertLessEqual(len(counts), 12)
        self.assertAlmostEqual(page["listed"], sum(counts) / page["customers"])
        self.assertEqual(page["overlap"], 9)
        self.assertEqual(self.get("crossings/paths", back="3")["overlap"], 0)
        self.assertTrue(all(row["chance"] is None for row in page["rows"]))
        row = page["rows"][1]
        exact = ".".join(str(state + 1) for state in row["states"])
        matched = self.get("crossings/paths", pattern=exact)["matched"]
        self.assertEqual((matched["customers"], matched["spent"]), (row["customers"], row["spent"]))
        # From one end to the other by whatever: as many as the first and last dates have.
        loose = ".".join(["1", *["*"] * (len(page["dates"]) - 2), "2"])
        matched = self.get("crossings/paths", pattern=loose)["matched"]
        field = f"path:{'>'.join(page['dates'])}={loose}"
        lens = {"clauses": [{"field": field, "values": ["yes"]}]}
        self.assertEqual(self.send("post", "lens", lens)["lens"]["customers"], matched["customers"])
        far = f"crossing:{page['dates'][0]}>{page['dates'][-1]}"
        lens = {"clauses": [{"field": far, "values": ["1>2"]}]}
        self.assertEqual(self.send("post", "lens", lens)["lens"]["customers"], matched["customers"])

    def test_what_is_no_pattern(self):
        self.adopt(3)
        page = self.get("crossings/paths")
        for pattern in ("1", "1.*.x.*.*.*", ".".join(["9"] * len(page["dates"]))):
            self.get("crossings/paths", 400, pattern=pattern)
        for name in ("2026-06-30", "2026-06-30=9", "2026-06-30=1.1", "soon=1"):
            clause = {"field": f"path:{name}", "values": ["yes"]}
            self.send("post", "lens", {"clauses": [clause]}, 404)


class Fit(DemoCase):
    once = DemoCase.swept

    def test_measures_against_the_day_of_adoption(self):
        self.adopt(4)
        page = self.get("crossings/yardstick")
        # In view is its home: it is compared with the same season a year before.
        self.assertEqual((page["home"], page["to"], page["seasons"]),
                         ("2026-06-30", "2025-06-30", ""))  # fmt: skip
        rows = {row["name"]: row for row in page["rows"]}
        then, now = (
            measures_or_job(self.study, WindowInView(date(year, 6, 30), "12"))
            for year in (2026, 2025)
        )
        for name in ("recency", "frequency"):
            before, after = (
                np.asarray(made.column(name).values)[made.present] for made in (then, now)
            )
            found = drift(freeze_numbers(before), after)
            self.assertAlmostEqual(rows[name]["index"], found.index)
            self.assertEqual(rows[name]["told"], found.told)
            self.assertEqual(rows[name]["then"], float(np.median(before)))
        self.assertIn("trait:plan", rows)
        self.assertEqual([row["segment"] for row in page["segments"]], [0, 1, 2, 3])
        for row in page["segments"]:
            if row["beyond"] is not None:
                self.assertEqual(row["told"], row["beyond"] > row["chance"])

    def test_other_seasons_are_said_to_be_so(self):
        self.adopt(3)
        page = self.get("crossings/yardstick", to="2026-03-31")
        self.assertEqual(page["to"], "2026-03-31")
        self.assertIn("different seasons", page["seasons"])
        words = self.get("crossings/yardstick", to="2024-06-30")["words"]
        self.assertIn("the log has", words)
        with mock.patch.object(fit, "ByLadder", object):
            self.assertEqual(self.get("crossings/yardstick")["segments"], [])
