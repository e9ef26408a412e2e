"""Sheets, names and notes."""

from sortija.server.groups.models import Segment
from tests.server.support import DemoCase


class Portraits(DemoCase):
    once = DemoCase.swept

    def test_nothing_is_adopted_yet(self):
        self.assertEqual(self.get("portraits")["status"]["state"], "empty")

    def test_the_sheet(self):
        row = self.adopt(4)
        page = self.get("portraits")
        self.assertEqual([s["customers"] for s in page["segments"]], row["counts"])
        self.assertEqual(sum(s["money"] for s in page["segments"]), page["money"])
        etas = [r["eta_squared"] or 0 for r in page["numeric"]]
        self.assertEqual(etas, sorted(etas, reverse=True))
        shaped = {r["name"] for r in page["numeric"] if r["shaped"]}
        self.assertIn("recency", shaped)
        for thread in page["numeric"]:
            self.assertEqual(thread["p"] is None or not thread["shaped"], True)
            weighted = sum(
                m * c for m, c in zip(thread["means"], row["counts"], strict=True) if m is not None
            )
            if thread["name"] == "frequency":
                self.assertAlmostEqual(weighted / sum(row["counts"]), thread["everyone"])
        states = sum(page["outside"].values()) + page["customers"]
        self.assertEqual(states, self.get("measures")["customers"])
        for segment in page["segments"]:
            self.assertEqual(len(segment["typical"]), 3)
            self.assertLessEqual(segment["border"], segment["customers"])

    def test_rename_undo_and_conflict(self):
        self.adopt(4)
        first, second = Segment.objects.order_by("number")[:2]
        proposed = first.name
        path = f"portraits/segments/{first.pk}"
        now = self.send("put", path, {"name": "Garden regulars"}, **{"If-Match": "1"})
        self.assertEqual((now["name"], now["short"]), ("Garden regulars", "Garden"))
        self.send("put", path, {"name": "Mine"}, 409, **{"If-Match": "1"})
        for name, words in (("", "1 to 40"), ("x" * 41, "1 to 40"), (second.name, "Another")):
            self.assertIn(words, self.send("put", path, {"name": name}, 400)["detail"])
        self.send("put", path, {"notes": "Write in March."})
        fact = next(s for s in self.get("trail")["stations"] if s["key"] == "portraits")
        self.assertEqual(fact["words"], "4 named, 1 note")
        self.send("post", "history/undo")
        self.send("post", "history/undo")
        first.refresh_from_db()
        self.assertEqual((first.name, first.notes), (proposed, ""))
        self.send("put", "portraits/segments/999999", {"name": "x"}, 404)
