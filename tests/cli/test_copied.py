"""A project folder that was copied: what still points to where it came from is made anew."""

import os
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
#: What ``sortija/launch/machine.sh`` looks at, and nothing that takes long to install.
FRONT = ("package-lock.json", "vite.config.ts", "index.html")


class Copied(unittest.TestCase):
    def setUp(self):
        self.there = Path(self.enterContext(tempfile.TemporaryDirectory())) / "a copy"
        for name in ("launch", "core"):
            shutil.copytree(ROOT / "sortija" / name, self.there / "sortija" / name)
        for name in ("__init__.py", "places.py", "state.py"):
            shutil.copy(ROOT / "sortija" / name, self.there / "sortija")
        shutil.copy(ROOT / "pyproject.toml", self.there)
        (self.there / "requirements.lock").write_text("")
        web = self.there / "web"
        for name in ("src", "public", "dist", "node_modules"):
            (web / name).mkdir(parents=True)
        for name in (*FRONT, "node_modules/.package-lock.json"):
            (web / name).write_text("")
        state = subprocess.run(
            ["bash", "-c", "cd web && find src public package-lock.json vite.config.ts index.html "
             "-type f -exec sha256sum {} + | LC_ALL=C sort | sha256sum | cut -c1-16"],
            cwd=self.there, capture_output=True, text=True, check=True,
        ).stdout  # fmt: skip
        (web / "dist" / ".state").write_text(state)

    def prepare(self):
        """What ``./start`` and ``./test`` do first."""
        apart = ("SORTIJA_DATA", "SORTIJA_NEEDS_BROWSER")
        environment = {k: v for k, v in os.environ.items() if k not in apart}
        done = subprocess.run(
            ["bash", "-c", "source sortija/launch/machine.sh"], cwd=self.there, env=environment,
            capture_output=True, text=True, timeout=300,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stderr

    def test_environment_and_wrapper_of_the_old_place_are_made_anew(self):
        old = "/nowhere/sortija"
        tools = self.there / ".venv" / "bin"
        tools.mkdir(parents=True)
        (tools / "python").symlink_to(f"{old}/python")
        (tools / "sortija").write_text(f'#!/bin/sh\nexec {old}/.venv/bin/python -m sortija "$@"\n')
        (self.there / ".venv" / "sortija-lock").write_text(f"0123456789abcdef {old}\n")
        self.assertIn("Installing Python packages", self.prepare())
        told = subprocess.run(
            [tools / "python", "-c", "import sys; print(sys.prefix)"],
            capture_output=True, text=True, check=True,
        ).stdout.strip()  # fmt: skip
        self.assertEqual(told, str(self.there / ".venv"))
        wrapper = (tools / "sortija").read_text()
        self.assertNotIn(old, wrapper)
        self.assertTrue(os.access(tools / "sortija", os.X_OK))
        # It finds the copy's own code, spaces in the path and all; what it lacks are packages.
        called = subprocess.run([tools / "sortija"], cwd="/", capture_output=True, text=True)
        self.assertIn("No module named", called.stderr)
        self.assertNotIn("No such file", called.stderr)
        # A second look changes nothing.
        self.assertNotIn("Installing", self.prepare())
