"""Everything kept goes into one file, and out of it into an empty place, figure by figure."""

import fcntl
import json
import os
import shutil
import tarfile
from contextlib import contextmanager
from unittest.mock import patch

from django.conf import settings
from django.db import connection
from django.test import override_settings

from sortija.launch import archive
from sortija.launch.backup import Refused, backup, restore
from sortija.server.ledger.models import Card
from tests.server.support import LOG, MEMBERS, ServerCase, run_jobs

FIELDS = ("measure:recency", "measure:frequency", "measure:monetary", "trait:garden")


class There(ServerCase):
    """What a test of backups needs of a database that it may empty."""

    def setUp(self):
        super().setUp()
        at = connection.settings_dict
        where = f"{at['HOST']}:{at['PORT']}/{at['NAME']}"
        url = f"postgres://{at['USER']}:{at['PASSWORD']}@{where}"
        self.enterContext(patch.dict(os.environ, {"DATABASE_URL": url}))
        (self.folder / "secret-key").write_text(settings.SECRET_KEY)
        self.file = self.folder / "all.sortija"
        self.elsewhere = self.folder / "elsewhere"

    def emptied(self):
        with connection.cursor() as cursor:
            cursor.execute("DROP SCHEMA public CASCADE")
            cursor.execute("CREATE SCHEMA public")
        connection.close()

    @contextmanager
    def moved(self):
        """Sortija in the other folder."""
        places = {
            "COLUMN_FILES": self.elsewhere / "columns", "EXPORTS": self.elsewhere / "exports",
            "ORIGINALS": self.elsewhere / "originals",
        }  # fmt: skip
        with override_settings(**places):
            yield

    def looks(self):
        run_jobs()
        self.get("measures", to="2026-06-30")
        page = self.get("ledger")
        return self.everyone(*FIELDS, to="2026-06-30"), page["counted_total"], page["lines"]


class Restored(There):
    def test_every_figure_is_there_again_and_work_goes_on(self):
        log = self.bring_in(LOG, "log.csv")
        self.bring_in(MEMBERS, "members.csv")
        gone = Card.objects.get(code="C").number
        self.send("delete", f"customer/{gone}", status=204)
        before = self.looks()
        backup(self.file, self.folder)
        self.assertEqual(self.file.stat().st_mode & 0o777, 0o600)
        self.emptied()
        restore(self.file, self.elsewhere)
        self.assertEqual(self.elsewhere.stat().st_mode & 0o777, 0o700)
        shutil.rmtree(self.folder / "originals")
        with self.moved():
            self.assertEqual(self.looks(), before)
            # The original is there to be read otherwise, and the key knows who was erased.
            again = self.send("post", f"intakes/{log['id']}/columns", status=201)
            self.send("post", f"intakes/{again['id']}/count", status=202)
            self.assertEqual(self.looks(), before)
            self.assertFalse(Card.objects.filter(code="C").exists())

    def test_a_place_that_holds_something_stays_as_it_is(self):
        backup(self.file, self.folder)
        with self.assertRaisesRegex(Refused, "is not empty"):
            restore(self.file, self.folder)
        with self.assertRaisesRegex(Refused, "database of DATABASE_URL is not empty"):
            restore(self.file, self.elsewhere)
        self.assertFalse((self.elsewhere / "secret-key").exists())
        self.assertEqual(self.study.name, type(self.study).objects.get().name)
        with (
            (self.elsewhere / "running.lock").open("a") as lock,
            self.assertRaisesRegex(Refused, "Sortija runs in"),
        ):
            fcntl.flock(lock, fcntl.LOCK_EX)
            restore(self.file, self.elsewhere)

    def test_what_is_not_there_is_said(self):
        with self.assertRaisesRegex(Refused, "Nothing is kept in"):
            backup(self.file, self.elsewhere)
        with self.assertRaisesRegex(Refused, "There is no folder"):
            backup(self.folder / "no" / "such" / "file", self.folder)


class Damage(There):
    def setUp(self):
        super().setUp()
        self.upload(MEMBERS, "members.csv")
        backup(self.file, self.folder)
        self.data = self.file.read_bytes()

    def refused(self, data, words):
        self.file.write_bytes(data)
        with self.assertRaisesRegex(archive.Damaged, words):
            restore(self.file, self.elsewhere)
        left = {path.name for path in self.elsewhere.iterdir()}
        self.assertLessEqual(left, {"running.lock"})

    def test_every_damage_is_noticed_before_anything_is_written(self):
        self.refused(b"", "list is missing|cannot be read")
        self.refused(b"card,plan\nA,gold\n" * 100, "list is missing|cannot be read")
        self.refused(self.data[: len(self.data) // 2], "missing|cannot be read|damaged")
        for place in range(2048, len(self.data) - 10_240, len(self.data) // 9):
            flipped = bytearray(self.data)
            flipped[place] ^= 0xFF
            with self.subTest(place=place):
                self.refused(bytes(flipped), "missing|cannot be read|damaged|does not belong")

    def test_a_member_cannot_lead_out_of_the_folder(self):
        for name in ("../evil", "originals/../../evil", "/etc/evil", "other", "originals"):
            listed = [{"name": name, "size": 0, "sha256": ""}]
            head = json.dumps({"format": 1, "members": listed}).encode()
            told = self.folder / "list"
            told.write_bytes(head)
            with tarfile.open(self.file, "w") as tar:
                tar.add(told, "sortija.json")
            with self.subTest(name=name):
                self.refused(self.file.read_bytes(), "does not belong")
        told.write_bytes(json.dumps({"format": 99, "members": []}).encode())
        with tarfile.open(self.file, "w") as tar:
            tar.add(told, "sortija.json")
        self.refused(self.file.read_bytes(), "later Sortija")
