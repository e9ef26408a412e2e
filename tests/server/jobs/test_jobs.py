"""Jobs: joined when equal, failed in words, cancelled, never doubled."""

from unittest import mock

from sortija.core.progress import Stopped
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.jobs.tasks import run_job
from sortija.server.studies.problems import ChangedMeanwhile
from tests.server.support import ServerCase, run_jobs


class Jobs(ServerCase):
    def setUp(self):
        super().setUp()
        self.done = []
        handlers = {
            "good": lambda job, running: self.done.append(job.pk),
            "refused": self.refuse,
            "broken": lambda job, running: 1 / 0,
            "long": self.long,
        }
        self.enterContext(mock.patch.dict(work._HANDLERS, handlers))

    def refuse(self, job, running):
        raise work.JobError("The file has no lines. Export it again.")

    def long(self, job, running):
        for step in range(1000):
            running._spoke = 0.0
            running.progress("stepping", step, 1000)
            if step == 3:
                work.ask_cancel(job)

    def start(self, kind, key="k"):
        return work.start(self.study.pk, kind, key, "Working", self.owner)

    def end(self, job):
        run_jobs()
        job.refresh_from_db()
        return job

    def test_equal_requests_join_one_job(self):
        first, second, other = self.start("good"), self.start("good"), self.start("good", "other")
        self.assertEqual(first.pk, second.pk)
        self.assertNotEqual(first.pk, other.pk)
        run_jobs()
        self.assertEqual(self.done, [first.pk, other.pk])
        self.assertNotEqual(self.start("good").pk, first.pk)

    def test_a_look_joins_what_was_begun_and_begins_again_only_what_was_done(self):
        def look():
            return work.join(self.study.pk, "good", "k", "Working", self.owner)

        first = look()
        self.assertEqual((first.state, look().pk), (Job.WAITING, first.pk))
        for state in (Job.RUNNING, Job.FAILED, Job.CANCELLED):
            Job.objects.filter(pk=first.pk).update(state=state)
            self.assertEqual((look().pk, look().state), (first.pk, state))
        Job.objects.filter(pk=first.pk).update(state=Job.DONE)
        self.assertNotEqual(look().pk, first.pk)

    def test_memory_is_handed_back_when_no_more_jobs_wait(self):
        self.start("good"), self.start("good", "other"), self.start("broken")
        with mock.patch("sortija.core.engine.memory.give_back") as give_back, self.assertLogs():
            give_back.side_effect = lambda: self.done.append("handed back")
            run_jobs()
        self.assertEqual((len(self.done), self.done[-1]), (3, "handed back"))

    def test_what_waits_in_another_lane_holds_no_memory(self):
        mine = self.start("good")
        work.start(self.study.pk, "good", "later", "Working", self.owner, lane="long")
        with mock.patch("sortija.core.engine.memory.give_back") as give_back:
            run_job(job=mine.pk, attempt=mine.attempt)
            give_back.assert_called_once_with()
            again = self.start("good", "again")
            self.start("good", "behind it")
            run_job(job=again.pk, attempt=again.attempt)
            give_back.assert_called_once_with()

    def test_failures_say_what_to_do(self):
        refused = self.end(self.start("refused"))
        self.assertEqual(
            (refused.state, refused.error), (Job.FAILED, "The file has no lines. Export it again.")
        )
        with self.assertLogs("sortija.server.jobs.work", "ERROR"):
            broken = self.end(self.start("broken"))
        self.assertEqual(broken.state, Job.FAILED)
        self.assertIn("did not foresee", broken.error)

    def test_what_was_changed_under_a_job_lets_it_begin_again(self):
        def handler(job, running):
            self.done.append(job.attempt)
            if len(self.done) == 1:
                raise ChangedMeanwhile

        with mock.patch.dict(work._HANDLERS, {"good": handler}):
            with self.assertLogs("sortija.server.jobs.work", "WARNING"):
                job = self.end(self.start("good"))
            self.assertEqual(job.state, Job.RUNNING)
            self.assertEqual(work.recover(), 1)
            job = self.end(job)
        self.assertEqual((job.state, self.done), (Job.DONE, [1, 2]))

    def test_cancel(self):
        job = self.end(self.start("long"))
        self.assertEqual((job.state, job.done), (Job.CANCELLED, 4))
        waiting = self.start("good")
        work.ask_cancel(waiting)
        self.assertEqual(self.end(waiting).state, Job.CANCELLED)
        self.assertEqual(self.done, [])

    def test_what_is_kept_is_told_while_the_rest_is_made(self):
        told = []

        def pulse():
            return self.get("pulse")["jobs"][0]["kept"]

        def handler(job, running):
            told.append(pulse())
            for _ in range(2):
                running.kept_one()
                told.append(pulse())

        with mock.patch.dict(work._HANDLERS, {"good": handler}):
            job = self.end(self.start("good"))
        self.assertEqual((told, job.kept, job.state), ([0, 1, 2], 2, Job.DONE))

    def test_an_attempt_that_no_longer_counts_writes_nothing(self):
        job = self.start("good")
        running = work.Running(job)
        self.addCleanup(running.close)
        self.assertTrue(running.lock() and running.begin())
        Job.objects.filter(pk=job.pk).update(attempt=2)
        with self.assertRaises(Stopped):
            running.progress("late", 1, 2)
        running.end(Job.DONE)
        self.assertEqual(Job.objects.get(pk=job.pk).state, Job.RUNNING)

    def test_a_running_job_is_not_recovered_and_a_dead_one_is(self):
        job = self.start("good")
        running = work.Running(job)
        running.hold()
        running.lock()
        running.begin()
        self.assertEqual(work.recover(), 0)
        running.close()  # the connection is gone, and its lock with it
        self.assertEqual(work.recover(), 1)
        self.assertEqual(self.end(job).state, Job.DONE)
        self.assertEqual((self.done, job.attempt), ([job.pk], 2))

    def test_pulse_shows_what_runs(self):
        self.start("good")
        [row] = self.get("pulse")["jobs"]
        self.assertEqual((row["state"], row["words"]), ("waiting", "Working"))


class Order(ServerCase):
    def test_counting_a_file_passes_whoever_merely_looks(self):
        done = []
        kinds = {
            "looking": lambda job, running: done.append(job.key),
            "ledger.intake": lambda job, running: done.append("file"),
        }
        with mock.patch.dict(work._HANDLERS, kinds):
            for number in range(5):
                work.start(self.study.pk, "looking", f"look {number}", "Looking", self.owner)
            work.start(self.study.pk, "ledger.intake", "k", "Counting", self.owner)
            run_jobs()
        self.assertEqual(done[0], "file")
        self.assertEqual(len(done), 6)
