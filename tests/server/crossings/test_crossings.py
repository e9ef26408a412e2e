"""Crossings over HTTP: everybody is somewhere at every date."""

from datetime import date
from unittest import mock

import numpy as np

from sortija.server.crossings import reasons
from sortija.server.groups.models import Yardstick
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.windows import WindowInView
from tests.server.support import DemoCase


class Crossings(DemoCase):
    once = DemoCase.swept

    def test_empty_then_whole(self):
        self.assertEqual(self.get("crossings")["status"]["state"], "empty")
        self.adopt(4)
        page = self.get("crossings", by="quarter")
        self.assertEqual([d["to"] for d in page["dates"]][-1], "2026-06-30")
        size = sum(page["dates"][0]["counts"])
        for place, step in enumerate(page["steps"]):
            rows = [sum(row) for row in step["customers"]]
            columns = [sum(column) for column in zip(*step["customers"], strict=True)]
            self.assertEqual(rows, page["dates"][place]["counts"])
            self.assertEqual(columns, page["dates"][place + 1]["counts"])
            self.assertEqual(sum(rows), size)
            self.assertEqual(step["overlap"], 9)
            for origin, row in enumerate(step["border"]):
                self.assertEqual(row[origin], 0)
                for target, hair in enumerate(row):
                    self.assertLessEqual(hair, step["customers"][origin][target])
        self.assertEqual(self.get("crossings", back="3", by="quarter")["steps"][0]["overlap"], 0)

    def test_why_and_the_lens_agree_with_the_matrix(self):
        self.adopt(4)
        page = self.get("crossings", by="quarter")
        step = page["steps"][2]
        cells = [(n, i, j) for i, row in enumerate(step["customers"]) for j, n in enumerate(row)]
        moved, origin, target = max(c for c in cells if c[1] != c[2] and c[1] < 4 and c[2] < 4)
        why = self.get("crossings/why", by="quarter", step=2, origin=origin, target=target)
        self.assertEqual((why["customers"], why["kind"]), (moved, "shares"))
        self.assertEqual(why["border"], step["border"][origin][target])
        self.assertEqual(why["money_before"], step["money_before"][origin][target])
        self.assertAlmostEqual(sum(r["share"] for r in why["rows"]), 1.0, places=1)
        field = f"crossing:{step['from_to']}>{step['to']}"
        clause = {"field": field, "values": [f"{origin + 1}>{target + 1}"]}
        self.assertEqual(
            self.send("post", "lens", {"clauses": [clause]})["lens"]["customers"], moved
        )

    def test_leavers_are_told_by_those_who_stayed(self):
        self.adopt(4)
        steps = self.get("crossings", by="quarter")["steps"][2]["customers"]
        origin = max(range(4), key=lambda g: steps[g][5])
        why = self.get("crossings/why", by="quarter", step=2, origin=origin, target=5)
        self.assertEqual((why["kind"], why["customers"]), ("stayers", steps[origin][5]))
        recency = next(r for r in why["rows"] if r["name"] == "recency")
        # Whoever has left after the quarter had been away for long before it.
        self.assertGreater(recency["before"], recency["after"])
        self.assertGreater(recency["share"], 0.5)
        new = self.get("crossings/why", by="quarter", step=0, origin=4, target=0)
        self.assertEqual(new["kind"], "means")
        self.get("crossings/why", 404, by="quarter", step=7, origin=0, target=1)
        self.get("crossings/why", 400, by="quarter", step="x", origin=0, target=1)

    def test_it_opens_on_the_same_season_a_year_before(self):
        self.adopt(3)
        page = self.get("crossings")
        self.assertEqual([d["to"] for d in page["dates"]], ["2025-06-30", "2026-06-30"])
        self.assertEqual([(s["from_to"], s["to"], s["overlap"]) for s in page["steps"]],
                         [("2025-06-30", "2026-06-30", 0)])  # fmt: skip
        (one, _), (other, _) = self.at("2025-06-30"), self.at("2026-06-30")
        stay = [[int(((one == a) & (other == b)).sum()) for b in range(6)] for a in range(6)]
        self.assertEqual(page["steps"][0]["customers"], stay)
        self.get("crossings/why", 404, step=1, origin=0, target=1)
        self.get("crossings", 400, by="moon")
        # Windows that begin on one day, or with the log, would grow: a year each.
        for back in ("all", "2024-03-01"):
            page = self.get("crossings", back=back)
            self.assertEqual((page["back"], page["steps"][0]["overlap"]), ("12", 0))
        # What moved one customer by a hair is told in no shares.
        steps = self.get("crossings", by="quarter")["steps"]
        n, a, b = next((n, a, b) for n, step in enumerate(steps) for a in range(3)
                       for b in range(3) if a != b and step["customers"][a][b] == 1)  # fmt: skip
        with mock.patch.object(reasons, "border_of", lambda key: key.value[0].placement.state >= 0):
            told = self.get("crossings/why", by="quarter", step=n, origin=a, target=b)
        self.assertEqual((told["kind"], told["customers"]), ("means", 1))
        self.assertIn("a border move", told["words"])

    def at(self, day):
        """States and measures at one date, read from their columns."""
        made = measures_or_job(self.study, WindowInView(date.fromisoformat(day), "12"))
        name = f"placed:{Yardstick.objects.get(retired=False).pk}"
        row = models.Column.objects.filter(name=name, window=made.window.key).last()
        return np.asarray(read_column(row).values).astype(int) - 1, made

    def test_money_and_reasons_are_those_of_whoever_crossed(self):
        self.adopt(3)
        page = self.get("crossings", by="quarter")
        for step in page["steps"]:
            (one, before), (other, after) = self.at(step["from_to"]), self.at(step["to"])
            for a in range(6):
                for b in range(6):
                    who = (one == a) & (other == b)
                    self.assertEqual(step["customers"][a][b], who.sum())
                    self.assertEqual(step["money_before"][a][b], before.money[who].sum())
                    self.assertEqual(step["money_after"][a][b], after.money[who].sum())
        states = [state["name"] for state in page["states"]]
        self.assertEqual(states[3:], ["not yet", "left", "unplaced"])
        # Why somebody crossed is told with the means of those very customers.
        step = page["steps"][1]
        (one, before), (other, after) = self.at(step["from_to"]), self.at(step["to"])
        cells = [(n, a, b) for a, row in enumerate(step["customers"][:3])
                 for b, n in enumerate(row[:3]) if a != b]  # fmt: skip
        moved, a, b = max(cells)
        why = self.get("crossings/why", by="quarter", step=1, origin=a, target=b)
        who = (one == a) & (other == b)
        self.assertEqual(moved, who.sum())
        for row in why["rows"]:
            if row["before"] is None:
                continue
            self.assertAlmostEqual(row["before"], before.column(row["name"]).values[who].mean())
            self.assertAlmostEqual(row["after"], after.column(row["name"]).values[who].mean())
        # Whoever left has bought before, so nobody who left is *not yet* there afterwards.
        self.assertEqual(step["customers"][4][3], 0)
        told = self.get("crossings/why", by="quarter", step=1, origin=4, target=3)
        self.assertEqual((told["words"], told["rows"]), ("Nobody crossed here.", []))

    def test_a_crossing_that_is_none_narrows_nothing(self):
        clause = {"field": "crossing:2026-03-31>2026-06-30", "values": ["1>2"]}
        none = self.get("crossings/why", 404, by="quarter", step=0, origin=0, target=1)
        self.assertEqual(none["detail"], "There is no such step between two dates.")
        self.adopt(3)
        self.send("post", "lens", {"clauses": [clause]})
        for field in ("crossing:yesterday>today", "crossing:2026-03-31"):
            self.send("post", "lens", {"clauses": [{**clause, "field": field}]}, 404)
        self.get("crossings/why", 404, by="quarter", step=0, origin=0, target=6)

    def test_a_refit_moves_every_date_and_undo_moves_them_back(self):
        self.adopt(3)
        first = self.get("crossings")
        row = next(r for r in self.get("groups")["candidates"] if r["k"] == 5)
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        second = self.get("crossings")
        self.assertEqual(len(second["dates"][0]["counts"]), 8)
        self.assertNotEqual(first["made_from"], second["made_from"])
        self.send("post", "history/undo")
        again = self.get("crossings")
        self.assertEqual(again["dates"], first["dates"])
        self.assertEqual(again["steps"], first["steps"])


