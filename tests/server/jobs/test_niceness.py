"""Work gives way to screens, and what it needs is compiled before somebody asks for it."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from django.test import SimpleTestCase
from numba.core.dispatcher import Dispatcher

from sortija.launch.compiled import COMPILED
from sortija.launch.warm import alone, first, later, looked_at, read_demo

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


def compiled():
    """How many forms of each kernel of the core there are."""
    kernels = {id(each): each for name, module in sorted(sys.modules.items())
               if name.startswith("sortija.core.") for each in vars(module).values()
               if isinstance(each, Dispatcher)}  # fmt: skip
    return {
        f"{each.py_func.__module__}.{each.py_func.__name__}": len(each.overloads)
        for each in kernels.values()
    }


class Warming(SimpleTestCase):
    def test_two_processes_compile_all_that_the_first_screens_want(self):
        words = """
from sortija.launch.warm import first, looked_at, made_up, read_demo
from tests.server.jobs.test_niceness import compiled
read_demo()
first(looked_at(made_up())[2])
before = compiled()
first(looked_at(read_demo())[2])
after = compiled()
print(sum(after.values()), *(name for name in after if after[name] != before.get(name)))
"""
        out = subprocess.run(
            [sys.executable, "-c", words], capture_output=True, text=True, check=True, cwd=ROOT
        )
        many, *more = out.stdout.split()
        self.assertGreater(int(many), 20)
        self.assertEqual(more, [])

    def test_one_compiles_and_the_next_finds_it_done(self):
        with tempfile.TemporaryDirectory() as folder:
            environment = {**os.environ, "NUMBA_CACHE_DIR": folder}
            (Path(folder) / COMPILED).touch()
            with alone(Path(folder)):
                other = subprocess.Popen(
                    [sys.executable, "-m", "sortija.launch.warm"], cwd=ROOT, env=environment
                )
                with self.assertRaises(subprocess.TimeoutExpired):
                    other.wait(4)
            self.assertEqual(other.wait(20), 0)
            self.assertEqual(list(Path(folder).rglob("*.nbc")), [])

    def test_every_way_to_groups_goes_on_the_small_demo(self):
        log, mask, derived = looked_at(read_demo())
        first(derived)
        later(log, mask, derived)
        self.assertGreater(int(derived.present.sum()), 50)
