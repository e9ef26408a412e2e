"""Programs beside the tests can be started: what they import is there."""

import importlib
import unittest

from benchmarks.__main__ import PARTS


class Programs(unittest.TestCase):
    def test_every_benchmark_and_longer_test_imports_what_is_there(self):
        for name in (*(f"benchmarks.{part}" for part in PARTS), "tests.fuzz", "tests.longer",
                     "tests.worlds"):  # fmt: skip
            with self.subTest(program=name):
                self.assertTrue(importlib.import_module(name).__doc__)
