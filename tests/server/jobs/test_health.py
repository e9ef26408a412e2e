"""What machines are told of Sortija's health."""

from datetime import timedelta
from unittest.mock import patch

from django.db import OperationalError
from django.test import override_settings
from django.utils import timezone
from rest_framework.test import APIClient

from sortija.server.jobs.models import Heartbeat
from tests.server.support import ServerCase, WorkerCase


class Health(ServerCase):
    def look(self, status):
        answer = APIClient().get("/api/health")
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def beat(self, **seconds):
        for lane, ago in seconds.items():
            at = timezone.now() - timedelta(seconds=ago)
            Heartbeat.objects.update_or_create(lane=lane, defaults={"at": at})

    def test_all_is_well(self):
        self.beat(quick=2, long=4)
        told = self.look(200)
        self.assertEqual((told["state"], told["waiting"]), ("well", 0))
        self.assertGreater(told["free_bytes"], 0)

    def test_a_silent_worker_is_named(self):
        self.assertEqual(self.look(503)["workers"]["quick"]["well"], False)
        self.beat(quick=2, long=300)
        told = self.look(503)["workers"]
        self.assertTrue(told["quick"]["well"])
        self.assertIn("The long worker gave no sign of life since", told["long"]["words"])

    def test_little_disk(self):
        self.beat(quick=2, long=2)
        with override_settings(LEAST_DISK=1 << 60):
            self.assertIn("MiB are free", self.look(503)["disk"]["words"])

    def test_a_database_that_is_away_is_told_and_not_thrown(self):
        with patch.object(Heartbeat.objects, "values_list", side_effect=OperationalError("away")):
            told = self.look(503)
        self.assertEqual(told["database"]["words"], "The database does not answer.")


class Beating(WorkerCase):
    def test_workers_give_signs_of_life(self):
        workers = [self.worker("quick"), self.worker("long")]
        try:
            self.wait(lambda: APIClient().get("/api/health").status_code == 200, 60)
        finally:
            for worker in workers:
                worker.kill()
                worker.wait()
