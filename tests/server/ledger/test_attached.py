"""Logs that stay where they lie: the same figures, new files alone, nothing of it in PostgreSQL."""

import csv
import os
import random
import shutil
from collections import defaultdict
from pathlib import Path
from unittest import mock

import pyarrow as pa
import pyarrow.parquet as pq
from django.conf import settings
from django.test import override_settings

from sortija.core.formats.places import PlaceError, fetch
from sortija.server.jobs.models import Job
from sortija.server.ledger.intake.attaching import look_at_attached
from sortija.server.ledger.models import Attachment, Card, Intake, Line, Original, ReceiptChunk
from sortija.server.ledger.store.ledger import _load, ledger_of
from sortija.server.studies.actions import start_study
from tests.object_store import ObjectStore
from tests.server.jobs.test_kills import MortalCase
from tests.server.support import SMALL, Demo, DemoCase, run_jobs

KEYS = {"AWS_ACCESS_KEY_ID": "moss", "AWS_SECRET_ACCESS_KEY": "gravel"}
FIELDS = ("measure:recency", "measure:frequency", "measure:monetary", "measure:tenure")


def small_log():
    """The head and the rows of the demo's log."""
    with (SMALL / "log.csv").open() as file:
        head, *rows = csv.reader(file, delimiter=";")
    return head, rows


class Attaching:
    """Before a kind of case: a study of its own beside the demo's, and a folder to attach."""

    def begin(self):
        self.place = self.folder / "logs" / "till"
        self.enterContext(override_settings(ATTACHABLE=[str(self.folder / "logs")]))
        self.enterContext(mock.patch.dict(os.environ, KEYS))
        self.brought_in, self.study = self.study, start_study(self.owner, "Attached")

    def quarters(self, where=None):
        """The demo's log, a folder a quarter, in the order in which it was written."""
        head, rows = small_log()
        parts, name = defaultdict(list), ""
        for row in rows:
            _, *told = row[2][:10].split("/")
            if len(told) == 2 and told[1] < "2027":  # a line without a date stays where it stands
                name = f"quarter={told[1]}-{(int(told[0]) + 2) // 3}"
            parts[name].append(row)
        for name, lines in parts.items():
            self.write(f"{name}/lines.csv", head, lines, where)
        return sorted(parts)

    def write(self, name, head, rows, where=None):
        path = (where or self.place) / name
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("w", newline="") as file:
            csv.writer(file, delimiter=";").writerows([head, *rows])
        return path

    def attach(self, url=""):
        intake = self.send("post", "attachments", {"url": url or str(self.place)}, 201)
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        self.bring_in((SMALL / "members.csv").read_text(), "members.csv")

    def attachment(self):
        (row,) = self.get("ledger")["attachments"]
        return row

    def look(self):
        number = Attachment.objects.get(study=self.study).pk
        told = self.send("post", f"attachments/{number}/look", status=202)
        run_jobs()
        return told["job"]

    def told(self, study):
        """What a study's screens say, whatever its files are called and numbered."""
        self.study, mine = study, self.study
        try:
            ledger = self.get("ledger")
            card = Card.objects.filter(study=study, code="M-000058").get()
            customer = self.get(f"customer/{card.number}")
            receipts = [
                {**receipt, "lines": sorted(
                    (line["item"], line["money"], line["reason"]) for line in receipt["lines"]
                )}
                for receipt in customer["receipts"]
            ]  # fmt: skip
            return {
                "customers": self.everyone(*FIELDS),
                "ledger": {key: ledger[key] for key in (
                    "rules", "steps", "lines", "money", "counted", "counted_total", "undated",
                    "balance",
                )},
                "sums": {**self.get("ledger/summaries"), "made_from": ""},
                "receipts": receipts,
            }  # fmt: skip
        finally:
            self.study = mine


