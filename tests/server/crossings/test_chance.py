"""Movement against chance over HTTP: made by a job, kept, told by cell and by customer."""

from dataclasses import replace
from datetime import date
from itertools import pairwise
from unittest import mock

import numpy as np

from sortija.core.crossings import signs as core_signs
from sortija.core.crossings.chance import chance_of
from sortija.core.crossings.redrawn import Inputs
from sortija.core.crossings.yardsticks import ByCentres
from sortija.core.portraits.figures import percent
from sortija.core.table import Table
from sortija.server.crossings import chance, redrawing, signs
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import assignment_at, frozen
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import again
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.derivation import inputs_of_window
from sortija.server.studies import models
from sortija.server.studies.windows import WindowInView
from tests.server.support import DemoCase, run_jobs

YEAR = ("2025-06-30", "2026-06-30")


def at_margin(placed, who):
    """A customer's margin as it was placed."""
    return float(placed.placement.margin[who])


class Chance(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        self.draws = self.enterContext(mock.patch.object(chance, "DRAWS", 30))
        self.adopt(4)

    def told(self, **query):
        """The steps after their jobs have run."""
        self.get("crossings", **query)
        run_jobs()
        return self.get("crossings", **query)["steps"]

    def at(self, day):
        yardstick = Yardstick.objects.get(retired=False)
        return assignment_at(self.study, yardstick, WindowInView(day, "12"))

    def both(self):
        return [self.at(date.fromisoformat(day)) for day in YEAR]

    def test_first_a_job_then_what_the_core_says(self):
        [step] = self.get("crossings")["steps"]
        self.assertEqual(step["chance"]["status"]["state"], "working")
        self.assertEqual(step["chance"]["moves"], [])
        [step] = self.told()
        told = step["chance"]
        self.assertEqual((told["status"]["state"], told["words"], told["draws"]), ("whole", "", 30))
        before, after = self.both()
        ledger = ledger_of(self.study)
        names, joined = inputs_of_window(ledger)
        by = frozen(before.yardstick)
        traits = [name for name in by.names if name.startswith("trait:")]

        def complete(table, window, who):
            made = (before, after)[window].made
            more = [replace(c, values=c.values[who], why=None) for c in map(made.column, traits)]
            return Table((*table, *more))

        core = chance_of(
            Inputs(ledger.lines().log, before.window.window, after.window.window, ledger.mask,
                   self.study.scale, frozenset(by.names) - set(traits), names, joined, complete),
            ByCentres(by.preparation, by.centres), 30,
        )  # fmt: skip
        self.assertTrue(told["swapped"])
        self.assertEqual(told["told"], core.told.sum())
        self.assertEqual(told["seen"], core.observed.tolist())
        for a in range(7):
            for b in range(7):
                cell = told["moves"][a][b]
                self.assertEqual(cell is not None, core.has_figure[a, b])
                if cell:
                    self.assertAlmostEqual(cell["mean"], core.moves.mean[a, b])
                    self.assertLessEqual(cell["low"], cell["high"])
                self.assertLessEqual(told["seen"][a][b], step["customers"][a][b])
        self.assertAlmostEqual(told["steadiness"]["mean"], float(core.steadiness.mean))
        self.assertAlmostEqual(told["money"][0]["mean"], core.money.mean[0])
        self.assertAlmostEqual(told["spent"][0], core.spent[1, 0] / core.spent[0, 0])
        kept = chance.kept(before, after)
        np.testing.assert_array_equal(kept.p, core.p)
        np.testing.assert_array_equal(kept.changed, core.changed)
        for level in told["changed"]:
            who = core.changed >= level["level"]
            self.assertEqual(level["customers"], who.sum())
            self.assertAlmostEqual(level["real"], core.changed[who].sum())

    def test_the_book_says_where_they_go_once_chance_is_told(self):
        parts = self.get("portraits/book")["segments"][0]["parts"]
        self.assertEqual([part["text"] for part in parts if part["key"] == "1.goes"], [""])
        [step] = self.told()
        page = self.get("portraits/book")
        for segment in page["segments"]:
            place = segment["number"] - 1
            [part] = [p for p in segment["parts"] if p["key"] == f"{segment['number']}.goes"]
            text = " ".join("".join(r["text"] for r in s["runs"]) for s in part["sentences"])
            row, seen = step["chance"]["moves"][place], step["chance"]["seen"][place]
            self.assertIn(f"30 Jun 2025, {percent(seen[place] / sum(seen))} are here", text)
            more = [t for t in (0, 1, 2, 3, 5) if t != place and row[t]["verdict"] == "more"]
            for target in more[:3]:
                self.assertIn(f"{seen[target]:,} customer", text)
            self.assertEqual("No more of them went elsewhere" in text, not more)
        [method] = [part for part in page["cover"] if part["key"] == "cover.method"]
        self.assertIn("same_again", method["text"])

    def test_of_ways_between_two_dates_chance_is_told(self):
        page = self.get("crossings/paths", by="year")
        self.assertTrue(all(row["chance"] is None for row in page["rows"]))
        [step] = self.told()
        for row in self.get("crossings/paths", by="year")["rows"]:
            a, b = row["states"]
            self.assertEqual(row["customers"], step["customers"][a][b])
            self.assertEqual(row["chance"], step["chance"]["moves"][a][b])
            self.assertEqual(row["told"], step["chance"]["seen"][a][b])

    def test_kept_until_what_it_is_made_from_changes(self):
        self.told()
        made = Job.objects.filter(kind="crossings.chance").count()
        self.told()
        self.assertEqual(Job.objects.filter(kind="crossings.chance").count(), made)
        rows = models.Column.objects.filter(name="chance:p").count()
        job = Job.objects.filter(kind="crossings.chance").last()
        again(job)
        run_jobs()
        self.assertEqual(models.Column.objects.filter(name="chance:p").count(), rows)
        row = next(r for r in self.get("groups")["candidates"] if r["k"] == 3)
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        [step] = self.get("crossings")["steps"]
        self.assertEqual(step["chance"]["status"]["state"], "working")

    def test_a_lens_on_the_chance_of_having_changed(self):
        field = f"changed:{YEAR[0]}>{YEAR[1]}"
        clause = {"field": field, "ranges": [[0.3, None]]}
        self.send("post", "lens", {"clauses": [clause]}, 404)  # not told yet
        self.told()
        kept = chance.kept(*self.both())
        found = self.send("post", "lens", {"clauses": [clause]})["lens"]["customers"]
        self.assertEqual(found, int((kept.changed >= 0.3).sum()))

    def test_who_of_a_crossing_has_changed(self):
        query = {"step": 0, "origin": 0, "target": 1}
        waiting = self.get("crossings/changed", **query)
        self.assertEqual((waiting["rows"], waiting["words"]), ([], "Chance is still being told."))
        [step] = self.told()
        page = self.get("crossings/changed", **query)
        self.assertEqual(page["customers"], step["customers"][0][1])
        self.assertEqual(page["told"], step["chance"]["seen"][0][1])
        chances = [row["changed"] for row in page["rows"] if row["changed"] is not None]
        self.assertEqual(chances, sorted(chances, reverse=True))
        self.assertLessEqual(len(page["rows"]), 50)
        levels = {level["level"]: level for level in page["levels"]}
        self.assertEqual(levels[0.0]["customers"], page["told"])
        self.assertLessEqual(levels[0.8]["real"], levels[0.8]["customers"])
        self.assertEqual(page["field"], f"changed:{YEAR[0]}>{YEAR[1]}")
        labels = {"Days since last visit", "Visits", "Spend", "Basket, typical"}
        self.assertTrue({row["label"] for row in page["rows"]} & labels)
        self.get("crossings/changed", 404, step=0, origin=0, target=9)

    def test_one_customer_over_the_dates(self):
        before, after = self.both()
        who = int(np.flatnonzero(before.placement.state < 4)[3])
        page = self.get(f"crossings/customer/{who}")
        self.assertEqual([stop["to"] for stop in page["stops"]], list(YEAR))
        self.assertIsNone(page["changed"])  # not told yet
        self.told()
        page = self.get(f"crossings/customer/{who}")
        names = [state["name"] for state in self.get("crossings")["states"]]
        for stop, at in zip(page["stops"], (before, after), strict=True):
            self.assertEqual(stop["state"]["name"], names[at.placement.state[who]])
        self.assertAlmostEqual(page["stops"][0]["margin"], at_margin(before, who))
        changed = chance.kept(before, after).changed[who]
        self.assertEqual(page["changed"]["changed"], None if np.isnan(changed) else changed)
        self.get("crossings/customer/99999", 404)

    def test_where_chance_cannot_be_told_it_says_why(self):
        [step] = self.get("crossings")["steps"]
        with mock.patch.object(redrawing, "_MODELLED", frozenset({"frequency"})):
            [step] = self.get("crossings")["steps"]
            self.assertIn("the groups are shaped by Visits", step["chance"]["words"])
            words = self.get("crossings/changed", step=0, origin=0, target=1)["words"]
            self.assertIn("which a model makes", words)

    def test_quarters_share_months_and_gaps_are_permuted(self):
        steps = self.told(by="quarter")
        self.assertEqual([step["chance"]["swapped"] for step in steps], [False] * 3)
        for step in steps:
            seen, mean = np.array(step["chance"]["seen"]), step["chance"]["moves"]
            self.assertAlmostEqual(
                sum(mean[a][b]["mean"] for a in range(4) for b in range(4)), seen[:4, :4].sum(),
                delta=seen.sum() * 0.05,
            )  # fmt: skip


class OwnMeasures(DemoCase):
    """Groups by a formula and a trait: what chance moves goes through the formula."""

    def test_a_formula_is_worked_out_anew_in_every_draw(self):
        own = {"label": "Spend a visit", "formula": "monetary / frequency"}
        name = self.send("post", "own-measures", own, 201)["own"]["name"]
        draft = {"numeric": ["recency", name], "categories": ["trait:garden"], "most": 3}
        self.send("put", "groups/recipe", draft)
        self.assertIsNotNone(self.adopt(3)["same_again"])
        with mock.patch.object(chance, "DRAWS", 20):
            self.get("crossings")
            run_jobs()
            [step] = self.get("crossings")["steps"]
        told = step["chance"]
        self.assertEqual(told["status"]["state"], "whole", told["status"])
        # Everybody is known since before both windows or has no figure; what was seen agrees.
        seen = np.array(told["seen"])
        self.assertTrue((seen <= np.array(step["customers"])).all())
        self.assertGreater(seen[:3, :3].sum(), 20)
        moves = told["moves"]
        self.assertGreater(sum(moves[a][b]["mean"] for a in range(3) for b in range(3) if a != b),
                           1)  # fmt: skip


class Signs(DemoCase):
    once = DemoCase.swept

    def test_what_came_before_those_who_crossed(self):
        self.adopt(4)
        step = self.get("crossings")["steps"][0]
        moved, origin, target = max(
            (n, i, j) for i, row in enumerate(step["customers"][:4])
            for j, n in enumerate(row[:4]) if i != j
        )  # fmt: skip
        query = {"step": 0, "origin": origin, "target": target}
        self.assertIn("too few", self.get("crossings/signs", **query)["words"])
        # The set is small: let fewer customers speak, and chance make what it likes.
        for module, name, value in ((signs, "LEAST", 8), (core_signs, "LEAST", 8),
                                    (core_signs, "CLEAR", 1.1)):  # fmt: skip
            self.enterContext(mock.patch.object(module, name, value))
        page = self.get("crossings/signs", **query)
        self.assertEqual(page["customers"], moved)
        self.assertEqual(page["stayed"], step["customers"][origin][origin])
        self.assertGreater(page["looked_at"], 30)
        self.assertTrue(page["rows"])
        for row in page["rows"]:
            self.assertEqual(row["having"] + row["lacking"], moved + page["stayed"])
            self.assertEqual(row["crossed"] + row["others"], moved)
            self.assertGreater(row["lift"], 1)
            self.assertIn(row["tried"], ("held", "not then", "not known"))
        row = page["rows"][0]
        found = self.send("post", "lens", {"clauses": row["clauses"]})["lens"]["customers"]
        self.assertEqual(found, row["now"])
        self.assertTrue(page["pairs"])
        for pair in page["pairs"]:
            self.assertGreater(
                pair["crossed"] / pair["having"], pair["alone_crossed"] / pair["alone"]
            )
            self.assertEqual(len(pair["clauses"]), 3)
            found = self.send("post", "lens", {"clauses": pair["clauses"]})["lens"]["customers"]
            self.assertEqual(found, pair["now"])

    def test_where_none_are_looked_for(self):
        self.adopt(4)
        words = self.get("crossings/signs", step=0, origin=0, target=0)["words"]
        self.assertIn("who stayed", words)
        words = self.get("crossings/signs", step=0, origin=4, target=0)["words"]
        self.assertIn("in a segment before", words)
        self.get("crossings/signs", 400, step="x", origin=4, target=0)


class Held(DemoCase):
    """Customers who stay in their segment until another beats it by a margin."""

    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.object(chance, "DRAWS", 30))
        self.adopt(4)

    def test_fewer_cross_everywhere_and_its_price_is_told(self):
        free = self.get("crossings")["steps"][0]
        self.get("crossings", hold=0.3)
        run_jobs()
        page = self.get("crossings", hold=0.3)
        [step] = page["steps"]
        self.assertEqual(page["hold"], 0.3)
        self.assertIn("not placed alike", step["sizes"]["untold"])
        one, other = np.array(free["customers"]), np.array(step["customers"])
        np.testing.assert_array_equal(one.sum(axis=1), other.sum(axis=1))
        off = ~np.eye(4, dtype=bool)
        self.assertTrue((other[:4, :4][off] <= one[:4, :4][off]).all())
        self.assertLess(other[:4, :4][off].sum(), one[:4, :4][off].sum())
        self.assertEqual(step["chance"]["status"]["state"], "whole")
        moves = [
            sum(each["chance"]["moves"][a][b]["mean"] for a in range(4) for b in range(4) if a != b)
            for each in (self.get("crossings")["steps"][0], step)
        ]
        self.assertAlmostEqual(step["chance"]["price"]["chance"], 1 - moves[1] / moves[0])
        self.assertGreaterEqual(step["chance"]["price"]["real"], 0)
        a, b = divmod(int(np.argmax(np.where(off, other[:4, :4], -1))), 4)
        why = self.get("crossings/why", step=0, origin=a, target=b, hold=0.3)
        self.assertEqual(why["customers"], other[a, b])
        clause = {"field": f"crossing:{YEAR[0]}>{YEAR[1]}~0.3", "values": [f"{a + 1}>{b + 1}"]}
        lens = self.send("post", "lens", {"clauses": [clause]})["lens"]["customers"]
        self.assertEqual(lens, other[a, b])
        self.get("crossings/signs", step=0, origin=a, target=b, hold=0.3)
        self.get("crossings/changed", step=0, origin=a, target=b, hold=0.3)

    def test_from_the_first_date_of_a_series_on(self):
        page = self.get("crossings", by="quarter", back="3", hold=0.3)
        self.assertTrue(page["can_hold"])
        run_jobs()
        page, free = (self.get("crossings", by="quarter", back="3", hold=hold) for hold in (0.3, 0))
        self.assertGreaterEqual(len(page["steps"]), 2)
        for step in page["steps"]:
            self.assertEqual(step["chance"]["status"]["state"], "whole")
            self.assertGreater(step["chance"]["price"]["chance"], 0)
        # Each step begins where the one before ends, and the dates say so.
        for one, other in pairwise(page["steps"]):
            np.testing.assert_array_equal(
                np.array(one["customers"]).sum(axis=0), np.array(other["customers"]).sum(axis=1)
            )
        ends = np.array(page["steps"][-1]["customers"]).sum(axis=0)
        counts = [date["counts"] for date in page["dates"] if not date["covered"]]
        np.testing.assert_array_equal(counts[-1], ends)
        self.assertNotEqual(counts[-1], [d["counts"] for d in free["dates"]][-1])
        # The lens of the last step is of those who were kept from the first date on.
        last = len(page["steps"]) - 1
        moves = np.array(page["steps"][last]["customers"])
        off = ~np.eye(4, dtype=bool)
        a, b = divmod(int(np.argmax(np.where(off, moves[:4, :4], -1))), 4)
        dates = [step["from_to"] for step in page["steps"]] + [page["steps"][last]["to"]]
        clause = {"field": f"crossing:{'>'.join(dates)}~0.3", "values": [f"{a + 1}>{b + 1}"]}
        lens = self.send("post", "lens?back=3", {"clauses": [clause]})["lens"]["customers"]
        self.assertEqual(lens, moves[a, b])
        why = self.get(
            "crossings/why", by="quarter", back="3", step=last, origin=a, target=b, hold=0.3
        )
        self.assertEqual(why["customers"], moves[a, b])

    def test_only_where_windows_share_no_month(self):
        self.assertFalse(self.get("crossings", by="quarter")["can_hold"])
        told = self.get("crossings", 400, by="quarter", hold=0.3)["detail"]
        self.assertIn("share no month", told)
        self.get("crossings", 400, hold=2)
        self.get("crossings", 400, hold="much")
