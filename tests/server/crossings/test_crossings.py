"""Crossings over HTTP: everybody is somewhere at every date."""

from tests.server.support import DemoCase


class Crossings(DemoCase):
    def test_empty_then_whole(self):
        self.assertEqual(self.get("crossings")["status"]["state"], "empty")
        self.adopt(4)
        page = self.get("crossings")
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
        self.assertEqual(self.get("crossings", back="3")["steps"][0]["overlap"], 0)

    def test_why_and_the_lens_agree_with_the_matrix(self):
        self.adopt(4)
        page = self.get("crossings")
        step = page["steps"][2]
        cells = [(n, i, j) for i, row in enumerate(step["customers"]) for j, n in enumerate(row)]
        moved, origin, target = max(c for c in cells if c[1] != c[2] and c[1] < 4 and c[2] < 4)
        why = self.get("crossings/why", step=2, origin=origin, target=target)
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
        steps = self.get("crossings")["steps"][2]["customers"]
        origin = max(range(4), key=lambda g: steps[g][5])
        why = self.get("crossings/why", step=2, origin=origin, target=5)
        self.assertEqual((why["kind"], why["customers"]), ("stayers", steps[origin][5]))
        recency = next(r for r in why["rows"] if r["name"] == "recency")
        # Whoever has left after the quarter had been away for long before it.
        self.assertGreater(recency["before"], recency["after"])
        self.assertGreater(recency["share"], 0.5)
        new = self.get("crossings/why", step=0, origin=4, target=0)
        self.assertEqual(new["kind"], "means")
        self.get("crossings/why", 404, step=7, origin=0, target=1)
        self.get("crossings/why", 400, step="x", origin=0, target=1)
