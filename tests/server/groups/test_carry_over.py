"""Whose name, mark and notes a segment carries, through refits, ladders and swaps."""

from sortija.server.groups.models import Segment, Yardstick
from tests.server.groups.test_run_history import GroupCase


class Carried(GroupCase):
    once = GroupCase.tried

    def segments(self):
        return list(Segment.objects.filter(yardstick__retired=False).order_by("number"))

    def rename(self, *names):
        for segment, name in zip(self.segments(), names, strict=False):
            self.send("put", f"portraits/segments/{segment.pk}", {"name": name})

    def take(self, page, k):
        return self.send("post", "groups/adopt", {"grouping": self.row(page, k)["id"]})

    def test_notes_and_short_names_come_along_and_are_the_new_segment_s_own(self):
        page = self.quick()
        self.take(page, 3)
        self.rename("Oaks", "Reeds", "Moss")
        oaks = self.segments()[0]
        self.send("put", f"portraits/segments/{oaks.pk}", {"notes": "Write in March."})
        self.take(self.quick(seed=7), 3)
        heir = next(s for s in self.segments() if s.name == "Oaks")
        self.assertEqual((heir.notes, heir.short, heir.mark), ("Write in March.", "Oaks", 0))
        self.assertEqual(heir.carried_id, oaks.pk)
        self.send("put", f"portraits/segments/{heir.pk}", {"notes": "Write in May."})
        oaks.refresh_from_db()
        self.assertEqual(oaks.notes, "Write in March.")

    def test_a_third_refit_carries_what_the_second_carried(self):
        page = self.quick()
        self.take(page, 2)
        self.rename("Oaks", "Reeds")
        self.take(page, 3)
        named = {s.name for s in self.segments() if s.carried_id}
        self.assertTrue(named <= {"Oaks", "Reeds"})
        self.take(page, 2)
        again = self.segments()
        self.assertEqual([s.carried_share == 1.0 for s in again if s.name in named], [False] * 2)
        self.assertEqual({s.name for s in again}, {"Oaks", "Reeds"})
        self.assertEqual([s.mark for s in sorted(again, key=lambda s: s.name)], [0, 1])
        vanished = Yardstick.objects.get(retired=False).vanished
        self.assertEqual(len(vanished), 1)

    def test_a_new_segment_gives_way_to_a_name_that_is_carried(self):
        page = self.quick()
        three = [s["name"] for s in self.take(page, 3)["segments"]]
        four = self.take(page, 4)["segments"]
        new = next(s for s in four if not s["carried"])
        self.send("post", "history/undo")
        # What the new one was called before is now an old one's name, chosen by hand.
        self.rename(new["name"])
        after = self.take(page, 4)["segments"]
        names = [s["name"] for s in after]
        self.assertEqual(len(set(names)), 4)
        holder = next(s for s in after if s["name"] == new["name"])
        self.assertEqual(holder["carried"], new["name"])
        self.assertNotEqual(three[0], new["name"])
        self.assertEqual(len({s.short for s in self.segments()}), 4)

    def test_tiers_are_called_as_their_ladder_calls_them_and_keep_marks(self):
        self.take(self.quick(), 3)
        self.rename("Oaks", "Reeds", "Moss")
        tiers = [t["name"] for t in self.get("scores")["ladder"]["tiers"]]
        kept = self.send("post", "ladder")
        self.assertEqual([s["name"] for s in kept["segments"]], tiers)
        carried = [s for s in kept["segments"] if s["carried"]]
        self.assertTrue(carried)
        for tier in carried:
            self.assertIn(tier["carried"], ("Oaks", "Reeds", "Moss"))
            self.assertEqual(tier["mark"], ("Oaks", "Reeds", "Moss").index(tier["carried"]))
        self.assertEqual(len({s["mark"] for s in kept["segments"]}), len(tiers))

    def test_what_cannot_be_swapped_and_what_cannot_be_taken_back(self):
        page = self.quick()
        former = self.take(page, 2)["segments"]
        now = self.take(page, 3)["segments"]
        mixed = {"first": former[0]["id"], "second": now[0]["id"]}
        self.assertIn("yardstick in use", self.send("post", "groups/swap", mixed, 404)["detail"])
        itself = {"first": now[0]["id"], "second": now[0]["id"]}
        self.send("post", "groups/swap", itself, 404)
        pair = {"first": now[0]["id"], "second": now[1]["id"]}
        self.send("post", "groups/swap", pair)
        self.assertEqual([s.name for s in self.segments()[:2]], [now[1]["name"], now[0]["name"]])
        rita = self.person("rita")
        self.study.members.create(person=rita, role="analyst")
        path = f"portraits/segments/{now[0]['id']}"
        self.send("put", path, {"name": "Heather"}, 200, self.signed_in(rita))
        answer = self.send("post", "history/undo", status=409)
        self.assertIn("renamed since", answer["detail"])
        self.assertEqual(self.segments()[0].name, "Heather")
