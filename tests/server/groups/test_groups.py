"""The sweep, adoption, and placing by the frozen yardstick."""

import csv
import io
import os
import signal
from datetime import date
from unittest import mock

import numpy as np

from sortija.core.formats.recipes import read_recipe
from sortija.core.scores.recipe import read_score
from sortija.demo.files import write_demo
from sortija.server.groups.models import Grouping, Segment, Yardstick
from sortija.server.groups.yardsticks import api as placing
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.groups.yardsticks.model import frozen_of
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import recover
from sortija.server.ledger.intake.uploads import take_file
from sortija.server.studies.trail import default_window
from sortija.server.studies.windows import WindowInView
from tests.server.support import DemoCase, WorkerCase, run_jobs


class Sweeping(DemoCase):
    def test_every_k_with_threads_between(self):
        self.assertEqual(self.get("groups")["status"]["state"], "empty")
        page = self.sweep()
        self.assertEqual([r["k"] for r in page["candidates"]], list(range(2, 9)))
        for row in page["candidates"]:
            self.assertEqual(sum(row["counts"]), page["customers"])
            self.assertEqual(row["counts"], sorted(row["counts"], reverse=True))
            self.assertTrue(all(0 <= s <= 1 for s in row["stability"]))
        for row in page["candidates"][:-1]:
            self.assertEqual(sum(t["customers"] for t in row["threads"]), page["customers"])
        # What customers without groups reach stands beside every candidate, and decides.
        verdicts = [row.verdict for row in Grouping.objects.all()]
        self.assertEqual(len({str(v.as_json()) for v in verdicts}), 1)
        self.assertEqual(set(verdicts[0].silhouettes), {"even", "bulk", "population"})
        best = max(row["silhouette"] for row in page["candidates"])
        words = page["suggestion"]["words"]
        self.assertEqual(page["suggestion"]["k"] is None, verdicts[0].level != "holds")
        if verdicts[0].level == "none":
            self.assertIn(f"{best:.2f}", words)

    def test_another_recipe_makes_what_is_shown_out_of_date_and_undo_current_again(self):
        page = self.sweep()
        recipe = page["recipe"]["draft"]
        draft = {
            "numeric": ["recency", "frequency"], "categories": [], "balance": 1.0,
            "seed": recipe["seed"], "starts": 5,
        }  # fmt: skip
        self.send("put", "groups/recipe", draft)
        stale = self.get("groups")
        self.assertEqual((stale["status"]["state"], stale["suggestion"]), ("out of date", None))
        self.assertEqual(stale["candidates"], page["candidates"])
        self.assertEqual(stale["recipe"]["method"], "k-means")
        self.send("post", "history/undo")
        self.assertEqual(self.get("groups")["status"]["state"], "whole")

    def test_the_same_recipe_is_not_run_twice(self):
        self.sweep()
        before = list(Grouping.objects.order_by("k").values_list("pk", flat=True))
        self.sweep()
        self.assertEqual(list(Grouping.objects.order_by("k").values_list("pk", flat=True)), before)

    def test_more_groups_than_customers_differ_are_not_tried(self):
        self.send("put", "groups/recipe", {"numeric": ["trait:household"], "categories": []})
        page = self.sweep()
        ks = [row["k"] for row in page["candidates"]]
        self.assertEqual(page["status"]["state"], "whole")
        self.assertTrue(1 < len(ks) < 7, ks)
        self.assertEqual(ks, list(range(2, len(ks) + 2)))

    def test_recipes_that_cannot_be_followed(self):
        problem = {"numeric": [], "categories": []}
        self.send("put", "groups/recipe", problem)
        self.assertIn("at least one measure", self.send("post", "groups/run", status=400)["detail"])
        self.assertEqual(self.get("groups")["status"]["state"], "failed")
        self.send("put", "groups/recipe", {"balance": 9.0}, 400)
        self.send("put", "groups/recipe", {"numeric": ["gap_cv", "trend"], "categories": []})
        self.sweep()  # missing values stay out, and are counted
        self.assertGreater(self.get("groups")["left_out"], 100)


