"""Words for the values of traits: read everywhere, while nothing that is counted changes."""

from tests.server.support import DemoCase

WORDS = {"yard": "house and yard", "balcony": "flat with a balcony"}


class ValueWords(DemoCase):
    def once(self):
        """Groups of the demo tried."""
        self.sweep()

    def call(self, words, revision=0, status=200, trait="garden"):
        seen = {"If-Match": str(revision)}
        return self.send("put", f"traits/{trait}/words", {"words": words}, status, **seen)

    def test_they_are_read_everywhere_and_nothing_else_changes(self):
        self.adopt(4)
        asked = {"clauses": [{"field": "trait:garden", "values": ["yard"]}]}
        before = self.get("portraits")
        yards = self.send("post", "lens", asked)
        page = self.call(WORDS)
        self.assertEqual({v["value"]: v["words"] for v in page["values"]},
                         {"yard": "house and yard", "balcony": "flat with a balcony",
                          "allotment": "", "not known": ""})  # fmt: skip
        whole = self.get("portraits")
        # The same placement, the same customers, the same lens.
        self.assertEqual(whole["made_from"], before["made_from"])
        self.assertEqual(whole["status"]["state"], "whole")
        again = self.send("post", "lens", asked)
        self.assertEqual((again["digest"], again["lens"]), (yards["digest"], yards["lens"]))
        then = next(r for r in before["categories"] if r["name"] == "trait:garden")
        now = next(r for r in whole["categories"] if r["name"] == "trait:garden")
        self.assertEqual(now["shares"], then["shares"])
        self.assertEqual(now["values"], then["values"])
        self.assertEqual(now["levels"], [WORDS.get(level, level) for level in then["levels"]])
        field = next(f for f in self.get("fields")["fields"] if f["field"] == "trait:garden")
        self.assertEqual(field["labels"], WORDS)
        threads = self.get("measures")["threads"]
        levels = next(t for t in threads if t["name"] == "trait:garden")["levels"]
        self.assertEqual(levels["words"], [WORDS.get(v, v) for v in levels["levels"]])
        table = self.get("portraits/against", by="trait:garden")
        rows = {
            row["label"]: row["clauses"][0]["values"] for row in table["levels"] if row["given"]
        }
        self.assertEqual(rows["house and yard"], ["yard"])
        mixed = self.get("portraits/places", mix="trait:garden")["levels"]
        self.assertIn("flat with a balcony", [level["label"] for level in mixed])
        named = self.get("portraits/places", by="trait:garden")["places"]
        self.assertIn(("yard", "house and yard"), [(p["code"], p["label"]) for p in named])
        recipe = str(self.get("groups"))
        self.assertIn("house and yard", recipe)
        listed = self.get("customers", fields="trait:garden", lens=yards["digest"])
        self.assertIn("house and yard", str(listed))

    def test_rules_and_the_book_say_them(self):
        self.adopt(4)
        self.call({level: f"the {level}" for level in ("card", "plus", "none")}, trait="plan")
        self.call({level: f"the {level}" for level in ("yard", "balcony", "allotment")})
        told = self.get("portraits/rules", about="shaping", depth="4")
        said = [n["answer"] for n in told["nodes"]]
        said += [way["words"] for rule in told["rules"] for way in rule["ways"]]
        clauses = [c for n in told["nodes"] for c in n["clauses"]]
        kinds = ("trait:plan", "trait:garden")
        raw = {v for c in clauses if c["field"] in kinds for v in c["values"]}
        self.assertTrue(raw)
        self.assertTrue(any("the " in words for words in said))
        self.assertFalse(any(v.startswith("the ") for v in raw))
        book = self.get("portraits/book")
        texts = [p["text"] for s in book["segments"] for p in s["parts"]]
        self.assertTrue(any("the " in t and "=the " not in t and "{has:" in t for t in texts))

    def test_refusals_undo_and_conflict(self):
        self.call({"yard": "x" * 61}, status=400)
        self.call({"hedge": "x"}, status=400)
        self.call({"yard": "Balcony"}, status=400)
        self.call({"yard": "x"}, status=404, trait="nothing")
        self.call({"yard": "x"}, status=404, trait="birth_year")
        page = self.call({"yard": " house "})
        self.assertEqual(page["revision"], 1)
        self.call({"yard": "mine"}, status=409)
        page = self.call({"yard": "", "balcony": "yard-less"}, revision=1)
        self.assertEqual({v["value"]: v["words"] for v in page["values"]}["yard"], "")
        self.send("post", "history/undo")
        words = {v["value"]: v["words"] for v in self.get("traits/garden/words")["values"]}
        self.assertEqual((words["yard"], words["balcony"]), ("house", ""))
