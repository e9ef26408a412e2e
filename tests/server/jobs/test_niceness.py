"""Work gives way to screens, and what it needs is compiled before somebody asks for it."""

import os
import subprocess
import sys
from pathlib import Path

from django.test import SimpleTestCase

from sortija.launch.warm import derived_demo, first, later

ROOT = Path(__file__).parents[3]
SHOW = """
import os
from sortija.server.jobs.niceness import let_screens_go_first
before = os.nice(0)
let_screens_go_first()
try:
    words = open("/proc/self/autogroup").read().split()
except OSError:
    words = []  # this Linux weighs no sessions
print(os.nice(0) - before, words[-1] if words else "none")
"""


class GivingWay(SimpleTestCase):
    def show(self, own_session):
        out = subprocess.run(
            [sys.executable, "-c", SHOW], cwd=ROOT, start_new_session=own_session,
            capture_output=True, text=True, check=True, env={**os.environ, "PYTHONPATH": str(ROOT)},
        )  # fmt: skip
        return out.stdout.split()

    def test_a_worker_is_nicer_than_the_server(self):
        nicer, group = self.show(True)
        self.assertEqual(nicer, "5")
        if group != "none":
            self.assertEqual(group, "5")

    def test_a_session_shared_with_others_is_left_as_it_is(self):
        before = self.show(False)[1]
        nicer, group = self.show(False)
        self.assertEqual((nicer, group), ("5", before))


class Warming(SimpleTestCase):
    def test_every_way_to_groups_goes_on_the_small_demo(self):
        log, mask, derived = derived_demo()
        first(derived)
        later(log, mask, derived)
        self.assertGreater(int(derived.present.sum()), 50)
