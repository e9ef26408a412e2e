"""Logs in any shape through the real door: the same ledger, notes kept, what is unclear asked."""

import gzip
import io
import zipfile

import pyarrow as pa
import pyarrow.parquet as pq
from openpyxl import Workbook

from sortija.server.ledger.models import Intake, Line
from tests.server.support import LOG, MEMBERS, ServerCase, run_jobs


def _cells():
    return [row.split(",") for row in LOG.splitlines()]


def _zip(data):
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("log.csv", data)
    return buffer.getvalue()


def _workbook(rows):
    book = Workbook()
    for row in rows:
        book.active.append([cell if cell else None for cell in row])
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def _parquet():
    head, *rows = _cells()
    sink = pa.BufferOutputStream()
    columns = {name: [row[n] for row in rows] for n, name in enumerate(head)}
    pq.write_table(pa.table(columns), sink)
    return sink.getvalue().to_pybytes()


class Shapes(ServerCase):
    def bring(self, data, name, role="", status=201):
        begun = self.send("post", "uploads", {"name": name, "size": len(data)}, 201)
        url = self.url(f"uploads/{begun['id']}/parts?offset=0")
        kind = "application/octet-stream"
        self.assertEqual(self.client.put(url, data, content_type=kind).status_code, 200)
        return self.send("post", "intakes", {"upload": begun["id"], "role": role}, status)

    def count(self, intake, status=202):
        return self.send("post", f"intakes/{intake['id']}/count", status=status)

    def test_every_shape_gives_the_same_ledger(self):
        totals = set()
        shapes = (
            (LOG.encode(), "log.csv"),
            (gzip.compress(LOG.encode()), "log.csv.gz"),
            (_zip(LOG), "log.zip"),
            (LOG.encode("utf-16"), "utf16.csv"),
            (_workbook(_cells()), "log.xlsx"),
            (_parquet(), "log.parquet"),
        )
        for data, name in shapes:
            intake = self.bring(data, name)
            self.assertEqual(intake["role"], "log", name)
            self.count(intake)
            run_jobs()
            page = self.get("ledger")
            rules = [(rule["lines"], rule["money"]) for rule in page["rules"]]
            totals.add((page["lines"], page["counted_total"], *rules))
            self.assertEqual(Line.objects.filter(intake_id=intake["id"]).count(), 12, name)
            self.send("delete", f"intakes/{intake['id']}", status=204)
        self.assertEqual(len(totals), 1, totals)

    def test_members_from_a_workbook(self):
        rows = [row.split(",") for row in MEMBERS.splitlines()]
        intake = self.bring(_workbook(rows), "members.xlsx")
        self.assertEqual(intake["role"], "members")
        self.count(intake)
        run_jobs()
        self.assertEqual(self.get(f"intakes/{intake['id']}")["report"]["customers"], 4)

    def test_notes_are_shown_in_review_and_kept(self):
        intake = self.bring(b"Weekly export\n\n" + LOG.encode(), "log.csv")
        self.assertIn("2 lines above the table", intake["notes"][0])
        self.count(intake)
        run_jobs()
        report = self.get(f"intakes/{intake['id']}")["report"]
        self.assertEqual(report["notes"], intake["notes"])

    def test_two_orders_of_a_date_are_asked(self):
        rows = [f"{n},C{n % 7},0{1 + n % 6}/0{2 + n % 7}/2026,1.00" for n in range(60)]
        data = "receipt,card,date,total\n" + "\n".join(rows) + "\n"
        intake = self.bring(data.encode(), "log.csv")
        self.assertIsNone(intake["mapping"]["month_first"])
        self.assertEqual(intake["two_orders"], ["01/02/2026", "2026-02-01", "2026-01-02"])
        self.assertIn("day first or month first", self.count(intake, 400)["detail"])
        self.assertEqual(Intake.objects.get(pk=intake["id"]).state, "review")
        # Other columns can be corrected before the question is answered.
        roles = {**intake["mapping"]["roles"]}
        changed = {**intake["mapping"], "roles": roles}
        self.send("put", f"intakes/{intake['id']}", {"mapping": changed})
        chosen = {**changed, "month_first": True}
        self.send("put", f"intakes/{intake['id']}", {"mapping": chosen})
        self.count(intake)
        run_jobs()
        first = Line.objects.order_by("number").first()
        self.assertEqual(first.day.isoformat(), "2026-01-02")
        # Next month's file of the same shape is not asked again.
        again = self.bring(data.replace("1.00", "2.00").encode(), "next.csv")
        self.assertTrue(again["mapping"]["month_first"])

    def test_one_plain_date_settles_it(self):
        rows = [f"{n},C{n % 7},0{1 + n % 6}/{2 + n % 20:02d}/2026,1.00" for n in range(60)]
        data = "receipt,card,date,total\n" + "\n".join(rows) + "\n"
        intake = self.bring(data.encode(), "log.csv")
        self.assertEqual((intake["mapping"]["month_first"], intake["two_orders"]), (True, []))

    def test_the_customer_is_who_is_known_here(self):
        self.bring_in(MEMBERS, "members.csv")
        rows = [
            f"{n},{'ABCD'[n % 4]},{100 + n % 9},2026-03-{1 + n % 28:02d},1.00" for n in range(80)
        ]
        data = "x1,x2,x3,x4,total\n" + "\n".join(rows) + "\n"
        intake = self.bring(data.encode(), "dump.csv", "log")
        roles = intake["mapping"]["roles"]
        self.assertEqual((roles["customer"], roles["moment"]), ("x2", "x4"))
        reason = next(c["reason"] for c in intake["columns"] if c["column"] == "x2")
        self.assertIn("customers who are known here", reason)

    def test_stamps_with_an_offset_are_told_in_the_studys_zone(self):
        rows = [f"{n},C{n % 7},2026-07-{1 + n % 28:02d}T23:30:00Z,1.00" for n in range(40)]
        data = "receipt,card,date,total\n" + "\n".join(rows) + "\n"
        intake = self.bring(data.encode(), "log.csv")
        moment = next(c for c in intake["columns"] if c["column"] == "date")
        self.assertEqual(moment["read"][0], "2026-07-02 00:30")
        self.count(intake)
        run_jobs()
        first = Line.objects.order_by("number").first()
        self.assertEqual((first.day.isoformat(), first.second), ("2026-07-02", 1800))

    def test_what_breaks_off_midway_leaves_nothing(self):
        rows = "".join(LOG.splitlines(keepends=True)[1:])
        bad = "77,Á,2026-01-10,South,till,1,Pots,1,1,1,sale\n".encode("cp1252")
        data = LOG.encode() + rows.encode() * 9_000 + bad + rows.encode()
        intake = self.bring(data, "log.csv")
        self.count(intake)
        run_jobs()
        after = self.get(f"intakes/{intake['id']}")
        self.assertEqual(after["state"], "failed")
        self.assertRegex(after["error"], r"After row [\d,]+ the file is not UTF-8 any more")
        self.assertEqual(Line.objects.count(), 0)
        self.assertEqual(self.get("ledger")["status"]["state"], "failed")

    def test_no_tables_are_refused_at_the_door(self):
        for data, words in (
            (b"\x00\x01\x02junk", "not text"),
            (_zip("")[:-10], "broken zip"),
            (gzip.compress(b"")[:5], "breaks off|empty"),
            (_workbook([["only"]]), "No sheet holds a table"),
        ):
            problem = self.bring(data, "junk.csv", status=400)
            self.assertRegex(problem["detail"], words)
        self.assertFalse(Intake.objects.exists())
