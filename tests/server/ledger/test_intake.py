"""Files are imported whole, once, and can be removed."""

import errno
import os
import shutil
import signal
import threading
from pathlib import Path
from unittest import mock

import numpy as np
from django.conf import settings
from django.db import connection
from psycopg.errors import DiskFull

from sortija.demo.files import write_demo
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import recover
from sortija.server.ledger.intake import reading
from sortija.server.ledger.intake.uploads import path_of, take_file
from sortija.server.ledger.models import Card, Intake, Line, Original, ReceiptChunk
from sortija.server.ledger.store import build, line_files
from sortija.server.ledger.store.ledger import _load, ledger_of
from sortija.server.studies.models import Column
from tests.server.support import LOG, ServerCase, WorkerCase, run_jobs


class Uploading(ServerCase):
    def test_parts_can_come_twice_but_not_leave_a_gap(self):
        begun = self.send("post", "uploads", {"name": "x.csv", "size": 10}, 201)
        url = self.url(f"uploads/{begun['id']}/parts")

        def put(offset, data):
            kind = "application/octet-stream"
            return self.client.put(f"{url}?offset={offset}", data, content_type=kind)

        self.assertEqual(put(0, b"a,b\n1").json()["received"], 5)
        self.assertEqual(put(0, b"a,b\n1").json()["received"], 5)
        gap = put(7, b"...")
        self.assertEqual(gap.status_code, 409)
        self.assertEqual(gap.json()["received"], 5)
        self.assertEqual(put(5, b"2" * 9).status_code, 400)
        self.assertTrue(put(5, b",2\n3\n").json()["whole"])
        original = Original.objects.get(pk=begun["id"])
        self.assertEqual(path_of(original).read_bytes(), b"a,b\n1,2\n3\n")
        self.assertEqual(original.lines, 3)

    def test_a_file_larger_than_the_disk_is_refused(self):
        problem = self.send("post", "uploads", {"name": "x.csv", "size": 1 << 50}, 413)
        self.assertIn("Make room", problem["detail"])

    def test_half_a_file_is_not_reviewed(self):
        begun = self.send("post", "uploads", {"name": "x.csv", "size": 10}, 201)
        problem = self.send("post", "intakes", {"upload": begun["id"]}, 400)
        self.assertIn("not come in whole", problem["detail"])


