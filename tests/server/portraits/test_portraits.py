"""Sheets, names and notes."""

from sortija.core.portraits.marks import mark_of
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

    def test_marks_change_hands_and_come_back(self):
        self.adopt(4)
        first, second, third, _ = Segment.objects.order_by("number")
        path = f"portraits/segments/{first.pk}"
        now = self.send("put", path, {"mark": second.mark}, **{"If-Match": "1"})
        self.assertEqual(now["mark"], second.mark)
        marks = [s["mark"] for s in self.get("portraits")["segments"]]
        self.assertEqual(marks, [1, 0, 2, 3])
        self.assertEqual([s["mark"] for s in self.get("groups")["adopted"]["segments"]], marks)
        second.refresh_from_db()
        self.assertEqual(second.revision, 2)  # whoever looks at it is told
        # Shape 0 in the third's colour: the third takes what the first had.
        self.send("put", f"portraits/segments/{second.pk}", {"mark": mark_of(0, 2)})
        third.refresh_from_db()
        self.assertEqual(third.mark, mark_of(2, 0))
        self.send("post", "history/undo")
        self.send("post", "history/undo")
        marks = [s["mark"] for s in self.get("portraits")["segments"]]
        self.assertEqual(marks, [0, 1, 2, 3])
        self.send("put", path, {"mark": 108}, 400)

    def test_owner_former_names_and_short_form(self):
        self.adopt(4)
        first, second = Segment.objects.order_by("number")[:2]
        path = f"portraits/segments/{first.pk}"
        proposed = first.name
        for name in ("Garden regulars", "Plot keepers", "Garden regulars"):
            self.send("put", path, {"name": name})
        told = self.get(f"{path}/names")["names"]
        self.assertEqual([n["name"] for n in told], ["Plot keepers", proposed])
        self.assertEqual(told[0]["who"], "iris")
        member = self.get("members")["members"][0]
        now = self.send("put", path, {"owner": member["id"]})
        self.assertEqual(now["owner"], member["name"])
        self.assertEqual(self.get("portraits")["segments"][0]["owner"], member["name"])
        self.send("put", path, {"owner": 99999}, 400)
        self.send("post", "history/undo")
        self.assertEqual(self.get("portraits")["segments"][0]["owner"], "")
        words = self.send("put", path, {"short": second.short}, 400)["detail"]
        self.assertIn(second.short, words)
        self.send("put", path, {"notes": "x" * 4001}, 400)
        self.get("portraits/segments/999999/names", 404)
