"""Every bad input a till can make, at the command line: a sentence to act on, or a figure kept."""

import csv
import gzip
import io
import json
import random
import zipfile
from datetime import date

import pyarrow as pa
import pyarrow.parquet as pq
from openpyxl import Workbook

from tests.cli.shapes import figures, plain, random_log
from tests.cli.test_derive import DeriveCase

HEAD = "receipt,card,sold_at,department,total\n"


def rows(count=400, **cells):
    """Plain lines under ``HEAD``; a cell is a function of its row's number."""
    usual = {
        "receipt": lambda n: n // 2, "card": lambda n: f"K{n // 2 % 40:03d}",
        "sold_at": lambda n: f"2026-0{1 + n // 2 % 6}-{1 + n // 2 % 27:02d} 10:00",
        "department": lambda n: ("Seeds", "Pots")[n % 2], "total": lambda n: f"{1 + n % 9}.50",
    }  # fmt: skip
    usual.update(cells)
    return "".join(",".join(str(make(n)) for make in usual.values()) + "\n" for n in range(count))


class Refused(DeriveCase):
    """Nothing is written, and the sentence says what, where and what to do."""

    def refused(self, data, words, name="log.csv"):
        path, out = self.file(data, name), self.folder / "out.csv"
        _, said = self.call(path, "--out", out, status=1)
        self.assertRegex(said, words)
        self.assertIn(name, said)
        self.assertFalse(out.exists())

    def test_no_table(self):
        junk = bytes(random.Random(5).randrange(256) for _ in range(4000))
        for data, words in (
            (b"", "empty"),
            (HEAD, "a head but no lines"),
            (junk, "not text|not readable|divides"),
            (b"\x89PNG\r\n\x1a\n" + bytes(500), "not readable|not text|divides"),
            (HEAD.replace("receipt", "card") + rows(), "Two columns are called card"),
            (HEAD.replace("receipt", "") + rows(), "Column 1 has no name"),
        ):
            with self.subTest(words):
                self.refused(data, words)

    def test_a_file_that_changes_or_breaks_off(self):
        text = HEAD + rows(60_000)
        latin = text.encode() + "9,Blüm,2026-01-01,Töpfe,1.00\n".encode("latin-1") * 30
        self.refused(latin, "is not UTF-8 any more: .* Export it again")
        packed = gzip.compress(text.encode())
        self.refused(packed[: len(packed) // 2], "breaks off after", "log.csv.gz")
        sink = io.BytesIO()
        pq.write_table(pa.table({"card": ["A"] * 5000, "total": [1.0] * 5000}), sink)
        self.refused(sink.getvalue()[:-300], "Parquet file is broken", "log.parquet")

    def test_bombs_and_rows_without_end(self):
        line = b"1,K1,2026-01-01,Seeds,1.00\n"
        bomb = gzip.compress(HEAD.encode() + line * (12 << 20))
        self.refused(bomb, "300 times its size", "log.csv.gz")
        self.refused(HEAD + rows() + '7,"' + "x" * (9 << 20), "row of more than 4 MiB")

    def test_tables_within_tables(self):
        nested = io.BytesIO()
        lists = pa.array([[1, 2]] * 50)
        pq.write_table(pa.table({"card": lists, "total": lists}), nested)
        self.refused(nested.getvalue(), "Every column holds lists", "log.parquet")
        archive = io.BytesIO()
        with zipfile.ZipFile(archive, "w") as held:
            held.writestr("north.csv", HEAD + rows())
            held.writestr("south.csv", HEAD + rows())
        self.refused(archive.getvalue(), "holds 2 files", "logs.zip")

    def test_columns_that_are_not_there(self):
        path = self.file(HEAD + rows())
        _, said = self.call(path, "--amount", "value", status=1)
        self.assertIn("no column called value", said)
        self.assertIn("Its columns are receipt, card, sold_at, department, total", said)
        alone = self.file("card,garden\nA,yard\nB,none\n", "members.csv")
        _, said = self.call(alone, status=1)
        self.assertRegex(said, "Say which column holds")


class Kept(DeriveCase):
    """What is wrong is set aside and told; the rest counts as if it were not there."""

    def report(self, data, name="log.csv"):
        path = self.folder / "report.json"
        self.call(self.file(data, name), "--report", path, "--out", self.folder / "out.csv")
        return json.loads(path.read_text())

    def rule(self, report, key):
        """What a rule meets."""
        return next(rule for rule in report["rules"] if rule["key"] == key)["meets"]

    def test_one_date_in_a_hundred_is_junk(self):
        def sold_at(n):
            return "soon" if n % 100 == 7 else f"2026-0{1 + n // 2 % 6}-{1 + n // 2 % 27:02d}"

        report = self.report(HEAD + rows(1000, sold_at=sold_at))
        self.assertEqual(self.rule(report, "no_date")["lines"], 10)
        first = report["files"][0]["unread"][0]
        self.assertEqual((first["row"], first["column"], first["text"]), (8, "sold_at", "soon"))

    def test_two_decimal_styles_in_one_column(self):
        """A mark before one or two digits is the decimal one, whichever it is."""
        text = HEAD + rows(200, total=lambda n: '"3,50"' if n % 4 == 0 else "3.50")
        out, _ = self.call(self.file(text), "--window", "all")
        spent = sum(float(row["monetary"]) for row in csv.DictReader(io.StringIO(out)))
        self.assertAlmostEqual(spent, 200 * 3.5)

    def test_rows_with_too_many_or_too_few_cells(self):
        text = HEAD + rows(100) + "1,K001\n" + "2,K002,2026-01-02,Seeds,4.00,more,still\n"
        report = self.report(text)
        self.assertEqual(report["files"][0]["ragged"], 2)
        self.assertEqual(len(report["files"][0]["ragged_examples"]), 2)
        self.assertEqual(report["files"][0]["lines"], 100)

    def test_names_that_would_act_as_formulas(self):
        evil = ['=HYPERLINK("http://example.org")', "+1", "@sum", "-2+3", "plain"]
        text = HEAD + rows(100, card=lambda n: '"' + evil[n // 2 % 5].replace('"', '""') + '"')
        out, _ = self.call(self.file(text))
        names = {row["customer"] for row in csv.DictReader(io.StringIO(out))}
        self.assertEqual(names, {*("'" + name for name in evil[:4]), "plain"})

    def test_a_workbook_with_formulas_and_merged_cells(self):
        lines = [line.split(",") for line in rows(60).splitlines()]
        book = Workbook()
        sheet = book.active
        sheet.append(["Export of the week"])
        sheet.merge_cells("A1:E1")
        sheet.append(HEAD.strip().split(","))
        for line in lines:
            sheet.append([*line[:4], float(line[4])])
        sheet["G3"] = "=SUM(E3:E62)"
        data = io.BytesIO()
        book.save(data)
        report = self.report(data.getvalue(), "log.xlsx")
        self.assertEqual(report["files"][0]["lines"], 60)

    def test_currencies_are_never_added_up(self):
        head = HEAD.strip() + ",currency\n"
        text = head + rows(300, currency=lambda n: "USD" if n % 10 == 3 else "EUR")
        report = self.report(text)
        self.assertEqual(self.rule(report, "currency")["lines"], 30)

    def test_the_same_log_twice_counts_once(self):
        lines = random_log(31)
        path = self.file(*plain(lines))
        (self.folder / "again").mkdir()
        again = self.folder / "again" / "log.csv"
        again.write_bytes(plain(lines)[0])
        found = self.rows(path, again, "--as-of", "2026-05-31")
        self.same(found, figures(lines, date(2026, 5, 31), date(2025, 6, 1)))
