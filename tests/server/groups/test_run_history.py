"""What was tried stays: kept list, comparison, yardsticks so far, identities, ladders."""

import numpy as np

from sortija.core.groups.compare import adjusted_rand, best_matching, cross_table
from sortija.server.groups.models import Grouping, Segment, Yardstick
from sortija.server.studies.columns import read_column
from tests.server.support import DemoCase, run_jobs


class GroupCase(DemoCase):
    def quick(self, **changes):
        """A sweep over few columns, starts and k; returns the page."""
        draft = {"numeric": ["recency", "frequency", "monetary"], "categories": ["plan"],
                 "starts": 2, "most": 4, **changes}  # fmt: skip
        self.send("put", "groups/recipe", draft)
        return self.sweep()

    def tried(self):
        """The quick recipe run: for ``once`` of a class."""
        self.quick()

    def row(self, page, k):
        return next(row for row in page["candidates"] if row["k"] == k)

    def labels(self, pk):
        return np.asarray(read_column(Grouping.objects.get(pk=pk).labels).values) - 1


class Kept(GroupCase):
    once = GroupCase.tried

    def test_stars_notes_and_deleting_with_undo(self):
        first = self.quick()
        second = self.quick(seed=5)
        kept = self.get("groups/kept")
        self.assertEqual(len(kept["rows"]), 6)
        newest = kept["rows"][0]
        self.assertEqual((newest["run"], newest["k"]), (second["run"], 4))
        self.assertEqual(
            sorted(newest["columns"]), ["Days since last visit", "Plan", "Spend", "Visits"]
        )
        self.assertEqual(newest["person"], str(self.owner))
        # Costs compare among equal columns and preparation, whatever the seed.
        self.assertEqual(len({row["kin"] for row in kept["rows"]}), 1)
        pk = self.row(first, 3)["id"]
        self.send("patch", f"groups/kept/{pk}", {"starred": True})
        self.send("patch", f"groups/kept/{pk}", {"note": "for the board"})
        row = next(r for r in self.get("groups/kept")["rows"] if r["id"] == pk)
        self.assertEqual((row["starred"], row["note"]), (True, "for the board"))
        self.send("patch", f"groups/kept/{pk}", {"deleted": True})
        self.assertNotIn(pk, [r["id"] for r in self.get("groups/kept")["rows"]])
        self.assertEqual(
            [r["k"] for r in self.get("groups", run=first["run"])["candidates"]], [2, 4]
        )
        self.send("post", "history/undo")
        row = next(r for r in self.get("groups/kept")["rows"] if r["id"] == pk)
        self.assertEqual(row["note"], "for the board")
        self.send("patch", "groups/kept/999999", {"starred": True}, 404)
        self.send("patch", f"groups/kept/{pk}", {"note": "x" * 301}, 400)

    def test_an_earlier_run_is_looked_at_without_changing_the_recipe(self):
        first = self.quick()
        now = self.quick(numeric=["recency", "tenure"], categories=[])
        old = self.get("groups", run=first["run"])
        self.assertTrue(old["foreign"])
        self.assertEqual(old["candidates"], first["candidates"])
        self.assertEqual(old["suggestion"], first["suggestion"])
        self.assertEqual(old["made_from"], now["made_from"])
        self.assertEqual(now["method"], "k-means")
        self.assertNotEqual(*({r["kin"] for r in self.get("groups/kept")["rows"]}))
        self.get("groups", 404, run="0" * 64)

    def test_what_was_adopted_is_not_deleted(self):
        pk = self.row(self.quick(), 2)["id"]
        self.send("post", "groups/adopt", {"grouping": pk})
        answer = self.send("patch", f"groups/kept/{pk}", {"deleted": True}, 400)
        self.assertIn("adopted", answer["detail"])
        row = next(r for r in self.get("groups/kept")["rows"] if r["id"] == pk)
        self.assertTrue(row["in_use"] and row["adopted"])


