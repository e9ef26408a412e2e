"""Compiled kernels are never those of another state of the core."""

import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from sortija.launch.compiled import folder_of, keep_compiled

ROOT = Path(__file__).parents[2]
KERNEL = """
import numba
from {package}.amount import AMOUNT

@numba.njit(cache=True)
def add(x):
    return x + AMOUNT
"""


class Folders(unittest.TestCase):
    def setUp(self):
        self.place = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.core = self.place / "heart"
        self.core.mkdir()
        for name in ("__init__", "kernel", "amount"):
            (self.core / f"{name}.py").write_text("")

    def folder(self):
        return folder_of(self.place / "data", self.core)

    def test_the_same_core_has_the_same_folder(self):
        first = self.folder()
        (first / "kept").write_text("x")
        self.assertEqual(self.folder(), first)
        self.assertTrue((first / "kept").exists())

    def test_any_change_has_another_and_the_former_goes(self):
        seen = [self.folder()]
        (self.core / "amount.py").write_text("AMOUNT = 1")
        seen.append(self.folder())
        (self.core / "amount.py").rename(self.core / "sum.py")
        seen.append(self.folder())
        self.assertEqual(len(set(seen)), 3)
        self.assertEqual(list((self.place / "data" / "kernels").iterdir()), [seen[-1]])

    def test_a_kernel_is_compiled_anew_when_a_constant_of_another_file_changes(self):
        (self.core / "kernel.py").write_text(KERNEL.format(package="heart"))
        found = []
        for amount in (1, 2):
            (self.core / "amount.py").write_text(f"AMOUNT = {amount}")
            found.append(self.added())
        self.assertEqual(found, ["11", "12"])

    def added(self):
        """What the kernel gives for ten in a process of its own."""
        told = {"NUMBA_CACHE_DIR": str(self.folder()), "PYTHONPATH": str(self.place),
                "PYTHONDONTWRITEBYTECODE": "1"}  # fmt: skip
        words = [sys.executable, "-c", "from heart.kernel import add; print(add(10))"]
        done = subprocess.run(
            words, env={**os.environ, **told}, capture_output=True, text=True, check=True
        )
        return done.stdout.strip()

    def test_who_says_a_folder_has_it(self):
        with mock.patch.dict(os.environ, {"NUMBA_CACHE_DIR": "elsewhere"}):
            keep_compiled()
            self.assertEqual(os.environ["NUMBA_CACHE_DIR"], "elsewhere")
        data = {"SORTIJA_DATA": str(self.place / "data")}
        with mock.patch.dict(os.environ, data):
            os.environ.pop("NUMBA_CACHE_DIR", None)
            keep_compiled()
            self.assertEqual(Path(os.environ["NUMBA_CACHE_DIR"]), folder_of(self.place / "data"))


if __name__ == "__main__":
    unittest.main()