class Adopting(DemoCase):
    once = DemoCase.swept

    def test_adopt_and_undo(self):
        row = self.adopt(4)
        adopted = self.get("groups")["adopted"]
        self.assertEqual((adopted["k"], adopted["grouping"]), (4, row["id"]))
        names = list(Segment.objects.values_list("name", flat=True))
        self.assertEqual(len(set(names)), 4)
        self.assertFalse(any(name.startswith("Group ") for name in names))
        other = next(r for r in self.get("groups")["candidates"] if r["k"] == 5)
        self.send("post", "groups/adopt", {"grouping": other["id"]})
        self.send("post", "history/undo")
        self.assertEqual(self.get("groups")["adopted"]["k"], 4)
        self.send("post", "history/undo")
        self.assertIsNone(self.get("groups")["adopted"])
        self.send("post", "history/redo")
        self.assertEqual(self.get("groups")["adopted"]["k"], 4)
        self.send("post", "groups/adopt", {"grouping": 10**6}, 404)

    def test_a_decision_never_goes_out_of_date_but_says_what_changed(self):
        self.adopt()
        before = Yardstick.objects.get(retired=False).grouping.centres
        self.send("put", "ledger/rules/returns", {"on": True})
        self.send("put", "ledger/rules/void", {"on": False})
        adopted = self.get("groups")["adopted"]
        self.assertEqual(adopted["since"], "2 rules changed since")
        station = next(s for s in self.get("trail")["stations"] if s["key"] == "groups")
        self.assertEqual(station["state"], "current")
        self.assertEqual(Yardstick.objects.get(retired=False).grouping.centres, before)

    def test_home_window_gives_the_very_groups_and_other_dates_are_placed_without_refitting(self):
        row = self.adopt(5)
        yardstick = Yardstick.objects.select_related("study", "grouping").get(retired=False)
        centres = dict(yardstick.grouping.centres)
        home = assignment_at(self.study, yardstick, WindowInView(date(2026, 6, 30)))
        counts = np.bincount(home.placement.state, minlength=8)
        self.assertEqual(counts[:5].tolist(), row["counts"])
        groupings = Grouping.objects.count()
        early = self.get("portraits", to="2025-06-30", back="12")
        self.assertFalse(early["at_home"])
        self.assertNotEqual([s["customers"] for s in early["segments"]], row["counts"])
        yardstick.grouping.refresh_from_db()
        self.assertEqual(yardstick.grouping.centres, centres)
        self.assertEqual(Grouping.objects.count(), groupings)

    def test_segments_narrow_the_lens(self):
        row = self.adopt(4)
        clause = {"field": "segment:now", "values": ["2"]}
        answer = self.send("post", "lens", {"clauses": [clause], "charts": ["segment:now"]})
        self.assertEqual(answer["lens"]["customers"], row["counts"][1])
        chart = answer["charts"][0]
        self.assertEqual(chart["everyone"][:4], row["counts"])
        self.assertEqual(chart["labels"][1], Segment.objects.get(number=2).name)
        everyone = sum(chart["everyone"]) + chart["everyone_missing"]
        self.assertEqual(everyone, answer["everyone"]["customers"])


class Killed(WorkerCase):
    def test_kill_during_a_sweep_goes_on_where_it_was(self):
        demo = write_demo(self.folder / "demo", members=8000)
        for path in (demo.log, demo.members):
            original = take_file(self.study, path)
            intake = self.send("post", "intakes", {"upload": original.pk}, 201)
            self.send("post", f"intakes/{intake['id']}/count", status=202)
            run_jobs()
        self.get("measures")
        job = self.send("post", "groups/run", status=202)
        first = self.worker("long")
        self.wait(lambda: Grouping.objects.count() >= 2)
        os.kill(first.pid, signal.SIGKILL)
        first.wait()
        there = list(Grouping.objects.order_by("k").values("k", "made_at", "result"))
        self.assertLess(len(there), 7)
        self.wait(lambda: recover() == 1)
        second = self.worker("long")
        try:
            self.wait(lambda: Job.objects.get(pk=job["id"]).state == Job.DONE)
        finally:
            second.terminate()
            second.wait(20)
        after = list(Grouping.objects.order_by("k").values("k", "made_at", "result"))
        self.assertEqual([row["k"] for row in after], list(range(2, 9)))
        # The last step of a sweep tells all candidates what customers without groups reach.
        self.assertEqual(len({str(row["result"].pop("verdict")) for row in after}), 1)
        self.assertEqual({str(row["result"].pop("verdict")) for row in there}, {"{}"})
        self.assertEqual(after[: len(there)], there)


