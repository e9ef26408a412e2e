"""Watches over HTTP: made from what is looked at, read at every new date, told in the trail."""

from unittest import mock

import numpy as np

from sortija.server.crossings import chance
from sortija.server.crossings.models import Watch, WatchReading
from sortija.server.jobs.models import Job
from tests.server.support import SMALL, DemoCase, ServerCase, run_jobs

YEAR = ["2025-06-30", "2026-06-30"]


class Watches(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.object(chance, "DRAWS", 30))
        self.adopt(4)

    def watch(self, status=201, **about):
        body = {"kind": "crossing", "dates": YEAR, "origin": 0, "target": 1, "rule": "at least",
                "number": 1, **about}  # fmt: skip
        return self.send("post", "watches", body, status)

    def read(self):
        run_jobs()
        return self.get("watches")["rows"]

    def fact(self):
        return next(s for s in self.get("trail")["stations"] if s["key"] == "crossings")["words"]

    def test_each_kind_counts_what_its_screen_counts(self):
        step = self.get("crossings")["steps"][0]
        paths = self.get("crossings/paths")
        way = paths["rows"][0]
        pattern = ".".join(str(state + 1) for state in way["states"])
        clause = {"field": "measure:recency", "ranges": [[1, 60]], "window": "2025-06-30:12"}
        lens = self.send("post", "lens", {"clauses": [{**clause, "window": ""}]})["lens"]
        self.watch()
        self.watch(kind="size", target=2)
        self.watch(kind="path", dates=paths["dates"], pattern=pattern)
        self.watch(kind="sign", dates=[], clauses=[clause])
        rows = self.read()
        table = np.array(step["customers"])
        self.assertEqual(
            [row["readings"][0]["customers"] for row in rows],
            [table[0, 1], table[:, 2].sum(), way["customers"], lens["customers"]],
        )
        self.assertEqual({row["readings"][0]["to"] for row in rows}, {"2026-06-30"})
        self.assertEqual({row["readings"][0]["fired"] for row in rows}, {True})
        self.assertTrue(all(row["name"] for row in rows))
        self.assertEqual(self.fact(), "4 segments, 4 watches fired")
        self.assertEqual(Job.objects.filter(kind="crossings.watches").last().state, Job.DONE)

    def test_beyond_chance_is_what_the_matrix_says(self):
        self.get("crossings")
        run_jobs()
        step = self.get("crossings")["steps"][0]
        moves = [(a, b, step["chance"]["moves"][a][b]) for a in range(4) for b in range(4)
                 if a != b]  # fmt: skip
        for a, b, _ in moves:
            self.watch(origin=a, target=b, rule="beyond chance", number=None)
        for row, (a, b, told) in zip(self.read(), moves, strict=True):
            [reading] = row["readings"]
            self.assertEqual(reading["fired"], told["verdict"] == "more")
            self.assertEqual(reading["seen"], step["chance"]["seen"][a][b])
            self.assertEqual((reading["low"], reading["high"]), (told["low"], told["high"]))

    def test_a_size_beyond_chance_either_way(self):
        for state in range(4):
            self.watch(kind="size", target=state, rule="beyond chance", number=None)
        step = self.get("crossings")["steps"][0]
        run_jobs()
        seen = np.array(self.get("crossings")["steps"][0]["chance"]["seen"])
        for state, row in enumerate(self.read()):
            [reading] = row["readings"]
            self.assertEqual(reading["seen"], seen[:, state].sum())
            self.assertEqual(reading["customers"], np.array(step["customers"])[:, state].sum())
            inside = reading["low"] <= reading["seen"] <= reading["high"]
            self.assertEqual(reading["fired"], not inside)

    def test_what_cannot_be_watched_is_refused_in_words(self):
        for about, words in (
            ({"target": 0}, "between two states"),
            ({"target": 9}, "no such state"),
            ({"dates": YEAR[:1]}, "between which dates"),
            ({"dates": ["2025-06-15", "2026-06-30"]}, "no whole months"),
            ({"number": None}, "how many customers"),
            ({"kind": "path", "pattern": "*.*"}, "Everybody goes this way"),
            ({"kind": "path", "pattern": "1.2.3"}, "has 2 places"),
            ({"kind": "path", "pattern": "1.2", "rule": "beyond chance"}, "by a number"),
            ({"kind": "sign"}, "Pick a sign"),
        ):
            self.assertIn(words, self.watch(400, **about)["detail"])
        self.assertEqual(Watch.objects.count(), 0)
        reader = self.person("rita")
        self.study.members.create(person=reader, role="reader")
        self.send("post", "watches", {"kind": "crossing", "rule": "at least"}, 403,
                  client=self.signed_in(reader))  # fmt: skip
        self.assertEqual(self.get("watches", client=self.signed_in(reader))["rows"], [])

    def test_changed_deleted_and_brought_back(self):
        made = self.watch(number=100_000, name="Slipping")
        [row] = self.read()
        self.assertEqual((row["name"], row["readings"][0]["fired"]), ("Slipping", False))
        body = {"name": "", "rule": "at most", "number": 100_000}
        self.send("put", f"watches/{made['id']}", body)
        [row] = self.read()
        self.assertEqual((row["name"], row["rule"]), ("Slipping", "at most"))
        self.assertTrue(row["readings"][0]["fired"])
        self.assertEqual(WatchReading.objects.count(), 1)
        self.send("delete", f"watches/{made['id']}", status=204)
        self.assertEqual(self.get("watches")["rows"], [])
        self.assertEqual(self.fact(), "4 segments, a year apart")
        self.send("post", "history/undo")
        self.assertEqual(len(self.get("watches")["rows"]), 1)
        self.send("post", "history/undo")
        self.assertEqual(self.get("watches")["rows"][0]["rule"], "at least")

    def test_groups_adopted_later_have_other_states(self):
        self.watch()
        row = next(r for r in self.get("groups")["candidates"] if r["k"] == 3)
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        page = self.get("watches")
        self.assertEqual((page["rows"], page["retired"]), ([], 1))
        self.send("post", "history/undo")
        self.assertEqual(len(self.get("watches")["rows"]), 1)


