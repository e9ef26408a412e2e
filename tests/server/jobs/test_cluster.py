"""Jobs whose heavy steps run on a cluster: the same figures, and nothing lost with it."""

import threading
import time
import unittest
from unittest import mock

from django.db import connection
from django.test import override_settings

from sortija.core.engine import cluster
from sortija.server.crossings import chance
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.jobs import work
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.studies.columns import read_column
from sortija.server.studies.models import ColumnChunk
from tests.clusters import Processes
from tests.server.support import DemoCase, ServerCase, run_jobs


def setUpModule():
    unittest.enterModuleContext(mock.patch.object(cluster, "HERE_FIRST", 0.0))


class Same(DemoCase):
    """What jobs keep, on threads and on a cluster."""

    def kept(self):
        """Every column and grouping that is kept, without names and times."""
        groups = [
            (row.k, row.result, row.centres, row.verdict and row.verdict.as_json(),
             read_column(row.labels).values.tobytes())
            for row in Grouping.objects.order_by("k")
        ]  # fmt: skip
        chunks = ColumnChunk.objects.filter(column__name__startswith="chance:")
        return groups, sorted(
            (c.column.name, c.number, bytes(c.data)) for c in chunks.select_related("column")
        )

    def everything(self):
        """Groups, how they stand against none, and what chance moves."""
        Yardstick.objects.all().delete()
        Grouping.objects.all().delete()
        ColumnChunk.objects.filter(column__name__startswith="chance:").delete()
        with mock.patch.object(chance, "DRAWS", 5):
            self.adopt(4)
            self.get("crossings")
            run_jobs()
            step = self.get("crossings")["steps"][0]["chance"]
        self.assertEqual(step["status"]["state"], "whole", step)
        return self.kept()

    def test_to_the_bit(self):
        cluster = Processes(2, {"DJANGO_SETTINGS_MODULE": ""})  # workers know nothing of a server
        self.addCleanup(cluster.end)
        with override_settings(SORTIJA_DASK=cluster.address):
            there = self.everything()
        here = self.everything()
        self.assertEqual(len(here[0]), 7)
        self.assertGreater(len(here[1]), 0)
        self.assertEqual(there, here)

    def test_what_is_done_while_somebody_waits_runs_here(self):
        with override_settings(SORTIJA_DASK="tcp://127.0.0.1:9"):
            self.assertEqual(self.get("measures", to="2026-03-31")["status"]["state"], "whole")

    @override_settings(SORTIJA_DASK="nowhere")
    def test_no_cluster_at_all_is_a_sentence(self):
        self.send("post", "groups/run", status=202)
        run_jobs()
        job = Job.objects.get(kind="groups.sweep")
        self.assertEqual(job.state, Job.FAILED)
        self.assertIn("nowhere is no address of a Dask scheduler", job.error)


class Gone(ServerCase):
    """A scheduler that goes away while a job runs, or does not come."""

    def setUp(self):
        super().setUp()
        self.cluster = Processes(1)
        self.addCleanup(self.cluster.end)
        self.enterContext(override_settings(SORTIJA_DASK=self.cluster.address))
        self.enterContext(mock.patch.dict(work._HANDLERS, {"test.heavy": self.heavy}))
        self.found = []

    def heavy(self, job, running):
        """Stands in for a job of many steps."""

        def slow(item):
            time.sleep(0.2)
            return item * item

        engine = engine_for(running.progress)
        try:
            self.found = engine.map(slow, range(12))
        finally:
            engine.release()

    def begin(self):
        """The job, under way in a thread."""
        job = work.start(self.study.pk, "test.heavy", "one", "Something heavy")

        def run():
            work.run(job.pk, job.attempt)
            connection.close()

        thread = threading.Thread(target=run)
        thread.start()
        self.addCleanup(thread.join)
        return job, thread

    def until(self, job, reached):
        ends = time.monotonic() + 60
        while not reached(job):
            job.refresh_from_db()
            self.assertLess(time.monotonic(), ends, (job.state, job.stage))
            time.sleep(0.05)

    def waits(self, job):
        return job.stage == f"waiting for the cluster at {self.cluster.address}"

    def test_the_job_says_so_and_goes_on_later(self):
        job, thread = self.begin()
        self.until(job, lambda job: job.done > 0)
        self.cluster.kill_scheduler()
        self.until(job, self.waits)
        self.assertEqual(job.state, Job.RUNNING)
        self.cluster.restart_scheduler()
        self.until(job, lambda job: job.stage.startswith("waiting for a worker"))
        self.cluster.grow(1)
        thread.join(60)
        job.refresh_from_db()
        self.assertEqual((job.state, job.attempt), (Job.DONE, 1))
        self.assertEqual(self.found, [item * item for item in range(12)])

    def test_who_waits_can_stop(self):
        self.cluster.kill_scheduler()
        job, thread = self.begin()
        self.until(job, self.waits)
        work.ask_cancel(job)
        thread.join(5)
        job.refresh_from_db()
        self.assertEqual((job.state, self.found), (Job.CANCELLED, []))
