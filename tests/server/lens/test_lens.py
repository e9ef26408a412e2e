"""The lens over HTTP: one request per screen, over all customers, kept by its digest."""

from unittest import mock

from sortija.server.lens import evaluation
from sortija.server.studies.problems import Problem
from sortija.server.studies.trail import default_window
from tests.server.support import ServerCase


class Lenses(ServerCase):
    def ask(self, *clauses, status=200, **rest):
        return self.send("post", "lens", {"clauses": list(clauses), **rest}, status)

    def test_nothing_to_look_at_yet(self):
        self.assertFalse(self.ask()["ready"])

    def test_bars_are_drawn_without_their_own_clause(self):
        self.both_files()
        yard = {"field": "trait:garden", "values": ["yard"]}
        answer = self.ask(yard, charts=["trait:garden", "trait:mail_consent"])
        garden, consent = answer["charts"]
        self.assertEqual(garden["levels"], ["balcony", "yard"])
        self.assertEqual((garden["everyone"], garden["lens"]), ([1, 2], [1, 2]))
        self.assertEqual(garden["lens_missing"], 1)
        self.assertEqual((consent["everyone"], consent["lens"]), ([2, 2], [1, 1]))

    def test_preview_and_widest(self):
        self.both_files()
        yard = {"field": "trait:garden", "values": ["yard"]}
        silent = {"field": "measure:recency", "ranges": [[300, None]]}
        answer = self.ask(yard, preview=silent)
        self.assertEqual((answer["lens"]["customers"], answer["preview"]["customers"]), (2, 0))
        nobody = self.ask(yard, silent)
        self.assertEqual(nobody["widest"]["field"], "measure:recency")
        self.assertEqual(nobody["widest"]["total"]["customers"], 2)

    def test_missing_not_and_fixed_windows(self):
        self.both_files()
        missing = {"field": "trait:garden", "values": ["missing"]}
        self.assertEqual(self.ask(missing)["lens"]["customers"], 1)
        self.assertEqual(self.ask({**missing, "negated": True})["lens"]["customers"], 3)
        march = {"field": "measure:frequency", "ranges": [[1, None]], "window": "2026-03-31:3"}
        self.assertEqual(self.ask(march)["lens"]["customers"], 2)

    def test_a_lens_is_kept_by_its_digest_for_this_study_alone(self):
        self.both_files()
        clause = {"field": "trait:garden", "values": ["yard"]}
        digest = self.ask(clause)["digest"]
        kept = self.get(f"lens/{digest}")["clauses"]
        self.assertEqual(kept[0]["values"], ["yard"])
        self.get("lens/ffffffffffffffff", 404)

    def test_what_cannot_be_asked(self):
        self.both_files()
        garden = {"field": "trait:garden", "ranges": [[1, 2]]}
        self.assertIn("not ranges", self.ask(garden, status=400)["detail"])
        nothing = {"field": "trait:shoe_size", "values": ["43"]}
        self.assertIn("shoe_size", self.ask(nothing, status=404)["detail"])
        self.assertIn("picks nothing", self.ask({"field": "trait:garden"}, status=400)["detail"])
        self.ask({"field": "trait:garden", "values": "yard"}, status=400)

    def test_fields_on_offer(self):
        self.both_files()
        fields = {row["field"]: row for row in self.get("fields")["fields"]}
        self.assertEqual(fields["trait:garden"]["kind"], "category")
        self.assertEqual(fields["measure:monetary"]["unit"], "money")
        self.assertNotIn("trait:email", fields)

    def test_a_ledger_that_changes_meanwhile_is_not_ready_and_nothing_is_lost(self):
        self.both_files()
        real = evaluation.base_of

        def gone(study, window, key):
            raise Problem(f"There is nothing called {key} in this study.", 404)

        charts = ["measure:recency"]
        with mock.patch.object(evaluation, "field", gone):
            answer = self.ask(charts=charts)  # a screen asks by what it saw last
            self.assertEqual((answer["ready"], answer["charts"]), (True, []))
            clause = {"field": "measure:recency", "ranges": [[1, 2]]}
            self.assertIn("measure:recency", self.ask(clause, status=404)["detail"])
            with mock.patch.object(evaluation, "base_of", side_effect=[
                real(self.study, default_window(self.study)), None,
            ]):  # fmt: skip
                self.assertFalse(self.ask(charts=charts)["ready"])
        self.assertTrue(self.ask(charts=charts)["ready"])
