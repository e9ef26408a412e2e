"""What is given up is used again without new pages, and handed back when asked."""

import os
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[3]
#: A column of 96 MiB made and dropped twice in a thread, as jobs run; then handed back.
SHOW = """
import resource, sys, threading
import numpy as np
from sortija.core.engine import memory

def megabytes():
    with open("/proc/self/status") as status:
        return int(status.read().split("VmRSS:")[1].split()[0]) // 1024

def faults():
    before = resource.getrusage(resource.RUSAGE_SELF).ru_minflt
    np.ones(12 << 20)
    return resource.getrusage(resource.RUSAGE_SELF).ru_minflt - before

def job():
    print(faults(), faults(), megabytes())

if sys.argv[1] == "kept":
    memory.keep()
thread = threading.Thread(target=job)
thread.start()
thread.join()
memory.give_back()
print(megabytes())
"""


class Memory(unittest.TestCase):
    def show(self, how):
        out = subprocess.run(
            [sys.executable, "-c", SHOW, how], cwd=ROOT, check=True, capture_output=True, text=True,
            env={**os.environ, "PYTHONPATH": str(ROOT)},
        )  # fmt: skip
        return [int(word) for word in out.stdout.split()]

    def test_the_second_column_takes_the_place_of_the_first(self):
        first, second, kept, back = self.show("kept")
        self.assertGreater(first, 40)
        self.assertLess(second, 10)
        self.assertGreater(kept, 96)
        self.assertLess(back, kept - 90)

    def test_without_it_every_column_takes_new_pages(self):
        _, second, left, _ = self.show("not kept")
        self.assertGreater(second, 40)
        self.assertLess(left, 96)
