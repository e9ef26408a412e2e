"""Measures of a window over HTTP: figures by hand, freshness, roles and preparations."""

from sortija.server.studies.models import Column
from tests.server.support import ServerCase


class MeasuresCase(ServerCase):
    def setUp(self):
        super().setUp()
        self.both_files()

    def thread(self, name, **query):
        return next(t for t in self.get("measures", **query)["threads"] if t["name"] == name)

    def test_figures_by_hand(self):
        page = self.get("measures")
        self.assertEqual((page["customers"], page["with_purchase"]), (4, 3))
        spend = self.thread("monetary")["numbers"]["figures"]
        self.assertEqual((spend["low"], spend["median"], spend["high"]), (5.5, 15.5, 40.0))
        visits = self.thread("frequency")["numbers"]["figures"]
        self.assertEqual((visits["low"], visits["high"]), (1, 2))
        self.assertEqual(visits["missing"], {})  # D made no purchase, so is not in the table
        tenure = self.thread("tenure")["numbers"]["figures"]
        self.assertEqual(tenure["low"], 81)  # C joined on 1 April, 81 days before 21 June
        self.assertEqual(
            page["reconciliation"],
            {"ledger": 6100, "table": 6100, "without_purchase": 0, "without_customer": 0},
        )

    def test_lines_without_a_customer_are_reconciled_when_they_count(self):
        self.send("put", "ledger/rules/no_customer", {"on": False})
        balance = self.get("measures")["reconciliation"]
        self.assertEqual((balance["ledger"], balance["without_customer"]), (6800, 700))

    def test_another_window_makes_nothing_stale(self):
        default = self.get("measures")
        early = self.get("measures", to="2026-03-31", back="3")
        self.assertEqual(early["with_purchase"], 2)
        kept = Column.objects.count()
        self.assertEqual(self.get("measures")["made_from"], default["made_from"])
        self.assertEqual(Column.objects.count(), kept)

    def test_undoing_a_change_makes_old_results_current_again(self):
        first = self.get("measures")["made_from"]
        self.send("put", "ledger/rules/void", {"on": False})
        self.assertNotEqual(self.get("measures")["made_from"], first)
        kept = Column.objects.count()
        self.send("post", "history/undo")
        self.assertEqual(self.get("measures")["made_from"], first)
        self.assertEqual(Column.objects.count(), kept)

    def test_a_window_names_its_first_day(self):
        for back, first in (("3", "2026-03-01"), ("12", "2025-06-01"), ("all", "")):
            window = self.get("trail", to="2026-05-31", back=back)["window"]
            self.assertEqual((window["first"], window["to"]), (first, "2026-05-31"))

    def test_windows_that_make_no_sense(self):
        for query, words in (
            ({"to": "yesterday"}, "is no date"),
            ({"to": "2026-06-30", "back": "5"}, "looks back"),
            ({"to": "0001-01-01"}, "out of reach"),
        ):
            self.assertIn(words, self.get("measures", 400, **query)["detail"])

    def test_a_window_before_the_log_is_empty_but_answers(self):
        page = self.get("measures", to="2001-01-31")
        self.assertEqual((page["customers"], page["with_purchase"]), (0, 0))
        figures = self.thread("recency", to="2001-01-31")["numbers"]["figures"]
        self.assertEqual((figures["count"], figures["median"]), (0, None))

    def test_roles_and_preparations(self):
        self.send("put", "measure/weekend", {"role": "shapes"})
        self.assertEqual(self.thread("weekend")["role"], "shapes")
        self.send("put", "measure/monetary", {"steps": {"transform": "root", "scale": "range"}})
        spend = self.thread("monetary")["numbers"]
        self.assertEqual(spend["steps"]["transform"], "root")
        self.assertEqual(spend["prepared_axis"]["low"], 0)
        self.assertAlmostEqual(spend["prepared_axis"]["high"], 1, 1)
        self.send("post", "history/undo")
        self.assertEqual(self.thread("monetary")["numbers"]["steps"], spend["proposed"])
        for body, words in (
            ({"role": "leads"}, "shapes, describes or is out"),
            ({"steps": {"scale": "wide"}}, "scale is one of"),
            ({"steps": {"cap": 0.9}}, "a tenth"),
        ):
            problem = self.send("put", "measure/monetary", body, 400)
            self.assertIn(words, problem["detail"])
        self.send("put", "measure/height", {"role": "out"}, 404)

    def test_the_lens_draws_its_own_shape(self):
        lens = self.send(
            "post", "lens", {"clauses": [{"field": "trait:garden", "values": ["yard"]}]}
        )
        self.assertEqual(lens["lens"], {"customers": 2, "money": 4000})
        thread = self.thread("monetary", lens=lens["digest"])["numbers"]
        self.assertEqual((sum(thread["lens"]), thread["lens_median"]), (1, 40.0))
        self.get("measures", 404, lens="0123456789abcdef")