class Counting(ServerCase):
    def test_log_and_members(self):
        log, members = self.both_files()
        self.assertEqual(log["report"]["lines"], 12)
        self.assertEqual(members["report"]["customers"], 4)
        self.assertEqual(Line.objects.filter(intake_id=log["id"]).count(), 12)
        (chunk,) = ReceiptChunk.objects.filter(intake_id=log["id"])
        lines = np.frombuffer(chunk.lines, "<i4").tolist()
        self.assertEqual(lines, [2, 1, 2, 1, 1, 1, 1, 1, 1, 1])
        self.assertEqual(
            list(Card.objects.order_by("number").values_list("code", "address")),
            [(c, f"{c.lower()}@example.org") for c in "ABCD"],
        )
        self.study.refresh_from_db()
        self.assertEqual(self.study.scale, 2)

    def test_the_same_bytes_are_recognised(self):
        self.bring_in(LOG, "log.csv")
        upload = self.upload(LOG, "copy of log.csv", part=1 << 20)
        problem = self.send("post", "intakes", {"upload": upload}, 409)
        self.assertIn("already in", problem["detail"])
        self.assertEqual(Line.objects.count(), 12)

    def test_an_overlapping_export_counts_once(self):
        self.bring_in(LOG, "june.csv")
        before = self.get("ledger")
        head, *rows = LOG.splitlines()
        later = [head, *rows[6:8], "10,D,2026-06-29,South,till,102,Pots,1,5.50,5.50,sale", ""]
        self.bring_in("\n".join(later), "july.csv")
        after = self.get("ledger")
        self.assertEqual(after["counted_total"] - before["counted_total"], 550)
        twice = next(r for r in after["rules"] if r["key"] == "twice")
        self.assertEqual(twice["lines"], 3)

    def test_a_corrected_mapping_is_what_is_read_and_is_remembered(self):
        text = LOG.replace("sold_at", "sold").replace("qty", "n").replace("total", "sum_gross")
        upload = self.upload(text, "log.csv", part=1 << 20)
        intake = self.send("post", "intakes", {"upload": upload}, 201)
        mapping = intake["mapping"]
        mapping["roles"].pop("department")
        changed = self.send("put", f"intakes/{intake['id']}", {"mapping": mapping})
        roles = {c["column"]: c["role"] for c in changed["columns"]}
        self.assertEqual(roles["department"], "out")
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        self.assertFalse(Line.objects.exclude(department=-1).exists())
        second = self.upload(
            text + "11,D,2026-06-29,South,till,102,Pots,1,5,5,sale\n", "next.csv", 1 << 20
        )
        again = self.send("post", "intakes", {"upload": second}, 201)
        self.assertNotIn("department", again["mapping"]["roles"])

    def test_what_a_file_is_can_be_corrected(self):
        """Taken for a table, then for a log again, its columns named one after the other."""
        head = "Beleg;Kunde;Datum;Warengruppe;Menge;Betr. EUR\n"
        lines = [
            f"{90000 + n};K{n % 7};{1 + n % 28:02d}.03.2026;Stauden;{1 + n % 3};{n},{n % 10}5\n"
            for n in range(60)
        ]
        upload = self.upload(head + "".join(lines), "kasse.csv")
        intake = self.send("post", "intakes", {"upload": upload}, 201)
        self.assertEqual(intake["role"], "log")
        self.send("put", f"intakes/{intake['id']}/role", {"role": "shoes"}, 400)
        path = f"intakes/{intake['id']}"
        table = self.send("put", f"{path}/role", {"role": "members"})
        self.assertEqual((table["role"], table["revision"]), ("members", intake["revision"] + 1))
        read = self.send("put", f"{path}/role", {"role": "log"})
        self.assertEqual(read["mapping"], intake["mapping"])
        roles = {"receipt": "Beleg", "customer": "Kunde", "moment": "Datum", "quantity": "Menge",
                 "department": "Warengruppe", "money": "Betr. EUR"}  # fmt: skip
        mapping = {**read["mapping"], "roles": {}, "month_first": False}
        for role, words in (("receipt", "the customer or card"), ("customer", "the date"),
                            ("moment", "the line total"), ("department", "the line total"),
                            ("quantity", "the line total"), ("money", "")):  # fmt: skip
            mapping["roles"][role] = roles[role]  # one after the other, as by hand
            answer = self.send("put", path, {"mapping": mapping})
            lacks, missing = (
                answer["lacks"],
                [n["words"] for n in answer["needs"] if not n["column"]],
            )
            self.assertIn(words, lacks)
            self.assertEqual(bool(missing), bool(lacks))
        self.assertEqual(lacks, "")
        self.send("post", f"{path}/count", status=202)
        run_jobs()
        self.assertEqual(self.get(path)["state"], "counted")
        cents = sum(100 * n + 10 * (n % 10) + 5 for n in range(60))
        page = self.get("ledger")
        self.assertEqual((page["lines"], page["counted_total"]), (60, cents))
        refused = self.send("put", f"{path}/role", {"role": "members"}, 400)["detail"]
        self.assertIn("Remove it first", refused)

    def test_how_the_text_is_written_is_shown_and_can_be_changed(self):
        rows = "".join(f"{n};A;2026-03-{n:02d};Łopata mała;3.20\n" for n in range(1, 29))
        text = f"receipt;card;sold_at;item;total\n{rows}"
        upload = self.upload(text.encode("cp1250"), "sklep.csv", part=1 << 20)
        review = self.send("post", "intakes", {"upload": upload, "role": "log"}, 201)
        self.assertEqual(review["encoding"], "cp1250")
        self.assertIn("cp1252", [each["key"] for each in review["encodings"]])
        cells = next(c for c in review["columns"] if c["column"] == "item")["cells"]
        self.assertEqual(cells[0], "Łopata mała")
        path = f"intakes/{review['id']}/encoding"
        other = self.send("put", path, {"encoding": "cp1252"})
        cells = next(c for c in other["columns"] if c["column"] == "item")["cells"]
        self.assertEqual((other["encoding"], cells[0]), ("cp1252", "£opata ma³a"))
        self.assertIn("one of these", self.send("put", path, {"encoding": "cp0"}, 400)["detail"])
        self.send("put", path, {"encoding": "cp1250"})
        self.send("post", f"intakes/{review['id']}/count", status=202)
        run_jobs()
        again = self.send("post", f"intakes/{review['id']}/columns", status=201)
        self.assertEqual(again["encoding"], "cp1250")
        words = self.send("put", f"intakes/{again['id']}/encoding", {"encoding": "cp1252"}, 400)
        self.assertIn("counts as it was read", words["detail"])

    def test_a_mapping_that_makes_no_sense_is_refused_with_a_sentence(self):
        upload = self.upload(LOG, "log.csv", part=1 << 20)
        intake = self.send("post", "intakes", {"upload": upload}, 201)
        for mapping, words in (
            ({"roles": {"customer": "nobody"}}, "no column called nobody"),
            ({"colour": 3}, "mapping.colour: Extra inputs"),
        ):
            problem = self.send("put", f"intakes/{intake['id']}", {"mapping": mapping}, 400)
            self.assertIn(words, problem["detail"])
        half = {"mapping": {"roles": {"moment": "sold_at"}}}
        self.assertIn(
            "customer or card", self.send("put", f"intakes/{intake['id']}", half)["lacks"]
        )
        problem = self.send("post", f"intakes/{intake['id']}/count", status=400)
        self.assertIn("customer or card", problem["detail"])

    def test_what_is_no_table_is_refused_at_review(self):
        upload = self.upload("only words\nand more\n", "notes.txt")
        problem = self.send("post", "intakes", {"upload": upload}, 400)
        self.assertIn("notes.txt", problem["detail"])
        self.assertEqual(Intake.objects.count(), 0)

    def test_reading_that_fails_leaves_nothing(self):
        upload = self.upload(LOG, "log.csv", part=1 << 20)
        intake = self.send("post", "intakes", {"upload": upload}, 201)
        path_of(Original.objects.get(pk=upload)).unlink()
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        row = self.get(f"intakes/{intake['id']}")
        self.assertEqual(row["state"], "failed")
        self.assertIn("Upload it again", row["error"])
        self.assertEqual((Line.objects.count(), Card.objects.count()), (0, 0))
        self.assertEqual(self.get("ledger")["status"]["state"], "failed")

    def test_lost_files_are_made_again_from_the_database(self):
        self.both_files()
        before, lines = self.get("ledger"), self.get("ledger/lines")
        measures = self.get("measures", to="2026-05-31")
        _load.cache_clear()
        shutil.rmtree(settings.COLUMN_FILES)
        self.assertEqual(self.get("measures", to="2026-05-31"), measures)
        ledger_of(self.study).lines()
        self.assertEqual(self.get("ledger"), before)
        self.assertEqual(self.get("ledger/lines"), lines)

    def test_ordering_in_small_parts_gives_the_same(self):
        self.both_files()
        before, lines = self.get("ledger"), self.get("ledger/lines")
        measures = self.get("measures", to="2026-06-30", back="24")
        for size in (1, 3):
            _load.cache_clear()
            shutil.rmtree(settings.COLUMN_FILES)
            with (
                mock.patch.object(build, "PART_LINES", size),
                mock.patch.object(line_files, "PIECE", 2),
            ):
                ledger_of(self.study).lines()
            Column.objects.exclude(name__startswith="trait:").delete()
            self.assertEqual(self.get("ledger"), before)
            self.assertEqual(self.get("ledger/lines"), lines)
            self.assertEqual(self.get("measures", to="2026-06-30", back="24"), measures)

    def test_removal_and_undo(self):
        log, _ = self.both_files()
        self.send("delete", f"intakes/{log['id']}", status=204)
        self.assertEqual(self.get("ledger")["status"]["state"], "empty")
        self.assertEqual(self.send("post", "history/undo")["words"], "Removed log.csv")
        self.assertEqual(self.get("ledger")["lines"], 12)
        self.send("post", "history/redo")
        self.assertEqual(self.get("ledger")["status"]["state"], "empty")


