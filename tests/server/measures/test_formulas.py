"""The study's own measures over HTTP: tried, kept, built upon, dropped, without values."""

from sortija.server.ledger.models import Intake
from sortija.server.studies.models import Membership
from tests.server.support import ServerCase


class OwnMeasures(ServerCase):
    def setUp(self):
        super().setUp()
        self.both_files()

    def thread(self, name):
        return next((t for t in self.get("measures")["threads"] if t["name"] == name), None)

    def add(self, label, formula, status=201, **headers):
        body = {"label": label, "formula": formula}
        return self.send("post", "own-measures", body, status, **headers)

    def test_from_formula_to_figure(self):
        own = self.add("Spend a visit", "monetary / frequency")["own"]
        thread = self.thread(own["name"])
        self.assertEqual((thread["unit"], thread["family"]), ("money/visits", "own"))
        self.assertEqual(thread["numbers"]["figures"]["high"], 20.0)  # A: 40 over 2 visits
        page = self.get("customers", fields=f"measure:{own['name']}")
        values = dict(zip(page["names"], page["columns"][0]["numbers"], strict=True))
        self.assertEqual(values, {"A": 20.0, "B": 7.75, "C": 5.5, "D": None})
        number = page["numbers"][page["names"].index("A")]
        told = {m["name"]: m for m in self.get(f"customer/{number}/measures")["measures"]}
        self.assertEqual(told[own["name"]]["words"], "monetary / frequency: 40 / 2 = 20.")
        lens = self.send("post", "lens", {"clauses": [
            {"field": f"measure:{own['name']}", "ranges": [[7, None]]}]})  # fmt: skip
        self.assertEqual(lens["lens"]["customers"], 2)

    def test_one_may_build_on_another(self):
        first = self.add("Spend a visit", "monetary / frequency")["own"]
        second = self.add("In tens", f"round({first['name']} / 10)")["own"]
        self.assertEqual(self.thread(second["name"])["numbers"]["figures"]["high"], 2)
        words = self.send("delete", f"own-measures/{first['name']}", status=400)["detail"]
        self.assertIn("In tens is worked out from Spend a visit", words)
        body = {"label": "Spend a visit", "formula": f"{second['name']} * 2"}
        self.send("put", f"own-measures/{first['name']}", body, 400)  # no going in circles
        self.send("put", f"own-measures/{first['name']}",
                  {"label": "Spend, doubled", "formula": "monetary * 2 / frequency"})  # fmt: skip
        self.assertEqual(self.thread(second["name"])["numbers"]["figures"]["high"], 4)
        self.send("delete", f"own-measures/{second['name']}", status=204)
        self.send("delete", f"own-measures/{first['name']}", status=204)
        self.assertIsNone(self.thread(first["name"]))
        self.send("post", "history/undo")
        self.assertIsNotNone(self.thread(first["name"]))

    def test_who_has_no_value_is_told_why(self):
        """The reason of what the formula lacks; a division by nothing has one of its own."""
        for formula, missing in (
            ("monetary / (recency - recency)", {"cannot be worked out": 3}),
            ("gap_mean / frequency", {"too few visits": 1}),
            ("frequency * visits_before", {"not given": 2}),
        ):
            with self.subTest(formula):
                if "visits_before" in formula:
                    self.bring_in("card,visits_before\nA,7\nB,\nC,\n", "before.csv", "members")
                own = self.add(formula[:60], formula)["own"]
                figures = self.thread(own["name"])["numbers"]["figures"]
                self.assertEqual(figures["missing"], missing)

    def test_tried_before_it_is_kept(self):
        found = self.send("post", "formula", {"formula": "monetary / frequency"})
        self.assertEqual((found["good"], found["count"], found["high"]), (True, 3, 20.0))
        wrong = self.send("post", "formula", {"formula": "monetary + recency"})
        self.assertEqual((wrong["good"], wrong["at"]), (False, 9))
        evil = self.send("post", "formula", {"formula": "__import__('os')"})
        self.assertFalse(evil["good"])
        help_ = self.get("own-measures")
        words = {w["word"]: w for w in help_["words"]}
        self.assertEqual(words["monetary"]["unit"], "money")
        self.assertNotIn("garden", words)
        self.assertIn("joined_on", words)

    def test_what_cannot_be_kept(self):
        for label, formula, status in (
            ("", "monetary", 400), ("x" * 61, "monetary", 400), ("Bad", "monetary +", 400),
        ):  # fmt: skip
            self.add(label, formula, status)
        self.add("Mine", "monetary")
        self.assertIn("measure named mine", self.add("mine", "recency", 400)["detail"])
        self.send("put", "own-measures/nothing", {"label": "A", "formula": "1"}, 404)
        self.send("delete", "own-measures/nothing", status=404)
        self.add("Late", "recency", 409, **{"If-Match": '"0"'})
        reader = self.person("rob")
        Membership.objects.create(study=self.study, person=reader, role="reader")
        client = self.signed_in(reader)
        self.send("post", "own-measures", {"label": "A", "formula": "1"}, 403, client)

    def test_a_measure_that_went_away_leaves_its_formula_without_values(self):
        own = self.add("Both", "monetary * trait".replace("trait", "joined_on") + " / 1")["own"]
        self.assertGreater(self.thread(own["name"])["numbers"]["figures"]["count"], 0)
        Intake.objects.filter(study=self.study, role=Intake.MEMBERS).update(state=Intake.REVIEW)
        thread = self.thread(own["name"])
        self.assertEqual(thread["numbers"]["figures"]["count"], 0)
        self.assertIn("no measure called joined_on", thread["note"])