class Comparing(GroupCase):
    once = GroupCase.tried

    def test_any_two_and_who_is_elsewhere(self):
        page = self.quick()
        a, b = (self.row(page, k)["id"] for k in (3, 4))
        found = self.get("groups/compare", first=f"g{a}", second=f"g{b}")
        one, other = self.labels(a), self.labels(b)
        table = cross_table(one, other, 3, 4)
        self.assertEqual(found["table"], table.tolist())
        self.assertEqual(found["matching"], best_matching(table).tolist())
        self.assertAlmostEqual(found["rand"], adjusted_rand(one, other))
        stay = sum(table[r, c] for r, c in enumerate(best_matching(table)) if c >= 0)
        self.assertEqual(found["differ"], found["both"] - stay)
        lens = self.send("post", "lens", {
            "clauses": [{"field": found["differ_field"], "values": ["elsewhere"]}]
        })  # fmt: skip
        self.assertEqual(lens["lens"]["customers"], found["differ"])
        cell = self.send("post", "lens", {"clauses": [
            {"field": found["row_field"], "values": ["2"]},
            {"field": found["column_field"], "values": ["1"]},
        ]})  # fmt: skip
        self.assertEqual(cell["lens"]["customers"], int(table[1, 0]))
        self.send("post", "groups/adopt", {"grouping": a})
        kinds = {choice["kind"] for choice in found["choices"]}
        self.assertEqual(kinds, {"grouping", "tiers", "trait"})
        use = Yardstick.objects.get()
        same = self.get("groups/compare", first=f"g{a}", second=f"y{use.pk}")
        self.assertEqual((same["rand"], same["differ"], same["words"]), (1.0, 0, "the same groups"))
        trait = self.get("groups/compare", first=f"g{a}", second="t.garden")
        self.assertEqual(trait["only_first"] + trait["both"], page["customers"])
        tiers = self.get("groups/compare", first="ladder", second=f"g{b}")
        self.assertEqual(sum(map(sum, tiers["table"])), tiers["both"])
        self.get("groups/compare", 404, first="g999999", second="ladder")
        self.get("groups/compare", 404, first="nothing", second="ladder")


class Identities(GroupCase):
    once = GroupCase.tried

    def test_names_and_marks_live_on_through_a_refit_and_can_be_swapped(self):
        page = self.quick()
        self.send("post", "groups/adopt", {"grouping": self.row(page, 3)["id"]})
        old = list(Segment.objects.order_by("number"))
        for segment, name in zip(old, ("Oaks", "Reeds", "Moss"), strict=True):
            self.send("put", f"portraits/segments/{segment.pk}", {"name": name})
        refit = self.quick(seed=99)
        adopted = self.send("post", "groups/adopt", {"grouping": self.row(refit, 4)["id"]})
        one, other = (self.labels(self.row(p, k)["id"]) for p, k in ((page, 3), (refit, 4)))
        table = cross_table(one, other, 3, 4)
        names = ("Oaks", "Reeds", "Moss")
        carried = {s["carried"]: s for s in adopted["segments"] if s["carried"]}
        for name, segment in carried.items():
            a, b = names.index(name), segment["number"] - 1
            union = table[a].sum() + table[:, b].sum() - table[a, b]
            self.assertAlmostEqual(segment["carried_share"], table[a, b] / union)
            self.assertEqual((segment["name"], segment["mark"]), (name, a))
        self.assertEqual(set(adopted["vanished"]), set(names) - set(carried))
        marks = [s["mark"] for s in adopted["segments"]]
        self.assertEqual(len(set(marks)), 4)
        self.assertEqual(len({s["name"].lower() for s in adopted["segments"]}), 4)
        first, second = adopted["segments"][:2]
        swapped = self.send("post", "groups/swap", {"first": first["id"], "second": second["id"]})
        self.assertEqual([(s["name"], s["mark"]) for s in swapped["segments"][:2]],
                         [(s["name"], s["mark"]) for s in (second, first)])  # fmt: skip
        self.send("post", "history/undo")
        self.assertEqual(self.get("groups")["adopted"]["segments"], adopted["segments"])
        self.send("post", "history/undo")
        self.assertEqual(
            [s["name"] for s in self.get("groups")["adopted"]["segments"]], list(names)
        )
        self.send("post", "groups/swap", {"first": first["id"], "second": second["id"]}, 404)

    def test_earlier_yardsticks_are_kept_and_taken_up_again(self):
        page = self.quick()
        for k in (2, 3):
            self.send("post", "groups/adopt", {"grouping": self.row(page, k)["id"]})
        rows = self.get("groups/kept")["yardsticks"]
        self.assertEqual([(r["k"], r["in_use"]) for r in rows], [(3, True), (2, False)])
        self.assertEqual(rows[1]["person"], str(self.owner))
        back = self.send("post", "groups/take-up", {"yardstick": rows[1]["id"]})
        self.assertEqual([s["name"] for s in back["segments"]], rows[1]["names"])
        self.send("post", "history/undo")
        self.assertEqual(self.get("groups")["adopted"]["k"], 3)
        self.send("post", "groups/take-up", {"yardstick": 999999}, 404)

    def test_two_people_adopt_at_once(self):
        page = self.quick()
        rita = self.person("rita")
        self.study.members.create(person=rita, role="analyst")
        seen = {"If-Match": '"0"'}
        mine, theirs = (self.row(page, k)["id"] for k in (2, 3))
        self.send("post", "groups/adopt", {"grouping": theirs}, 200, self.signed_in(rita), **seen)
        answer = self.send("post", "groups/adopt", {"grouping": mine}, 409, **seen)
        self.assertIn("rita adopted 3 segments since you loaded this page", answer["detail"])
        self.assertEqual(self.get("groups")["adopted"]["k"], 3)
        seen = {"If-Match": f'"{answer["theirs"]}"'}
        self.send("post", "groups/adopt", {"grouping": mine}, **seen)
        self.assertEqual(self.get("groups")["adopted"]["k"], 2)