class Killed(WorkerCase):
    """A worker that dies in the middle of reading: nothing lost, half done or doubled."""

    def test_kill_during_intake(self):
        demo = write_demo(self.folder / "demo", members=12_000)
        original = take_file(self.study, demo.log)
        intake = self.send("post", "intakes", {"upload": original.pk}, 201)
        job = self.send("post", f"intakes/{intake['id']}/count", status=202)
        first = self.worker()
        self.wait(lambda: Job.objects.get(pk=job["id"]).done > 0)
        os.kill(first.pid, signal.SIGKILL)
        first.wait()
        self.assertEqual(Line.objects.count(), 0)
        self.assertEqual(Job.objects.get(pk=job["id"]).state, Job.RUNNING)
        self.wait(lambda: recover() == 1)
        second = self.worker()
        try:
            self.wait(lambda: Job.objects.get(pk=job["id"]).state == Job.DONE)
        finally:
            second.terminate()
            second.wait(20)
        self.assertEqual(Line.objects.count(), demo.lines)
        self.assertEqual(Job.objects.get(pk=job["id"]).attempt, 2)
        self.assertEqual(self.get("ledger")["lines"], demo.lines)
        self.assertEqual(recover(), 0)

    def test_cancel_during_intake(self):
        demo = write_demo(self.folder / "demo", members=12_000)
        original = take_file(self.study, demo.log)
        intake = self.send("post", "intakes", {"upload": original.pk}, 201)
        job = self.send("post", f"intakes/{intake['id']}/count", status=202)
        worker = self.worker()
        try:
            self.wait(lambda: Job.objects.get(pk=job["id"]).done > 0)
            self.send("post", f"jobs/{job['id']}/cancel")
            self.wait(lambda: Job.objects.get(pk=job["id"]).state == Job.CANCELLED, 10)
        finally:
            worker.terminate()
            worker.wait(20)
        self.assertEqual(Line.objects.count(), 0)
        self.assertEqual(self.get(f"intakes/{intake['id']}")["state"], "review")

    def test_the_database_restarts_during_intake(self):
        """Every connection of the worker breaks, as in a restart; the same process goes on."""
        demo = write_demo(self.folder / "demo", members=12_000)
        original = take_file(self.study, demo.log)
        intake = self.send("post", "intakes", {"upload": original.pk}, 201)
        job = self.send("post", f"intakes/{intake['id']}/count", status=202)
        worker = self.worker()
        try:
            self.wait(lambda: Job.objects.get(pk=job["id"]).done > 0)
            with connection.cursor() as cursor:
                cursor.execute(
                    "SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity "
                    "WHERE datname = current_database() AND pid <> pg_backend_pid()"
                )
                self.assertGreater(cursor.fetchone()[0], 1)
            self.assertEqual(Line.objects.count(), 0)
            self.wait(lambda: Job.objects.get(pk=job["id"]).state == Job.DONE)
            self.assertIsNone(worker.poll())
        finally:
            worker.terminate()
            worker.wait(20)
        self.assertEqual(Line.objects.count(), demo.lines)
        self.assertEqual(self.get("ledger")["lines"], demo.lines)


