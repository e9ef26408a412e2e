"""Who is erased leaves the files that came in, the lists and the history too."""

import gzip
from datetime import timedelta
from unittest import mock

from django.test import override_settings
from django.utils import timezone

from sortija.server.jobs import upkeep
from sortija.server.jobs.models import Job
from sortija.server.ledger.intake.retention import sweep_originals
from sortija.server.ledger.intake.uploads import path_of
from sortija.server.ledger.models import Card, Intake, Original
from tests.server.support import LOG, MEMBERS, ServerCase, run_jobs

HEADS = """receipt,card,sold_at,clerk
1,ZZ17,2026-01-10 10:00,who served ZZ17
2,B,2026-02-11 10:00,another
3,ZZ17,2026-03-12 10:00,who served ZZ17
"""
LINES = """receipt,item,department,qty,price,total
1,101,Seeds,1,10.00,10.00
1,102,Pots,2,5.00,10.00
2,101,Seeds,1,10.00,10.00
3,101,Seeds,3,10.00,30.00
"""
NAMED = LOG.replace(",A,", ",ZZ17,")
TABLE = MEMBERS.replace("\nA,", "\nZZ17,").replace("a@example", "zz17@example")
FIELDS = ("measure:recency", "measure:frequency", "measure:monetary")


class Forgetting(ServerCase):
    def everything(self):
        """All that is kept in files, as one text."""
        parts = []
        for path in sorted((self.folder / "originals").rglob("*")):
            if path.is_file():
                data = path.read_bytes()
                parts.append(gzip.decompress(data) if data[:2] == b"\x1f\x8b" else data)
        return b"\n".join(parts).decode("utf-8", "replace")

    def erase(self, code="ZZ17"):
        number = Card.objects.get(study=self.study, code=code).number
        self.send("delete", f"customer/{number}", status=204)
        run_jobs()
        self.assertEqual(set(Job.objects.values_list("state", flat=True)), {Job.DONE})
        return number

    def figures(self):
        run_jobs()
        self.get("measures", to="2026-06-30")
        run_jobs()
        page = self.get("ledger")
        return list(self.everyone(*FIELDS, to="2026-06-30").values()), page["counted_total"]

    def test_both_files_are_written_anew_and_read_back_with_the_same_figures(self):
        log, table = self.bring_in(NAMED, "log.csv"), self.bring_in(TABLE, "members.csv")
        before = self.figures()
        self.assertIn("ZZ17", self.everything())
        self.erase()
        self.assertNotIn("ZZ17", self.everything())
        self.assertNotIn("zz17@example", self.everything())
        self.assertIn("b@example", self.everything())
        self.assertEqual(self.figures(), before)
        for intake in (log, table):
            now = self.get(f"intakes/{intake['id']}")
            self.assertIn("without people who were erased", now["note"])
            again = self.send("post", f"intakes/{intake['id']}/columns", status=201)
            self.send("post", f"intakes/{again['id']}/count", status=202)
        self.assertEqual(self.figures(), before)
        self.assertEqual(Card.objects.filter(study=self.study, code="").count(), 1)

    def test_the_same_file_again_is_still_known_and_a_later_one_is_written_anew_too(self):
        self.bring_in(NAMED, "log.csv")
        self.erase()
        upload = self.upload(NAMED, "log.csv")
        refused = self.send("post", "intakes", {"upload": upload, "role": "log"}, 409)
        self.assertIn("is already in", refused["detail"])
        later = (
            NAMED.splitlines()[0] + "\n77,ZZ17,2026-06-21 10:00,North,till,101,Seeds,1,1,1,sale\n"
        )
        self.bring_in(later, "later.csv")
        run_jobs()
        kept = path_of(Original.objects.get(name="later.csv")).read_text()
        self.assertNotIn("ZZ17", kept)
        self.assertIn("erased-", kept)

    def test_heads_of_receipts_in_a_file_of_their_own(self):
        upload = self.upload(HEADS, "heads.csv")
        self.send("post", "intakes", {"upload": upload, "role": "log"}, 201)
        upload = self.upload(LINES, "lines.csv")
        intake = self.send("post", "intakes", {"upload": upload, "role": "log"}, 201)
        self.assertEqual(intake["heads"], "heads.csv")
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        before = self.figures()
        self.erase()
        self.assertNotIn("ZZ17", self.everything())
        again = self.send("post", f"intakes/{intake['id']}/columns", status=201)
        self.send("post", f"intakes/{again['id']}/count", status=202)
        self.assertEqual(self.figures(), before)

    def test_a_job_that_died_half_way_is_done_again(self):
        self.bring_in(NAMED, "log.csv")
        original = Original.objects.get()
        former = path_of(original)
        self.erase()
        former.write_text(NAMED)  # as if the old file had still been there when the worker died
        Original.objects.update(replaced=former.name)
        Job.objects.filter(kind="ledger.forget").delete()
        upload = self.upload("card,plan\nB,gold\n", "other.csv")
        self.send("post", "intakes", {"upload": upload, "role": "members"}, 201)
        self.send("post", f"intakes/{Intake.objects.latest('id').pk}/count", status=202)
        run_jobs()
        self.assertFalse(former.exists())
        self.assertEqual(Original.objects.get(name="log.csv").replaced, "")

    def test_the_history_names_no_erased_card(self):
        self.bring_in(NAMED, "log.csv")
        other = Card.objects.get(code="B").number
        self.send("post", f"customer/{other}/cards", {"code": "ZZ17"})
        words = [entry["words"] for entry in self.get("history")["entries"]]
        self.assertTrue(any("ZZ17" in text for text in words))
        self.send("delete", f"customer/{other}", status=204)
        words = [entry["words"] for entry in self.get("history")["entries"]]
        self.assertFalse(any("ZZ17" in text for text in words))

    def test_a_file_that_is_put_aside_goes(self):
        upload = self.upload(TABLE, "members.csv")
        intake = self.send("post", "intakes", {"upload": upload, "role": "members"}, 201)
        self.assertIn("ZZ17", self.everything())
        self.send("delete", f"intakes/{intake['id']}", status=204)
        self.assertEqual(self.everything(), "")
        self.assertFalse(Original.objects.exists())