class Attached(Attaching, DemoCase):
    def setUp(self):
        super().setUp()
        self.begin()

    def same(self):
        mine, theirs = self.told(self.study), self.told(self.brought_in)
        for key, value in theirs.items():
            self.assertEqual(mine[key], value, key)

    def test_files_of_text_tell_what_the_same_log_brought_in_tells(self):
        names = self.quarters()
        reviewed = self.send("post", "attachments", {"url": str(self.place)}, 201)
        self.assertEqual((reviewed["attached"], reviewed["of_files"]),
                         (str(self.place), len(names)))  # fmt: skip
        self.send("delete", f"intakes/{reviewed['id']}", status=204)
        self.attach()
        row = self.attachment()
        self.assertEqual((row["files"], row["there"]), (len(names), len(names)))
        self.same()
        lines = Line.objects.filter(intake__study=self.study).count()
        chunks = ReceiptChunk.objects.filter(intake__study=self.study).count()
        self.assertEqual((lines, chunks), (0, 0), "nothing of them is in PostgreSQL")
        # All of it came in by one step, which is taken back as one.
        self.assertEqual(self.send("post", "history/undo")["words"], "Imported members.csv")
        self.send("post", "history/undo")
        self.assertEqual(self.get("ledger")["attachments"], [])
        self.send("post", "history/redo")
        self.send("post", "history/redo")
        run_jobs()
        self.same()

    def test_parquet_in_a_store_with_a_column_that_only_folders_tell(self):
        head, rows = small_log()
        site = head.index("site")
        parts = defaultdict(list)
        for row in rows:
            parts[row[site]].append(row[:site] + row[site + 1 :])
        names = head[:site] + head[site + 1 :]
        for shop, lines in parts.items():
            path = self.folder / "store" / "sales" / "log" / f"site={shop.replace(' ', '%20')}"
            path.mkdir(parents=True)
            cells = {name: pa.array(cell) for name, cell in zip(names, zip(*lines, strict=True),
                                                                strict=True)}  # fmt: skip
            pq.write_table(pa.table(cells), path / "part-0.parquet")
        store = ObjectStore(self.folder / "store")
        self.addCleanup(store.close)
        with override_settings(ATTACHABLE=[store.url("sales")]):
            self.attach(store.url("sales/log"))
        self.assertEqual(self.attachment()["files"], len(parts))
        mine, theirs = self.told(self.study), self.told(self.brought_in)
        # Shops are numbered as they come, so that sums by shop stand in another order.
        self.assertEqual(mine["customers"], theirs["customers"])
        self.assertEqual(mine["ledger"], theirs["ledger"])
        self.assertEqual(mine["receipts"], theirs["receipts"])
        copies = (Path(settings.ORIGINALS) / str(self.study.pk)).glob("attached-*")
        self.assertEqual(list(copies), [], "copies go when they are read")

    def test_new_files_are_read_alone_and_changed_ones_anew(self):
        names = self.quarters(self.folder / "all")
        self.place.mkdir(parents=True)
        for name in names[:-1]:
            shutil.copytree(self.folder / "all" / name, self.place / name)
        self.attach()
        self.assertIsNone(self.look(), "there is nothing new")
        before = set(Intake.objects.filter(study=self.study).values_list("pk", flat=True))
        shutil.copytree(self.folder / "all" / names[-1], self.place / names[-1])
        self.assertEqual(self.look()["words"], f"Reading 1 new file of {self.place}")
        self.same()
        new = Intake.objects.filter(study=self.study).exclude(pk__in=before).get()
        self.assertEqual(new.original.name, f"{names[-1]}/lines.csv")
        whole = self.told(self.study)
        # One that was cut short and is put right again.
        path = self.place / names[0] / "lines.csv"
        text = path.read_text()
        path.write_text("".join(text.splitlines(keepends=True)[:50]))
        self.look()
        self.assertEqual(self.attachment()["lines"], whole["ledger"]["lines"] -
                         text.count("\n") + 50)  # fmt: skip
        path.write_text(text)
        look_at_attached()  # as the hour does
        run_jobs()
        self.assertEqual(self.told(self.study)["ledger"], whole["ledger"])
        self.send("post", "history/undo")
        self.send("post", "history/undo")
        run_jobs()
        self.assertEqual(self.told(self.study)["ledger"], whole["ledger"])
        self.assertIsNone(self.look(), "what was taken back is not new")
        # A file that went counts on, and the page says how many are there.
        path.unlink()
        self.assertIsNone(self.look())
        row = self.attachment()
        self.assertEqual((row["files"], row["there"]), (len(names), len(names) - 1))

    def test_files_of_numbers_that_were_lost_are_made_again_from_the_place(self):
        self.quarters()
        self.attach()
        before = self.told(self.study)
        _load.cache_clear()
        shutil.rmtree(settings.COLUMN_FILES)
        ledger_of(self.study).lines()
        self.assertEqual(self.told(self.study), before)
        _load.cache_clear()
        shutil.rmtree(settings.COLUMN_FILES)
        path = next(self.place.rglob("lines.csv"))
        path.write_text(path.read_text() + "\n")
        with self.assertRaisesRegex(Exception, "changed since it was listed"):
            ledger_of(self.study).lines()

    def test_who_was_erased_stays_erased_however_often_it_is_read(self):
        names = self.quarters()
        self.attach()
        card = Card.objects.get(study=self.study, code="M-000058")
        self.send("delete", f"customer/{card.number}", status=204)
        run_jobs()
        before = self.get("ledger")
        cards = Card.objects.filter(study=self.study).count()
        _load.cache_clear()
        shutil.rmtree(settings.COLUMN_FILES)
        ledger_of(self.study).lines()
        self.assertEqual(self.get("ledger")["rules"], before["rules"])
        path = self.place / names[0] / "lines.csv"
        path.write_text(path.read_text() + "\n")
        self.look()
        self.assertEqual(Card.objects.filter(study=self.study).count(), cards)
        self.assertFalse(Card.objects.filter(study=self.study, code="M-000058").exists())
        self.assertIn("has to take them out there", self.attachment()["note"])

    def test_a_file_unlike_the_others_is_told_and_the_others_count(self):
        names = self.quarters()
        self.write(f"{names[1]}/odd.csv", ["card", "points"], [["M-000001", "5"]])
        self.attach()
        self.assertEqual(self.attachment()["files"], len(names))
        failed = [i for i in self.get("ledger")["intakes"] if i["state"] == "failed"]
        self.assertEqual([i["name"] for i in failed], [f"{names[1]}/odd.csv"])
        self.assertIn("has no column called", failed[0]["error"])
        self.same()
        for name in ("two.csv", "three.csv", "four.csv"):
            self.write(f"{names[1]}/{name}", ["card", "points"], [["M-000001", "5"]])
        self.look()
        job = Job.objects.filter(study=self.study.pk, kind="ledger.intake").latest("pk")
        self.assertIn("3 files of", job.error)
        for intake in self.get("ledger")["intakes"]:
            if intake["state"] == "failed":
                self.send("delete", f"intakes/{intake['id']}", status=204)
        self.assertIsNone(self.look(), "what was discarded is not new")
        self.assertFalse([i for i in self.get("ledger")["intakes"] if i["state"] == "failed"])
        self.same()

    def test_a_place_that_goes_away_in_between_is_said_and_read_later(self):
        names = self.quarters()
        asked = []

        def away(*said):
            asked.append(said)
            if len(asked) > 6:
                raise PlaceError("The store does not answer.")
            return fetch(*said)

        with mock.patch("sortija.server.ledger.intake.attached.fetch", away):
            self.attach()
        row = self.attachment()
        self.assertLess(row["files"], len(names))
        self.assertEqual(row["trouble"], "The store does not answer.")
        self.assertFalse([i for i in self.get("ledger")["intakes"] if i["state"] == "failed"])
        self.look()
        row = self.attachment()
        self.assertEqual((row["files"], row["trouble"]), (len(names), ""))
        self.same()

    def test_places_that_may_not_be_attached_are_not_looked_at(self):
        self.quarters()
        (self.folder / "logs" / "way").symlink_to(self.folder)
        for url, words in (
            (str(self.folder), "is not there"),
            (f"{self.folder}/logs/../originals", "is not there"),
            (f"{self.folder}/logs/way", "is not there"),
            (f"{self.folder}/logs/none", "There is nothing at"),
        ):
            with self.subTest(url):
                told = self.send("post", "attachments", {"url": url}, 400)
                self.assertIn(words, told["detail"])
        with override_settings(ATTACHABLE=[]):
            told = self.send("post", "attachments", {"url": str(self.place)}, 400)
        self.assertIn("SORTIJA_ATTACH", told["detail"])
        self.assertFalse(Attachment.objects.exists() or Original.objects.exclude(
            study=self.brought_in).exists())  # fmt: skip

    def test_attached_once_detached_and_discarded(self):
        self.quarters()
        review = self.send("post", "attachments", {"url": str(self.place)}, 201)
        told = self.send("post", "attachments", {"url": str(self.place)}, 409)
        self.assertIn("is attached already", told["detail"])
        told = self.send("put", f"intakes/{review['id']}/role", {"role": "members"}, 400)
        self.assertIn("What is attached is a log", told["detail"])
        self.send("delete", f"intakes/{review['id']}", status=204)
        self.assertFalse(Attachment.objects.exists())
        self.attach()
        before = self.told(self.study)
        self.send("delete", f"attachments/{self.attachment()['id']}", status=204)
        self.assertEqual(self.get("ledger")["status"]["state"], "empty")
        self.send("post", "history/undo")
        run_jobs()
        self.assertEqual(self.told(self.study), before)
        reader = self.signed_in(self.person("rowan"))
        self.send("post", "attachments", {"url": str(self.place)}, 404, client=reader)


class Killed(Attaching, Demo, MortalCase):
    def count_the_demo(self):
        for name in ("log.csv", "members.csv"):
            self.bring_in((SMALL / name).read_text(), name)

    def test_workers_that_die_while_files_are_read_lose_and_double_nothing(self):
        self.begin()
        names = self.quarters()
        intake = self.send("post", "attachments", {"url": str(self.place)}, 201)
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        killed = self.done(random.Random(7), 12)
        self.assertGreater(killed, 2)
        self.bring_in((SMALL / "members.csv").read_text(), "members.csv")
        self.assertEqual(self.attachment()["files"], len(names))
        mine, theirs = self.told(self.study), self.told(self.brought_in)
        self.assertEqual(mine["ledger"], theirs["ledger"])
        self.assertEqual(mine["customers"], theirs["customers"])