class Unlucky(ServerCase):
    """What a machine does to an intake: nothing half done, and a sentence that says what to do."""

    def count(self, intake):
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        return self.get(f"intakes/{intake['id']}")

    def test_the_disk_is_full(self):
        upload = self.upload(LOG, "log.csv")
        review = self.send("post", "intakes", {"upload": upload}, 201)
        full = OSError(errno.ENOSPC, "No space left on device")
        for what in (
            mock.patch.object(line_files.LineWriter, "add", side_effect=full),
            mock.patch.object(reading, "copy_in", side_effect=DiskFull("could not extend file")),
        ):
            with what:
                broken = self.count(review)
            self.assertEqual(broken["state"], "failed")
            self.assertIn("The disk is full; nothing of the file was counted", broken["error"])
            self.assertEqual((Line.objects.count(), Card.objects.count()), (0, 0))
        self.assertEqual(self.count(review)["state"], "counted")
        self.assertEqual(self.get("ledger")["lines"], 12)

    def test_the_disk_fills_up_during_an_upload(self):
        begun = self.send("post", "uploads", {"name": "log.csv", "size": len(LOG)}, 201)
        path = self.url(f"uploads/{begun['id']}/parts?offset=0")
        full = OSError(errno.ENOSPC, "No space left on device")
        with mock.patch.object(Path, "open", side_effect=full):
            answer = self.client.put(path, LOG.encode(), content_type="application/octet-stream")
        self.assertEqual(answer.status_code, 507)
        self.assertIn("goes on where it is", answer.json()["detail"])
        answer = self.client.put(path, LOG.encode(), content_type="application/octet-stream")
        self.assertTrue(answer.json()["whole"])

    def test_an_upload_that_broke_off_goes_on(self):
        asked = {"name": "log.csv", "size": len(LOG), "modified": 1_770_000_000_000}
        first = self.send("post", "uploads", asked, 201)
        path = self.url(f"uploads/{first['id']}/parts?offset=0")
        self.client.put(path, LOG[:100].encode(), content_type="application/octet-stream")
        again = self.send("post", "uploads", asked, 201)
        self.assertEqual((again["id"], again["received"]), (first["id"], 100))
        path = self.url(f"uploads/{first['id']}/parts?offset=100")
        whole = self.client.put(path, LOG[100:].encode(), content_type="application/octet-stream")
        self.assertTrue(whole.json()["whole"])
        # A file that was changed meanwhile, or is whole by now, begins anew.
        for other in ({**asked, "modified": 1_770_000_000_001}, asked, {**asked, "modified": 0}):
            begun = self.send("post", "uploads", other, 201)
            self.assertEqual(begun["received"], 0)
            self.assertNotEqual(begun["id"], first["id"])

    def test_the_same_file_twice_at_the_same_moment(self):
        uploads = [self.upload(LOG, name) for name in ("log.csv", "copy.csv")]
        gate = threading.Barrier(2)
        answers = []

        def review(upload):
            client = self.signed_in(self.owner)
            gate.wait()
            answers.append(client.post(self.url("intakes"), {"upload": upload}, format="json"))
            connection.close()

        threads = [threading.Thread(target=review, args=(upload,)) for upload in uploads]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual({answer.status_code for answer in answers}, {201})
        self.assertEqual(len({answer.json()["id"] for answer in answers}), 1)
        self.assertEqual(Intake.objects.count(), 1)
