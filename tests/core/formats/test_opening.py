"""Any table comes in: the same rows in every shape, and a sentence for what is no table."""

import csv
import gzip
import io
import json
import random
import resource
import tempfile
import unittest
import zipfile
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
from openpyxl import Workbook

from sortija.core.formats import delimited, packed
from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import UnreadableFile

NAMES = ["receipt", "card", "sold at", "item", "total"]
ROWS = [
    [str(1000 + n), f"M-{n % 7:03d}", f"2026-03-{1 + n % 28:02d} 10:{n % 60:02d}",
     'Spade, "large"; blüh' if n % 5 == 0 else f"item {n}", f"{n / 4:.2f}"]
    for n in range(300)
]  # fmt: skip


def text_of(file):
    """Every row as lists of text."""
    out = []
    for batch in file.batches():
        out.extend(list(row) for row in zip(*(c.to_pylist() for c in batch.columns), strict=True))
    return out


class FormatCase(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def write(self, data, name="file"):
        path = self.folder / name
        path.write_bytes(data)
        return path

    def csv(self, delimiter=",", encoding="utf-8", ends="\r\n", quoting=csv.QUOTE_MINIMAL):
        buffer = io.StringIO()
        writer = csv.writer(buffer, delimiter=delimiter, lineterminator=ends, quoting=quoting)
        writer.writerows([NAMES, *ROWS])
        return buffer.getvalue().encode(encoding)

    def zipped(self, members, name="log.zip"):
        path = self.folder / name
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for member, data in members.items():
                archive.writestr(member, data)
        return path

    def same(self, path, rows=ROWS):
        file = open_rows(path)
        self.assertEqual(file.names, tuple(NAMES))
        self.assertEqual(text_of(file), rows)
        self.assertEqual(file.ragged_count, 0)
        first = file.first_rows(3)
        self.assertEqual([c.to_pylist()[0] for c in first.columns], rows[0])
        return file

    def refused(self, path, words):
        with self.assertRaisesRegex(UnreadableFile, words):
            for _ in open_rows(path).batches():
                pass


class SameRowsInEveryShape(FormatCase):
    def test_delimited_text_mixed_at_random(self):
        rng = random.Random(4)
        encodings = ["utf-8", "utf-8-sig", "utf-16", "cp1252", "utf-16-le"]
        for delimiter in delimited.DELIMITERS:
            encoding, ends = rng.choice(encodings), rng.choice(["\n", "\r\n"])
            quoting = rng.choice([csv.QUOTE_MINIMAL, csv.QUOTE_ALL])
            with self.subTest(delimiter=delimiter, encoding=encoding, ends=ends):
                data = self.csv(delimiter, encoding, ends, quoting)
                self.same(self.write(data))
                self.same(self.write(gzip.compress(data)))
                self.same(self.zipped({"inside/log.csv": data, "inside/.DS": b"x"}))

    def test_several_batches(self):
        rows = ROWS * 700  # about 9 MiB, so three batches
        buffer = io.StringIO()
        csv.writer(buffer).writerows([NAMES, *rows])
        data = buffer.getvalue().encode()
        self.assertGreater(len(data), 2 * delimited.BATCH_BYTES)
        self.same(self.write(data), rows)
        self.same(self.write(gzip.compress(data, 1)), rows)

    def test_titles_above_and_totals_below(self):
        data = b"Weekly export\nNorth shop; printed 1 July\n\n" + self.csv(";")
        file = self.same(self.write(data))
        self.assertIn("3 lines above the table", file.notes[0])
        file = open_rows(self.write(self.csv(";") + b"Total;9999\n"))
        self.assertEqual((text_of(file), file.ragged_count), (ROWS, 1))
        self.assertIn("Total", file.ragged[0])

    def test_no_head(self):
        data = "".join(f"{n},M-1,2026-03-01,{n}.50\n" for n in range(20)).encode()
        file = open_rows(self.write(data))
        self.assertEqual(file.names, ("column 1", "column 2", "column 3", "column 4"))
        self.assertEqual(len(text_of(file)), 20)
        self.assertIn("not names", file.notes[0])

    def test_cells_with_line_ends(self):
        file = open_rows(self.write(b'a,b\n1,"two\nlines"\n2,x\n'))
        self.assertEqual(text_of(file), [["1", "two\nlines"], ["2", "x"]])

    def test_a_head_and_nothing_below(self):
        self.assertEqual(text_of(open_rows(self.write(b"card,date,total\n"))), [])

    def test_json_lines(self):
        lines = [json.dumps(dict(zip(NAMES, row, strict=True))) for row in ROWS]
        data = "\n".join(lines).encode()
        self.same(self.write(data))
        self.same(self.write(b"\xef\xbb\xbf" + data))
        self.same(self.write(gzip.compress(data)))

    def test_json_values_of_every_kind(self):
        records = [
            {"card": 7, "total": 12.50, "ok": True, "note": None, "tags": ["a"]},
            {"card": 8, "total": 1e3, "ok": False},
        ]
        text = "\n".join(json.dumps(r) for r in records).replace("12.5", "12.50")
        file = open_rows(self.write(f"{text}\n\nnot json\n[1]\n".encode()))
        self.assertEqual(text_of(file), [["7", "12.50", "yes", ""], ["8", "1000.0", "no", ""]])
        self.assertEqual(file.ragged, ["not json", "[1]"])
        self.assertIn("tags", file.notes[0])

    def test_parquet(self):
        path = self.folder / "log.parquet"
        columns = {name: [row[n] for row in ROWS] for n, name in enumerate(NAMES)}
        pq.write_table(pa.table(columns), path, row_group_size=37)
        self.same(path)

    def test_parquet_values_of_every_kind(self):
        path = self.folder / "log.parquet"
        noon = datetime(2026, 3, 1, 12, 30)
        pq.write_table(pa.table({
            "card": pa.array([7, None]), "total": pa.array([12.5, 1e-7]),
            "money": pa.array([Decimal("3.10"), None]), "day": pa.array([date(2026, 3, 1), None]),
            "at": pa.array([noon, None], pa.timestamp("us")),
            "utc": pa.array([noon, None], pa.timestamp("ns", "UTC")),
            "plus": pa.array([True, False]),
            "kind": pa.array(["sale", "void"]).dictionary_encode(),
            "basket": pa.array([[1, 2], []]),
        }), path)  # fmt: skip
        file = open_rows(path)
        self.assertEqual(text_of(file), [
            ["7", "12.5", "3.10", "2026-03-01", "2026-03-01 12:30:00", "2026-03-01 12:30:00+0000",
             "yes", "sale"],
            ["", "0", "", "", "", "", "no", "void"],
        ])  # fmt: skip
        self.assertIn("basket: lists", file.notes[0])

    def book(self, fill):
        book = Workbook()
        fill(book)
        path = self.folder / "book.xlsx"
        book.save(path)
        return path

    def test_workbook(self):
        def fill(book):
            sheet = book.active
            sheet.append(["Weekly export"])
            sheet.merge_cells("A1:D1")
            sheet.append([])
            for row in [NAMES, *ROWS[:40], [], ["printed by the till"]]:
                sheet.append(row)
            book.create_sheet("Notes").append(["nothing"])

        file = open_rows(self.book(fill))
        self.assertEqual(file.names, tuple(NAMES))
        self.assertEqual(text_of(file), ROWS[:40])
        self.assertEqual(file.ragged_count, 1)

    def test_workbook_values_of_every_kind(self):
        def fill(book):
            sheet = book.active
            sheet.append(["card", "at", "day", "total", "ok", "sum"])
            sheet.append([7, datetime(2026, 3, 1, 12, 30), date(2026, 3, 1), 12.5, True, "=D2*2"])
            book.create_sheet("More").append(["a", "b"])
            book["More"].append([1, 2])

        file = open_rows(self.book(fill))
        (row,) = text_of(file)
        self.assertEqual(row[:2], ["7", "2026-03-01 12:30:00"])
        self.assertTrue(row[2].startswith("2026-03-01"))
        self.assertEqual(row[3:], ["12.5", "yes", ""])
        self.assertIn("More hold tables, too", file.notes[0])
        self.assertIn("sum: formulas", file.notes[1])


class NoTable(FormatCase):
    def test_plain(self):
        junk = bytes(random.Random(1).randrange(256) for _ in range(5000))
        for data, words in (
            (b"", "empty"),
            (b"\n \n\n", "empty"),
            (junk, "not text|not readable|divides"),
            (b"\x00\x01\x02\x00abc", "not text"),
            (b"only words\nand more\n", "No comma"),
            (b"a,,b\n1,2,3\n", "Column 2 has no name"),
            (b"a,b,a\n1,2,3\n", "Two columns are called a"),
            (b"x" * (3 << 18), "does not end within"),
        ):
            with self.subTest(words):
                self.refused(self.write(data), words)

    def test_a_row_without_end(self):
        rows = self.csv() + b'1,"never closed,' + b"x" * (9 << 20)
        self.refused(self.write(rows), "row of more than 4 MiB")

    def test_one_line_of_two_gigabytes(self):
        """Packed, so that the test itself stays small: 32 members of 64 MiB each."""
        head = gzip.compress(b"a,b\n" * 500)
        endless = gzip.compress(b"x" * (64 << 20), 9)
        path = self.write(head + endless * 32, "log.csv.gz")
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        self.refused(path, "row of more than 4 MiB|300 times its size")
        grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
        self.assertLess(grown, 200 << 10)  # KiB

    def test_another_encoding_midway(self):
        rows = self.csv() * 900 + "1,2,3,blüh,5\n".encode("cp1252") + self.csv()
        self.refused(self.write(rows), "After row [1-9][\\d,]+ the file is not UTF-8 any more")

    def test_cut_in_the_middle(self):
        data = self.csv() * 40
        half = gzip.compress(data)
        self.refused(self.write(half[: len(half) // 2]), "breaks off after")
        path = self.folder / "log.parquet"
        pq.write_table(pa.table({"a": list(range(10_000))}), path)
        self.refused(self.write(path.read_bytes()[:-500]), "Parquet file is broken")
        archive = self.zipped({"log.csv": data}).read_bytes()
        self.refused(self.write(archive[:-200]), "broken zip")

    def test_a_bomb(self):
        zeros = b"1,2\n" * (40 << 20)
        for path in (self.write(gzip.compress(zeros)), self.zipped({"log.csv": zeros})):
            self.refused(path, "unpacks to more than 300 times its size")

    def test_archives_that_hold_no_single_table(self):
        data = self.csv()
        self.refused(self.zipped({"a.csv": data, "b.csv": data}), "holds 2 files \\(a.csv, b.csv")
        self.refused(self.zipped({}), "broken zip|holds 0 files|not text|divides")

    def test_workbooks_and_nested_tables(self):
        path = self.folder / "book.xlsx"
        Workbook().save(path)
        self.refused(path, "No sheet holds a table")
        path = self.folder / "nested.parquet"
        pq.write_table(pa.table({"a": [[1], [2]]}), path)
        self.refused(path, "Every column holds lists")
        self.refused(self.write(b'{"a": [1]}\n{"a": [2]}\n'), "No line holds a JSON record")

    def test_a_packed_log_of_the_usual_kind_is_no_bomb(self):
        data = self.csv() * 3000
        self.assertGreater(len(data), packed.HARMLESS // 2)
        rows = sum(b.num_rows for b in open_rows(self.write(gzip.compress(data))).batches())
        self.assertEqual(rows, 301 * 3000 - 1)


if __name__ == "__main__":
    unittest.main()
