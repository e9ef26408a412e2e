"""The database that Sortija brings along: made whole or not at all, opened by a password."""

import contextlib
import io
import os
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from sortija.launch.cluster import Cluster, program


class ClusterCase(unittest.TestCase):
    def folder(self):
        """A folder of the test's own; as root it is closed to PostgreSQL, as a home often is."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "postgres"
        self.addCleanup(Cluster(folder).remove)
        return folder

    def cluster(self, folder, **more):
        cluster = Cluster(folder, **more)
        cluster.start()
        self.addCleanup(cluster.stop)
        return cluster

    def ask(self, cluster, statement):
        return subprocess.run(
            [program("psql"), cluster.url, "-qXAtc", statement],
            capture_output=True, text=True, timeout=60,
        )  # fmt: skip


class Passwords(ClusterCase):
    def test_a_database_whose_password_was_lost_is_opened_again(self):
        """As where the project's folder was removed, and the database stayed below /var/lib."""
        folder = self.folder()
        first = self.cluster(folder)
        self.assertEqual(self.ask(first, "CREATE TABLE kept (n int)").returncode, 0)
        before = first.url
        first.stop()
        (folder.parent / "postgres-password").unlink()
        with contextlib.redirect_stderr(io.StringIO()) as said:
            second = self.cluster(folder)
        self.assertIn("was there before", said.getvalue())
        told = self.ask(second, "SELECT count(*) FROM kept")
        self.assertEqual(told.stdout.strip(), "0", told.stderr)
        self.assertNotEqual(before.split("@")[0], second.url.split("@")[0])
        old = before.rpartition("@")[0] + "@" + second.url.rpartition("@")[2]
        refused = subprocess.run([program("psql"), old, "-qXAtc", "SELECT 1"], capture_output=True)
        self.assertIn(b"password authentication failed", refused.stderr)


class Copied(ClusterCase):
    def test_a_copied_folder_has_a_database_of_its_own_with_all_that_was_there(self):
        folder = self.folder()
        first = self.cluster(folder)
        self.ask(first, "CREATE TABLE kept (n int); INSERT INTO kept VALUES (7)")
        copy = folder.parent / "elsewhere" / "var" / "postgres"
        if os.geteuid() == 0:  # its database lies below /var/lib
            self.copy(folder.parent, copy.parent)
            with self.assertRaisesRegex(SystemExit, "whose Sortija runs"):
                Cluster(copy).start()
            shutil.rmtree(copy.parent)
        first.stop()
        self.copy(folder.parent, copy.parent)
        second = self.cluster(copy)
        self.addCleanup(second.remove)
        self.assertEqual(self.ask(second, "SELECT n FROM kept").stdout.strip(), "7")
        self.ask(second, "DELETE FROM kept")
        second.stop()
        first.start()
        self.assertEqual(self.ask(first, "SELECT n FROM kept").stdout.strip(), "7")

    def copy(self, source, target):
        """As ``cp -r`` does, owners not kept."""
        target.mkdir(parents=True)
        inside = [str(path) for path in source.iterdir() if path.name != "elsewhere"]
        subprocess.run(["cp", "-r", *inside, str(target)], check=True)


class Whole(ClusterCase):
    def test_what_was_killed_while_it_was_made_is_made_again(self):
        folder = self.folder()
        with (
            mock.patch.object(Cluster, "_close", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            Cluster(folder).start()
        self.assertEqual(self.ask(self.cluster(folder), "SELECT 1").stdout.strip(), "1")

    def test_a_cluster_for_tests_is_a_new_one_each_time(self):
        """Also where one was left by a run that was killed, its server still running."""
        folder = self.folder()
        left = self.cluster(folder, lasting=False)
        self.assertEqual(self.ask(left, "CREATE TABLE left_over (n int)").returncode, 0)
        (folder.parent / "postgres-password").unlink()
        new = self.cluster(folder, lasting=False)
        self.assertIn("does not exist", self.ask(new, "SELECT * FROM left_over").stderr)
        new.stop()
        self.assertFalse(new.folder.exists())


class Logged(ClusterCase):
    def test_a_database_that_has_much_to_say_does_not_stop(self):
        """What a pipe holds that nobody reads are 64 KiB."""
        cluster = self.cluster(self.folder(), lasting=False)
        much = (
            "SET client_min_messages = error; DO $$ BEGIN FOR n IN 1..3000 LOOP "
            "RAISE WARNING 'so much to say: %', repeat('x', 100); END LOOP; END $$; SELECT 1"
        )
        told = self.ask(cluster, much)
        self.assertEqual(told.stdout.strip(), "1", told.stderr)
        logs = list((cluster.folder / "log").iterdir())
        self.assertGreater(sum(path.stat().st_size for path in logs), 300_000)
