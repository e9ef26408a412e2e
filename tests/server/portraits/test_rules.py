"""Rules over HTTP: every bar is the lens that it says, in every state of the station."""

from sortija.server.groups.models import Yardstick
from tests.server.support import DemoCase


class Rules(DemoCase):
    def once(self):
        self.adopt()

    def lens(self, clauses):
        return self.send("post", "lens", {"clauses": clauses})["lens"]["customers"]

    def test_every_bar_is_the_lens_that_it_says(self):
        for about in ("shaping", "others", "both"):
            page = self.get("portraits/rules", about=about, depth="3")
            self.assertEqual((page["status"]["state"], page["about"]), ("whole", about))
            self.assertEqual(page["customers"], self.get("portraits")["customers"])
            self.assertEqual(sum(map(sum, page["errs"])), page["right"]["of"])
            self.assertGreater(len(page["nodes"]), 2)
            for node in page["nodes"]:
                with self.subTest(about=about, node=node["id"]):
                    self.assertEqual(self.lens(node["clauses"]), sum(node["counts"]))
                    below = [n for n in page["nodes"] if n["parent"] == node["id"]]
                    self.assertEqual(len(below), 2 if node["asks"] else 0)
                    if below:
                        sums = [sum(c) for c in zip(*(n["counts"] for n in below), strict=True)]
                        self.assertEqual(sums, node["counts"])
            self.assertEqual([rule["segment"] for rule in page["rules"]], [1, 2, 3, 4])
            counts = {node["id"]: sum(node["counts"]) for node in page["nodes"]}
            for rule in page["rules"]:
                caught = sum(self.lens(way["clauses"]) for way in rule["ways"])
                self.assertEqual(caught, sum(counts[leaf] for leaf in rule["leaves"]))
                self.assertRegex(rule["ways"][0]["words"], "^[A-Z]")

    def test_what_shaped_the_groups_tells_them_better_than_the_rest(self):
        shaping = self.get("portraits/rules")
        others = self.get("portraits/rules", about="others")
        self.assertGreater(shaping["right"]["share"], 0.8)
        self.assertGreater(shaping["right"]["low"], others["right"]["share"])
        asked = {node["asks"] for node in shaping["nodes"]} - {""}
        page = self.get("portraits")
        shaped = {r["label"] for r in page["numeric"] + page["categories"] if r["shaped"]}
        self.assertLessEqual(asked, shaped)
        self.assertFalse(shaped & {node["asks"] for node in others["nodes"]})

    def test_depth(self):
        sizes = [len(self.get("portraits/rules", depth=str(d))["nodes"]) for d in (1, 2, 3, 4)]
        self.assertEqual(sizes, sorted(sizes))
        self.assertEqual(sizes[0], 3)
        for wrong in ({"depth": "9"}, {"depth": "two"}, {"about": "everything"}):
            self.assertTrue(self.get("portraits/rules", status=400, **wrong)["detail"])

    def test_the_lens_from_the_rest(self):
        yard = {"field": "trait:garden", "values": ["yard"]}
        digest = self.send("post", "lens", {"clauses": [yard]})["digest"]
        asked = {"lens": digest, "against": "rest"}
        whole = self.get("portraits")["customers"]
        page = self.get("portraits/rules", about="both", **asked)
        self.assertEqual([head["name"] for head in page["columns"]], ["In the lens", "The rest"])
        self.assertEqual(
            [head["customers"] for head in page["columns"]], page["nodes"][0]["counts"]
        )
        self.assertEqual(page["customers"], whole)
        # What the lens asks about tells it to the last customer.
        self.assertEqual(page["right"]["share"], 1.0)
        self.assertEqual({node["asks"] for node in page["nodes"]} - {""}, {"Garden"})
        self.assertIn("yard", page["rules"][0]["ways"][0]["words"])
        others = self.get("portraits/rules", about="others", **asked)
        self.assertNotIn("Garden", {node["asks"] for node in others["nodes"]})
        for node in others["nodes"]:
            self.assertEqual(self.lens(node["clauses"]), sum(node["counts"]))
        beside = self.get("portraits/rules", about="both", lens=digest, against="everyone")
        self.assertEqual(beside["nodes"], page["nodes"])

    def test_a_lens_that_no_question_parts(self):
        """Everybody; and one that asks about nothing that a question could be about."""
        every = {"field": "segment:now", "values": ["1", "2", "3", "4"]}
        for about, clause in (("both", every), ("shaping", {"field": "bought:department=Seeds",
                                                            "values": ["yes"]})):  # fmt: skip
            lens = self.send("post", "lens", {"clauses": [clause]})
            page = self.get("portraits/rules", about=about, lens=lens["digest"], against="rest")
            self.assertEqual((page["rules"], len(page["nodes"])), ([], 1))

    def test_without_adopted_groups(self):
        Yardstick.objects.update(retired=True)
        page = self.get("portraits/rules")
        self.assertEqual((page["status"]["state"], page["nodes"]), ("empty", []))
