"""Scores over HTTP."""

from tests.server.support import DemoCase


class Scores(DemoCase):
    def test_field_codes_and_totals_count_the_same_customers(self):
        page = self.get("scores")
        scored = page["scored"]
        self.assertEqual(scored, self.get("measures")["with_purchase"])
        self.assertEqual(sum(map(sum, page["field"]["customers"])), scored)
        self.assertEqual(sum(sum(map(sum, f["customers"])) for f in page["fields"]), scored)
        self.assertEqual(sum(t["customers"] for t in page["totals"]), scored)
        recency = page["measures"][0]
        self.assertFalse(recency["higher_is_better"])
        columns = [sum(c) for c in zip(*page["field"]["customers"], strict=True)]
        self.assertEqual(columns, [b["customers"] for b in recency["bands"]])
        best, worst = recency["bands"][4], recency["bands"][0]
        self.assertLess(best["high"], worst["low"])

    def test_bands_narrow_the_lens_and_the_field_shows_it(self):
        page = self.get("scores")
        clauses = [
            {"field": "band:recency", "values": ["5"]},
            {"field": "band:frequency", "values": ["5"]},
        ]
        lens = self.send("post", "lens", {"clauses": clauses})
        self.assertEqual(lens["lens"]["customers"], page["field"]["customers"][4][4])
        inside = self.get("scores", lens=lens["digest"])["field"]["lens"]
        self.assertEqual(sum(map(sum, inside)), lens["lens"]["customers"])
        self.assertEqual(inside[4][4], lens["lens"]["customers"])
