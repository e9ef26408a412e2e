"""A job whose worker dies at any moment is taken up again, and ends once."""

from unittest import mock

from django.db import connection

from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from tests.server.support import ServerCase, run_jobs


class Dead(ServerCase):
    def setUp(self):
        super().setUp()
        self.done = []
        handlers = {"good": lambda job, running: self.done.append((job.pk, job.attempt))}
        self.enterContext(mock.patch.dict(work._HANDLERS, handlers))

    def start(self, key="k"):
        return work.start(self.study.pk, "good", key, "Working", self.owner)

    def sql(self, text):
        with connection.cursor() as cursor:
            cursor.execute(text)

    def taken_long_ago(self):
        """The queue handed the job out, and nothing was heard of it since."""
        self.sql("UPDATE procrastinate_jobs SET status = 'doing'")
        self.sql("UPDATE procrastinate_events SET at = now() - interval '20 seconds'")

    def test_a_worker_has_a_moment_to_begin(self):
        self.start()
        self.sql("UPDATE procrastinate_jobs SET status = 'doing'")
        self.assertEqual(work.recover(), 0)
        self.taken_long_ago()
        self.assertEqual(work.recover(), 1)

    def test_between_taking_it_and_beginning_it(self):
        job = self.start()
        self.taken_long_ago()
        run_jobs()
        self.assertEqual(self.done, [])
        self.assertEqual(work.recover(), 1)
        run_jobs()
        job.refresh_from_db()
        self.assertEqual((job.state, self.done), (Job.DONE, [(job.pk, 2)]))

    def test_without_any_row_in_the_queue(self):
        job = self.start()
        self.sql("DELETE FROM procrastinate_jobs")
        self.assertEqual(work.recover(), 1)
        run_jobs()
        job.refresh_from_db()
        self.assertEqual((job.state, len(self.done)), (Job.DONE, 1))

    def test_while_it_ran(self):
        job = self.start()
        self.sql("UPDATE procrastinate_jobs SET status = 'doing'")
        Job.objects.update(state=Job.RUNNING)
        self.assertEqual(work.recover(), 1)
        run_jobs()
        job.refresh_from_db()
        self.assertEqual((job.state, self.done), (Job.DONE, [(job.pk, 2)]))

    def test_what_waits_in_the_queue_is_left_alone(self):
        self.start(), self.start("other")
        self.assertEqual(work.recover(), 0)
        run_jobs()
        self.assertEqual(sorted(attempt for _, attempt in self.done), [1, 1])

    def test_what_somebody_is_at_is_left_alone(self):
        job = self.start()
        self.sql("UPDATE procrastinate_jobs SET status = 'doing'")
        for state in (Job.WAITING, Job.RUNNING):  # waiting for the lock of its kind, and at work
            Job.objects.update(state=state)
            alive = work.Running(job)
            self.addCleanup(alive.close)
            if state == Job.WAITING:
                self.assertTrue(alive.hold())
            self.assertEqual(work.recover(), 0)

    def test_who_was_only_slow_to_begin_finds_another_attempt(self):
        job = self.start()
        self.taken_long_ago()
        work.recover()
        work.run(job.pk, 1)  # the first worker comes after all
        self.assertEqual(self.done, [])
        run_jobs()
        self.assertEqual(self.done, [(job.pk, 2)])