class Ladders(GroupCase):
    def test_a_kept_ladder_is_a_yardstick_like_any_other(self):
        scores = self.get("scores")
        self.assertFalse(scores["kept"])
        adopted = self.send("post", "ladder")
        tiers = scores["ladder"]["tiers"]
        self.assertTrue(adopted["ladder"])
        self.assertEqual([s["name"] for s in adopted["segments"]], [t["name"] for t in tiers])
        now = self.get("scores")
        self.assertEqual((now["kept"], now["in_use"]), (True, adopted["id"]))
        heads = self.get("portraits")["segments"]
        self.assertEqual([(h["customers"], h["money"]) for h in heads],
                         [(t["customers"], t["money"]) for t in tiers])  # fmt: skip
        lens = self.send("post", "lens", {"clauses": [{"field": "segment:now", "values": ["1"]}]})
        self.assertEqual(lens["lens"]["customers"], tiers[0]["customers"])
        crossings = self.get("crossings", by="quarter")
        self.assertEqual(crossings["dates"][-1]["counts"][: len(tiers)],
                         [t["customers"] for t in tiers])  # fmt: skip
        # Another date goes by the cuts that were kept, and says why customers changed tier.
        step = crossings["steps"][-1]
        self.assertEqual(sum(map(sum, step["border"])), 0)
        cells = [(c, a, b) for a, row in enumerate(step["customers"][:6])
                 for b, c in enumerate(row[:6]) if a != b and c]  # fmt: skip
        _, a, b = max(cells)
        why = self.get("crossings/why", by="quarter", step=2, origin=a, target=b)
        self.assertEqual({r["name"] for r in why["rows"]}, {"recency", "frequency", "monetary"})
        if why["kind"] == "shares":
            self.assertAlmostEqual(sum(r["share"] for r in why["rows"]), 1.0)
        self.send("put", "scores/recipe", {**scores["draft"], "measures": [{"name": "frequency"}]})
        self.assertFalse(self.get("scores")["kept"])
        self.assertEqual([h["customers"] for h in self.get("portraits")["segments"]],
                         [t["customers"] for t in tiers])  # fmt: skip
        self.send("post", "history/undo")
        self.send("post", "history/undo")
        self.assertIsNone(self.get("groups")["adopted"])
        self.send("post", "ladder", status=200)
        run_jobs()