class ModelInUse(DemoCase):
    once = DemoCase.four_groups

    def sent(self, text, status=200, **query):
        answer = self.client.post(
            self.url("groups/place") + "?" + "&".join(f"{k}={v}" for k, v in query.items()),
            text if isinstance(text, bytes) else text.encode(),
            content_type="application/octet-stream",
        )
        self.assertEqual(answer.status_code, status, answer.content[:500])
        return answer

    def test_the_study_as_a_file_is_placed_as_the_study_is(self):
        yardstick = Yardstick.objects.get(retired=False)
        placed = assignment_at(self.study, yardstick, default_window(self.study))
        frozen = frozen_of(yardstick.grouping)
        names = frozen.preparation.names
        table, heads = placed.made, ["customer", *names]
        rows = np.flatnonzero(placed.placement.state < yardstick.k)[:300]
        cells = []
        for name in names:
            column = table.column(name if name in table.derived else f"trait:{name}")
            values = np.asarray(column.values)[rows]
            said = (
                values
                if column.kind == "number"
                else [column.levels[v - 1] if v else "" for v in values]
            )
            cells.append(
                [str(each) for each in (values.tolist() if column.kind == "number" else said)]
            )
        lines = [
            heads,
            *([str(n), *row] for n, row in zip(rows, zip(*cells, strict=True), strict=True)),
        ]
        text = "".join(",".join(line) + "\n" for line in lines)
        before = Yardstick.objects.count(), Grouping.objects.count(), Job.objects.count()
        answer = self.sent(text + f"x{',' * len(names)}\n", name="theirs.csv")
        self.assertEqual((answer["X-Rows"], answer["X-Placed"]), ("301", "300"))
        found = list(csv.DictReader(io.StringIO(answer.content.decode())))
        self.assertEqual(
            [int(row["segment"]) - 1 for row in found[:300]], placed.placement.state[rows].tolist()
        )
        called = {s.number: s.name for s in yardstick.segments.all()}
        self.assertEqual(found[0]["name"], called[int(found[0]["segment"])])
        self.assertEqual(found[300]["segment"], "")
        self.assertEqual(
            (Yardstick.objects.count(), Grouping.objects.count(), Job.objects.count()), before
        )
        # Heads may be those of the screen; what lacks a column is told by its name.
        again = self.sent(text.replace("frequency", "Visits", 1)).content.decode()
        told = [row["segment"] for row in csv.DictReader(io.StringIO(again))]
        self.assertEqual(told, [row["segment"] for row in found[:300]])
        self.assertIn(
            "theirs.csv", self.sent("customer,a\n1,2\n", 400, name="theirs.csv").json()["detail"]
        )
        self.sent(text, 400, kind="docx")
        self.sent(b"PK\x03\x04nothing", 400, name="broken.xlsx")

    def test_the_model_is_what_a_terminal_and_other_programs_read(self):
        answer = self.client.get(self.url("groups/model"), {"kind": "recipe"})
        frozen = read_recipe(answer.content.decode())
        self.assertEqual(frozen.k, 4)
        self.assertFalse(any(name.startswith("trait:") for name in frozen.preparation.names))
        self.assertIn("segments.json", answer["Content-Disposition"])
        answer = self.client.get(self.url("groups/model"), {"kind": "pmml"})
        self.assertIn(b"ClusteringModel", answer.content)
        # A ladder is a recipe of scores, and no PMML.
        self.send("post", "ladder")
        answer = self.client.get(self.url("groups/model"), {"kind": "recipe"})
        self.assertEqual(len(read_score(answer.content.decode()).measures), 3)
        self.assertEqual(
            self.client.get(self.url("groups/model"), {"kind": "pmml"}).status_code, 400
        )
        placed = self.sent("customer,recency,frequency,monetary\n7,1,30,900\n8,360,1,2\n")
        first, last = csv.DictReader(io.StringIO(placed.content.decode()))
        self.assertLess(int(first["segment"]), int(last["segment"]))

    def test_a_file_too_large_to_be_placed_here_is_told_where_to_go(self):
        with mock.patch.object(placing, "MOST_BYTES", 1 << 20):
            said = self.sent(b"x" * (3 << 20), 400).json()["detail"]
        self.assertIn("Files of up to 1 MB are placed here", said)
