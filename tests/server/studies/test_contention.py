"""Two people at the same moment: nobody waits for ever, nobody reads of an unforeseen failure."""

import threading
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

from django.db import OperationalError, connection

from sortija.server.groups.models import Segment
from sortija.server.portraits import actions
from tests.server.support import DemoCase, ServerCase


class AtTheSameMoment(DemoCase):
    once = DemoCase.swept

    def test_an_undo_and_a_change_of_the_same_segment_wait_for_each_other_in_turn(self):
        self.adopt(3)
        segment = Segment.objects.get(yardstick__retired=False, number=1)
        path = f"portraits/segments/{segment.pk}"
        self.send("put", path, {"name": "Regulars"})
        inside, told = threading.Event(), actions.record

        def slowly(*args):
            """Tell of the change only when the undo has had time to begin."""
            inside.set()
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_sleep(0.7)")
            return told(*args)

        def rename():
            try:
                return self.send("put", path, {"name": "Old friends"})
            finally:
                connection.close()

        with ThreadPoolExecutor(1) as pool, mock.patch.object(actions, "record", slowly):
            renamed = pool.submit(rename)
            self.assertTrue(inside.wait(20))
            self.send("post", "history/undo")  # the rename, which ended first
            self.assertEqual(renamed.result(timeout=20)["name"], "Old friends")
        segment.refresh_from_db()
        self.assertEqual(segment.name, "Regulars")


class WithoutItsDatabase(ServerCase):
    def test_a_database_that_is_away_is_told_as_such(self):
        self.client.raise_request_exception = False
        with (
            mock.patch(
                "sortija.server.studies.actions.membership", side_effect=OperationalError("gone")
            ),
            self.assertLogs("sortija.server.studies.problems", "WARNING"),
        ):
            for ask in (lambda: self.get("pulse", 503), lambda: self.send("post", "lens", {}, 503)):
                self.assertIn("Nothing was changed. Try again", ask()["detail"])