class OfALens(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        self.adopt(4)

    def lens(self, *clauses):
        return self.send("post", "lens", {"clauses": list(clauses)})["lens"]["customers"], (
            self.send("post", "lens", {"clauses": list(clauses)})["digest"]
        )

    def test_only_the_customers_of_the_lens(self):
        whole = self.get("crossings")
        yard = {"field": "trait:garden", "values": ["yard"]}
        customers, digest = self.lens(yard)
        page = self.get("crossings", lens=digest)
        self.assertEqual((whole["only"], page["only"]), (None, customers))
        table = np.array(page["steps"][0]["customers"])
        self.assertEqual(table.sum(), customers)
        self.assertTrue((table <= np.array(whole["steps"][0]["customers"])).all())
        crossing = {"field": "crossing:2025-06-30>2026-06-30", "values": ["1>2"]}
        both, narrowed = self.lens(yard, crossing)
        self.assertEqual(both, table[0, 1])
        # Whoever picks a ribbon goes on seeing the others; what chance makes is told of all.
        again = self.get("crossings", lens=narrowed)
        self.assertEqual(again["steps"][0]["customers"], table.tolist())
        chance = again["steps"][0]["chance"]
        self.assertEqual((chance["status"]["state"], chance["moves"]), ("empty", []))
        self.assertIn("of all customers", again["steps"][0]["sizes"]["untold"])
        _, alone = self.lens(crossing)
        self.assertIsNone(self.get("crossings", lens=alone)["only"])

    def test_gone_silent_is_told_by_state_and_is_a_lens(self):
        made = measures_or_job(self.study, WindowInView(date(2026, 6, 30), "12"))
        silent = np.asarray(made.column("silence").values) > 3
        row = self.get("crossings")["dates"][-1]
        self.assertEqual(sum(row["silent"]), int(silent.sum()))
        place = int(np.argmax(row["silent"][:4]))
        clauses = [{"field": "segment:now", "values": [str(place + 1)]},
                   {"field": "silent:now", "values": ["yes"]}]  # fmt: skip
        self.assertEqual(self.lens(*clauses)[0], row["silent"][place])
        fields = {f["field"]: f["label"] for f in self.get("fields")["fields"]}
        self.assertIn("silent:now", fields)
        self.assertIn("crossing:2025-06-30>2026-06-30", fields)
        names = ["margin:now", "silent:now", "crossing:2025-06-30>2026-06-30"]
        told = self.everyone(*names)
        self.assertEqual(len(told), int(made.known.sum()))
        margins = [m for m, *_ in told.values() if m is not None]
        self.assertGreaterEqual(min(margins), 0)