class Retention(ServerCase):
    def test_originals_go_after_their_time_and_what_was_counted_stays(self):
        log = self.bring_in(LOG, "log.csv")
        waiting = self.upload(MEMBERS, "members.csv")
        self.send("post", "intakes", {"upload": waiting, "role": "members"}, 201)
        total = self.get("ledger")["counted_total"]
        long_ago = timezone.now() - timedelta(days=40)
        Original.objects.update(begun_at=long_ago)
        Intake.objects.filter(pk=log["id"]).update(counted_at=long_ago)
        path = path_of(Original.objects.get(name="log.csv"))
        sweep_originals()
        self.assertTrue(path.exists())
        with override_settings(KEEP_ORIGINALS=60):
            sweep_originals()
        self.assertTrue(path.exists())
        with override_settings(KEEP_ORIGINALS=30):
            sweep_originals()
        self.assertFalse(path.exists())
        self.assertTrue(path_of(Original.objects.get(name="members.csv")).exists())
        self.assertIn("removed 30 days after", self.get(f"intakes/{log['id']}")["note"])
        self.assertEqual(self.get("ledger")["counted_total"], total)
        again = self.send("post", f"intakes/{log['id']}/columns", status=201)
        self.send("post", f"intakes/{again['id']}/count", status=202)
        run_jobs()
        self.assertIn("no longer here", self.get(f"intakes/{again['id']}")["error"])

    def test_once_an_hour_and_one_that_fails_stops_no_other(self):
        done = []

        def fails():
            raise ZeroDivisionError

        tasks = {"fails": fails, "works": lambda: done.append(1)}
        self.enterContext(mock.patch.dict(upkeep._TASKS, tasks, clear=True))
        self.enterContext(mock.patch.object(upkeep, "_last", []))
        with self.assertLogs("sortija.server.jobs.upkeep", "ERROR"):
            upkeep.look_after()
        upkeep.look_after()
        self.assertEqual(done, [1])