class NewDates(DemoCase):
    """The log up to March, then the months that follow."""

    def populate(self):
        ServerCase.populate(self)

    def test_every_new_date_is_read_without_anybody_looking(self):
        head, *lines = (SMALL / "log.csv").read_text().splitlines(keepends=True)
        at = head.split(";").index("sold_at")

        def day(line):
            written = line.split(";")[at].split()[0]
            return written if "-" in written else "-".join(reversed(written.split("/")))

        until = [line for line in lines if day(line) < "2026-04-01"]
        since = [line for line in lines if day(line) >= "2026-04-01"]
        self.bring_in(head + "".join(until), "until.csv")
        self.adopt(3)
        [first] = [self.send("post", "watches", {
            "kind": "crossing", "dates": ["2025-12-31", "2026-03-31"], "origin": 0, "target": 1,
            "rule": "at least", "number": 1}, 201)]  # fmt: skip
        run_jobs()
        self.assertEqual([r["to"] for r in self.get("watches")["rows"][0]["readings"]],
                         ["2026-03-31"])  # fmt: skip
        self.bring_in(head + "".join(since), "since.csv")
        rows = WatchReading.objects.filter(watch=first["id"]).order_by("to")
        self.assertEqual([row.to.isoformat() for row in rows], ["2026-03-31", "2026-06-30"])
        table = self.get("crossings", by="quarter")["steps"][-1]["customers"]
        self.assertEqual(rows[1].customers, table[0][1])
        self.get("watches")
        run_jobs()
        self.assertEqual(WatchReading.objects.count(), 2)


class Empty(ServerCase):
    def test_without_a_log(self):
        self.assertEqual(self.get("watches")["status"]["state"], "empty")
        body = {"kind": "size", "dates": YEAR, "rule": "at least", "number": 1}
        self.send("post", "watches", body, 400)
