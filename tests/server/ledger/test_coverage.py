"""On a log of one year, what reaches back beyond it says so and is compared with nothing."""

from datetime import date, timedelta

from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies.windows import WindowInView
from tests.server.support import ServerCase, run_jobs

HEAD = "receipt,card,date,site,department,qty,total"


def one_year():
    """60 customers who come every 20 days from 1 Jul 2025 to 30 Jun 2026, never changing."""
    rows, first = [HEAD], date(2025, 7, 1)
    for day in range(365):
        at = first + timedelta(days=day)
        for card in range(60):
            if (day + card) % 20 == 0:
                department = ("Seeds", "Pots", "Tools")[(day + card) % 3]
                rows.append(
                    f"{day}-{card},K{card:02d},{at},North,{department},1,{10 + card % 7}.50"
                )
    return "\n".join([*rows, ""])


class OneYear(ServerCase):
    def setUp(self):
        super().setUp()
        self.bring_in(one_year(), "year.csv")

    def adopt(self):
        self.send("post", "groups/run", status=202)
        run_jobs()
        row = next(r for r in self.get("groups")["candidates"] if r["k"] == 3)
        self.send("post", "groups/adopt", {"grouping": row["id"]})

    def test_the_window_in_view(self):
        for to, words in (
            ("2026-06-30", ""), ("2026-03-31", "the log has 9 of these 12 months"),
            ("2025-12-31", "the log has 6 of these 12 months"),
        ):  # fmt: skip
            self.assertEqual(self.get("trail", to=to)["window"]["covered"], words, to)
        self.assertEqual(self.get("trail", to="2025-12-31", back="6")["window"]["covered"], "")

    def test_a_second_window_is_compared_with_nothing(self):
        page = self.get("measures", beside="2025-12-31:12")
        self.assertIn("to 31 Dec 2025 the log has 6 of these 12 months", page["beside_lacks"])
        self.assertIsNone(page["beside"])
        self.assertTrue(
            all(t["numbers"]["beside"] is None for t in page["threads"] if t["numbers"])
        )
        page = self.get("measures", back="3", beside="2025-12-31:3")
        self.assertEqual((page["beside_lacks"], page["beside"]), ("", 60))

    def test_over_time(self):
        series = self.get("series", step="quarter")
        self.assertEqual(
            dict(zip(series["ends"], series["covered"], strict=True)),
            {"2026-06-30": "", "2026-03-31": "the log has 9 of these 12 months",
             "2025-12-31": "the log has 6 of these 12 months",
             "2025-09-30": "the log has 3 of these 12 months"},
        )  # fmt: skip
        self.assertEqual(series["before"], -1)
        self.assertIn("more data", self.get("series", step="quarter", back="all")["grows"])
        self.assertEqual(series["grows"], "")

    def test_what_followed_is_not_told(self):
        page = self.get("scores/worth", months="3")
        self.assertFalse(page["ready"])
        self.assertIn("the log has 9 of these 12 months", page["words"])
        self.assertTrue(self.get("scores/worth", months="3", back="6")["ready"])

    def test_crossings_count_no_such_date(self):
        self.adopt()
        page = self.get("crossings")
        self.assertEqual(page["steps"], [])
        self.assertIn("to 30 Jun 2025 the log has nothing of this time", page["lacks"])
        page = self.get("crossings", by="quarter")
        # Of the dates that the log lacks the last one is shown: it says where the log begins.
        self.assertEqual([bool(d["covered"]) for d in page["dates"]], [True, False])
        self.assertEqual(page["dates"][0]["to"], "2026-03-31")
        self.assertEqual(page["steps"], [])
        short = self.get("crossings", by="quarter", back="3")
        self.assertEqual([d["covered"] for d in short["dates"]], [""] * 4)
        self.assertEqual(len(short["steps"]), 3)

        crossing = {"field": "crossing:2025-12-31>2026-06-30", "values": ["1>1"]}
        told = self.send("post", "lens", {"clauses": [crossing]})["covered"]
        self.assertEqual(list(told.values()), ["the log has 6 of these 12 months"])

    def test_the_lens_says_so(self):
        clause = {"field": "measure:frequency", "ranges": [[5, None]]}
        plain = self.send("post", "lens", {"clauses": [clause]})
        self.assertEqual(plain["covered"], {})
        then = {**clause, "window": "2025-12-31:12"}
        told = self.send("post", "lens", {"clauses": [then]})["covered"]
        self.assertEqual(told, {"measure:frequency": "the log has 6 of these 12 months"})

    def test_what_grows_by_itself_only_describes(self):
        made = measures_or_job(self.study, WindowInView(date(2026, 6, 30)))
        about = made.about("tenure")
        self.assertEqual(about.role, "describes")
        self.assertIn("grows by itself", about.because)
        page = self.get("measures")
        thread = next(t for t in page["threads"] if t["name"] == "tenure")
        self.assertEqual((thread["role"], thread["because"]), ("describes", about.because))
