"""Workers killed at random moments: every job ends once, with the same figures.

More kills than the few of a usual run: ``python -m tests.longer kills 1000``.
"""

import json
import os
import random
import re
import subprocess
import sys
from unittest import mock

from django.db import connection

from sortija.demo.files import write_demo
from sortija.server.groups.models import Grouping, MergeTree
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.ledger.intake.uploads import take_file
from sortija.server.ledger.models import Intake, Line
from sortija.server.studies.actions import start_study
from sortija.server.studies.models import HistoryEntry
from tests.server.support import LOG, ROOT, WorkerCase

KILLS = int(os.environ.get("SORTIJA_TEST_KILLS", "12"))
SEED = int(os.environ.get("SORTIJA_TEST_SEED", "5"))
FIELDS = ("measure:recency", "measure:frequency", "measure:monetary")


class MortalCase(WorkerCase):
    """Workers that are killed at chosen moments, until nothing waits."""

    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.object(work, "_SECONDS_TO_BEGIN", 0))
        at = connection.settings_dict
        url = f"postgres://{at['USER']}:{at['PASSWORD']}@{at['HOST']}:{at['PORT']}/{at['NAME']}"
        environment = {
            **os.environ, "DATABASE_URL": url, "SORTIJA_DATA": str(self.folder),
            "DJANGO_SETTINGS_MODULE": "sortija.server.settings",
        }  # fmt: skip
        self.workers = subprocess.Popen(
            [sys.executable, "-m", "tests.server.jobs.mortal"], cwd=ROOT, env=environment,
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        self.addCleanup(self.workers.wait)
        self.addCleanup(self.workers.stdout.close)
        self.addCleanup(self.workers.stdin.close)
        self.assertEqual(self.workers.stdout.readline(), "ready\n")

    def work_until(self, fuse, seconds=60.0, instead=""):
        """One worker; whether it was killed. ``instead``: what it does instead of jobs."""
        self.workers.stdin.write(f"{fuse} {seconds} {instead}\n")
        self.workers.stdin.flush()
        return self.workers.stdout.readline() == "1\n"

    def done(self, chance, moments, longest=0.6):
        """Kill workers until nothing waits any more; how many that took.

        ``longest``: seconds that one may live where it dies by the clock.
        """
        killed = 0
        while True:
            fuse = chance.randint(1, moments) if chance.random() < 0.7 else 0
            killed += self.work_until(fuse, 60.0 if fuse else chance.uniform(0.01, longest))
            work.recover()
            if not Job.objects.filter(state__in=Job.OPEN).exists():
                return killed


class Kills(MortalCase):
    def begin(self, number):
        """Another study with the same log under review, and its count asked for."""
        self.study = start_study(self.owner, f"Shop {number}")
        upload = self.upload(LOG, "log.csv", part=1 << 20)
        intake = self.send("post", "intakes", {"upload": upload, "role": "log"}, 201)
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        return intake["id"]

    def figures(self):
        page = self.get("ledger")
        return (
            self.everyone(*FIELDS, to="2026-06-30"), page["counted_total"], page["lines"],
            Line.objects.filter(intake__study=self.study).count(),
        )  # fmt: skip

    def test_every_job_ends_once_whatever_kills_its_workers(self):
        self.begin(0)
        self.work_until(0)
        self.get("measures", to="2026-06-30")
        self.work_until(0)
        usual, chance, killed, rounds = self.figures(), random.Random(SEED), 0, 0
        while killed < KILLS:
            rounds += 1
            intake = self.begin(rounds)
            killed += self.done(chance, moments=45)
            self.assertEqual(Intake.objects.get(pk=intake).state, Intake.COUNTED)
            counted = HistoryEntry.objects.filter(study=self.study, action="count intake")
            self.assertEqual(counted.count(), 1)
            self.get("measures", to="2026-06-30")
            killed += self.done(chance, moments=45)
            with self.subTest(round=rounds, killed=killed):
                self.assertEqual(self.figures(), usual)
            states = Job.objects.filter(study=self.study.pk).values_list("state", flat=True)
            self.assertEqual(set(states), {Job.DONE})
        self.work_until(0)
        with connection.cursor() as cursor:
            cursor.execute("SELECT count(*) FROM procrastinate_jobs WHERE status = 'todo'")
            self.assertEqual(cursor.fetchone(), (0,))
        print(f"{killed} workers killed in {rounds} rounds", file=sys.stderr)


class LongWork(MortalCase):
    """Trees and proposals, which keep what is ready while they go on."""

    def setUp(self):
        super().setUp()
        demo = write_demo(self.folder / "demo", members=100)
        intake = self.send("post", "intakes", {"upload": take_file(self.study, demo.log).pk}, 201)
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        self.work_until(0)
        self.get("measures")
        self.work_until(0)
        draft = {"numeric": ["recency", "frequency", "monetary"], "categories": []}
        self.send("put", "groups/recipe", draft)

    def taken_up(self, begin, page, chance):
        """What a page shows in the end, and how many workers were killed on the way."""
        begin()
        killed = self.done(chance, moments=30, longest=20)
        found = page()
        self.assertIsNone(found["job"])
        return found, killed

    def held_against_usual(self, kind, begin, page, forget):
        begin()
        self.work_until(0)
        usual, chance, killed = page(), random.Random(SEED), 0
        while killed < KILLS // 4:
            forget()
            found, more = self.taken_up(begin, page, chance)
            killed += more
            with self.subTest(killed=killed):
                self.assertEqual(plain(found), plain(usual))
        states = Job.objects.filter(study=self.study.pk, kind=kind).values_list("state", flat=True)
        self.assertEqual(set(states), {Job.DONE})
        return usual

    def test_trees_are_grown_once_each(self):
        usual = self.held_against_usual(
            "groups.trees", lambda: self.send("post", "groups/merges", status=202),
            lambda: self.get("groups/merges"), MergeTree.objects.all().delete,
        )  # fmt: skip
        self.assertEqual(len(usual["trees"]), 4)
        self.assertEqual(MergeTree.objects.count(), 4)

    def test_proposals_are_the_same_three(self):
        usual = self.held_against_usual(
            "groups.propose",
            lambda: self.send("post", "groups/proposals", {"seconds": 180}, 202),
            lambda: self.get("groups/proposals"), Grouping.objects.all().delete,
        )  # fmt: skip
        self.assertGreater(len(usual["proposals"]), 1)
        kinds = [proposal["kind"] for proposal in usual["proposals"]]
        self.assertEqual(len(set(kinds)), len(kinds))


def plain(page):
    """A page without the numbers of its rows, which count on."""
    words = re.sub(r"grouping:\d+", "grouping", json.dumps(page))
    return json.loads(re.sub(r'"id": \d+', '"id": 0', words))
