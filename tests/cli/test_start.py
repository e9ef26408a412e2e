"""Sortija as a whole, started for real: kept up, alone in its folder, closed to others."""

import json
import os
import pwd
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.error
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from sortija.launch.cluster import Cluster, free_port

ROOT = Path(__file__).parents[2]


class Started(unittest.TestCase):
    """One folder and what runs in it, for all tests: to start takes a while."""

    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory())) / "var"
        cls.port = free_port()
        cls.address = f"http://127.0.0.1:{cls.port}"
        cls.environment = {k: v for k, v in os.environ.items() if k != "DATABASE_URL"}
        cls.environment |= {"SORTIJA_DATA": str(cls.folder)}
        cls.environment.pop("SORTIJA_URL", None)
        cls.log = cls.folder.parent / "log"
        cls.house = cls.begin()
        cls.addClassCleanup(cls.end)

    @classmethod
    def words(cls, port):
        start = [sys.executable, "-m", "sortija.launch.start", "--members", "120"]
        return [*start, "--port", str(port)]

    @classmethod
    def begin(cls):
        with cls.log.open("ab") as log:
            return subprocess.Popen(
                cls.words(cls.port), cwd=ROOT, env=cls.environment, stdout=log, stderr=log,
                umask=0o077, start_new_session=True,
            )  # fmt: skip

    @classmethod
    def end(cls):
        cls.house.send_signal(signal.SIGINT)
        cls.house.wait(60)
        cluster = Cluster(cls.folder / "postgres").folder
        if cluster.parent == Path("/var/lib"):
            subprocess.run(["rm", "-rf", str(cluster)], check=True)

    def until(self, reached, what, seconds=120):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if self.house.poll() is not None:
                break
            if reached():
                return
            time.sleep(0.2)
        self.fail(f"{what} did not come to pass: {self.log.read_text()[-3000:]}")

    def health(self):
        try:
            with urllib.request.urlopen(f"{self.address}/api/health", timeout=5) as answer:
                return json.load(answer)["state"] == "well"
        except (OSError, urllib.error.URLError):
            return False

    def healths(self):
        """Answers to many who ask at once, so that every thread of the server is asked."""
        with ThreadPoolExecutor(16) as many:
            return list(many.map(lambda _: self.health(), range(64)))

    def database(self):
        """Whether the database answers, asked apart from the server."""
        url = Cluster(self.folder / "postgres").running_url()
        words = ["psql", url, "-wXAtc", "SELECT 1"]
        return bool(url) and subprocess.run(words, capture_output=True).returncode == 0

    def parts(self):
        """(pid, command) of everything that runs for this folder."""
        mark = f"SORTIJA_DATA={self.folder}".encode()
        out = []
        for place in Path("/proc").iterdir():
            if not place.name.isdigit() or int(place.name) == self.house.pid:
                continue
            try:
                if mark in (place / "environ").read_bytes():
                    out.append((int(place.name), (place / "cmdline").read_bytes().decode()))
            except (OSError, PermissionError):
                continue
        return out

    def pids(self, word):
        return [pid for pid, command in self.parts() if word in command.replace("\0", " ")]

    def test_1_it_answers_and_says_where(self):
        self.until(self.health, "health")
        self.until(lambda: "join#" in self.log.read_text(), "the link")
        said = self.log.read_text()
        self.assertIn(f"Sortija runs at {self.address}", said)
        self.assertIn(f"{self.address}/join#", said)

    def test_2_a_part_that_dies_is_started_again(self):
        self.until(self.health, "health")
        for word in ("work --lane quick", "gunicorn"):
            before = self.pids(word)
            self.assertTrue(before, self.parts())
            for pid in before:
                os.kill(pid, signal.SIGKILL)
            self.until(
                lambda word=word, before=before: set(self.pids(word)) - set(before), f"{word} again"
            )
            self.until(self.health, f"health after {word}")
        self.assertIn("is started again", self.log.read_text())

    def test_3_the_database_is_started_again(self):
        self.until(self.health, "health")
        # Every thread of the server has held a connection by then, and none fails for it.
        self.assertTrue(all(self.healths()))
        cluster = Cluster(self.folder / "postgres").folder
        first = int((cluster / "postmaster.pid").read_text().split()[0])
        os.kill(first, signal.SIGKILL)
        self.until(lambda: "the database stopped" in self.log.read_text(), "word of the database")
        self.until(self.database, "an answer of the database")
        self.assertTrue(all(self.healths()))

    def test_4_a_second_start_says_that_one_runs_and_harms_nothing(self):
        self.until(self.health, "health")
        second = subprocess.run(
            self.words(free_port()), cwd=ROOT, env=self.environment, capture_output=True,
            text=True, timeout=60,
        )  # fmt: skip
        self.assertNotEqual(second.returncode, 0)
        self.assertIn(f"runs already in this folder: {self.address}", second.stderr)
        self.assertTrue(self.health())

    @unittest.skipIf(os.geteuid(), "another user's eyes need root")
    def test_5_nobody_else_reads_anything(self):
        self.until(self.health, "health")
        nobody = pwd.getpwnam("nobody")

        def as_nobody(*words):
            return subprocess.run(
                words, cwd="/", capture_output=True, text=True, user=nobody.pw_uid,
                group=nobody.pw_gid, extra_groups=[], env={"PATH": os.environ["PATH"]},
            )  # fmt: skip

        cluster = Cluster(self.folder / "postgres")
        self.assertEqual(as_nobody("cat", "/etc/hostname").returncode, 0)  # it can read at all
        self.folder.parent.chmod(0o755)  # as where folders on the way are open to everybody
        kept = ("", "secret-key", "originals", "postgres-password", "logs")
        for path in (*(self.folder / name for name in kept), cluster.folder):
            self.assertTrue(path.exists(), path)
            told = as_nobody("sh", "-c", f"cat {path} || ls {path}")
            self.assertNotEqual(told.returncode, 0, f"{path}: {told.stdout[:80]}")
        url = cluster.running_url()
        self.assertTrue(url)
        where = url.partition("@")[2]
        for who in ("sortija", "keeper", "postgres"):
            told = as_nobody("psql", f"postgres://{who}@{where}", "-wXAtc", "SELECT 1")
            self.assertNotEqual(told.returncode, 0, who)
            self.assertIn("password", told.stderr)
        can = "rolsuper OR rolcreaterole OR rolcreatedb"
        ask = f"SELECT {can} FROM pg_roles WHERE rolname = 'sortija'"
        told = subprocess.run(["psql", url, "-wXAtc", ask], capture_output=True, text=True)
        self.assertEqual(told.stdout.strip(), "f", told.stderr)

    def test_6_what_is_killed_leaves_nothing_that_keeps_the_next_out(self):
        self.until(self.health, "health")
        before = {pid for pid, command in self.parts() if "postgres" not in command}
        self.house.kill()
        self.house.wait(10)
        type(self).house = self.begin()
        # Asked to stop while all is made ready, it does so at once.
        self.until(lambda: self.pids("launch.prepare"), "its making ready")
        self.house.send_signal(signal.SIGINT)
        self.assertEqual(self.house.wait(30), 0)
        self.assertFalse(self.pids("launch.prepare"))
        type(self).house = self.begin()
        self.until(lambda: self.log.read_text().count("join#") == 2, "the link of the next start")
        self.assertEqual(self.log.read_text().count("Importing the Marrowmere demo"), 1)
        self.until(self.health, "health of the next start")
        servers = self.pids("gunicorn")
        self.assertEqual(len(servers), 2, self.parts())  # one and its worker: no old ones
        # Their database was taken from under them while they stopped; they end all the same.
        self.until(lambda: not before & {pid for pid, _ in self.parts()}, "an end of the old", 40)


class Addresses(unittest.TestCase):
    def test_an_address_without_a_scheme_is_refused(self):
        with tempfile.TemporaryDirectory() as folder:
            environment = {**os.environ, "SORTIJA_DATA": folder, "SORTIJA_URL": "crm.example.org"}
            done = subprocess.run(
                [sys.executable, "-m", "sortija.launch.start"], cwd=ROOT, env=environment,
                capture_output=True, text=True, timeout=60,
            )  # fmt: skip
        self.assertNotEqual(done.returncode, 0)
        self.assertIn("Write it with its scheme", done.stderr)
