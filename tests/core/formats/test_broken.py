"""Broken files end in a sentence, whatever broke them."""

import bz2
import io
import json
import tempfile
import unittest
import zipfile
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
from openpyxl import Workbook, load_workbook

from sortija.core.formats.exports import Cells, Told, write_list
from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import LONGEST_NAME, UnreadableFile
from tests.fuzz import files, read_as_far_as_a_count

LOG = "receipt,card,total\n" + "".join(f"{n},C{n % 7},{n}.50\n" for n in range(400))


class Broken(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def write(self, data, name="file"):
        path = self.folder / name
        path.write_bytes(data)
        return path

    def cells(self, data):
        """(names, rows, notes) of a file that can be read."""
        file = open_rows(self.write(data))
        rows = [row for batch in file.batches() for row in batch.to_pylist()]
        return file.names, [tuple(row.values()) for row in rows], file.notes

    def refused(self, data, words):
        with self.assertRaisesRegex(UnreadableFile, words) as caught:
            self.cells(data)
        self.assertTrue(str(caught.exception).endswith("."), str(caught.exception))

    def book(self):
        book, out = Workbook(), io.BytesIO()
        for row in [("receipt", "card", "total"), *((n, f"C{n}", n / 2) for n in range(300))]:
            book.active.append(row)
        book.save(out)
        return out.getvalue()

    def rewritten(self, change):
        """The workbook with its sheet's XML changed, packed anew."""
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(self.book())) as old, zipfile.ZipFile(out, "w") as new:
            for info in old.infolist():
                data = old.read(info)
                new.writestr(info, change(data) if info.filename.endswith("sheet1.xml") else data)
        return out.getvalue()

    def test_a_workbook_whose_sheet_is_no_xml_or_fails_its_checksum(self):
        self.refused(self.rewritten(lambda xml: xml[: len(xml) // 2]), "cannot be opened")
        self.refused(self.rewritten(lambda xml: xml.replace(b"</row>", b"</raw>", 3)), "be opened")
        data = bytearray(self.book())
        at = data.find(b"xl/worksheets/sheet1.xml") + 400
        data[at] ^= 0xFF
        self.refused(bytes(data), "cannot be opened|broken zip")

    def test_zips_packed_in_unusual_ways(self):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_BZIP2) as archive:
            archive.writestr("log.csv", LOG)
        good = out.getvalue()
        self.assertEqual(len(self.cells(good)[1]), 400)
        bad = bytearray(good)
        bad[120] ^= 0xFF
        self.refused(bytes(bad), "breaks off after")
        for sign, at in ((b"PK\x03\x04", 8), (b"PK\x01\x02", 10)):
            place = good.find(sign) + at
            good = good[:place] + b"\x62\x00" + good[place + 2 :]
        self.refused(good, "not usual for a zip")
        self.refused(bz2.compress(LOG.encode()), "packed by bzip2")

    def test_json_lines_that_nobody_meant(self):
        good = b'{"card": "A", "total": 1.50}\n'
        for odd in (b"{" * 100_000, b'{"a":' * 60_000, b'{"card": "\\ud800", "total": 1}',
                    b'{"\\ud800": 1}', b'{"total": ' + b"9" * 6000 + b"}"):  # fmt: skip
            with self.subTest(odd=odd[:30]):
                file = open_rows(self.write(good + odd + b"\n" + good))
                rows = [row for batch in file.batches() for row in batch.to_pylist()]
                self.assertEqual(rows, [{"card": "A", "total": "1.50"}] * 2)
                self.assertEqual(file.ragged_count, 1)
        _, rows, _ = self.cells(b'{"card": "A", "total": NaN}\n')
        self.assertEqual(rows, [("A", "")])

    def test_every_encoding_of_unicode(self):
        wanted = self.cells(LOG.encode())[1]
        for encoding in ("utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "utf-32", "utf-32-le",
                         "utf-32-be"):  # fmt: skip
            with self.subTest(encoding=encoding):
                self.assertEqual(self.cells(LOG.encode(encoding))[1], wanted)

    def test_nothing_that_no_database_keeps_comes_through(self):
        rows = b"".join(b"%d,C%d,1.00\n" % (n, n) for n in range(60_000))  # beyond what is sniffed
        _, cells, notes = self.cells(b"receipt,card,total\n" + rows + b"9,C\x009,1.00\n")
        self.assertEqual(cells[-1], ("9", "C9", "1.00"))
        self.assertTrue(any(note.startswith("card: characters that are no text") for note in notes))
        _, cells, notes = self.cells(b'{"card": "A\\u0000B", "total": 1}\n')
        self.assertEqual(cells, [("AB", "1")])
        out = io.BytesIO()
        pq.write_table(pa.table({"card": ["A\0B"], "total": [1]}), out)
        self.assertEqual(self.cells(out.getvalue())[1], [("AB", "1")])
        self.assertEqual(self.cells(b"re\x1bceipt\x07,card\na,b\n")[0], ("receipt", "card"))
        self.refused(b"a," + b"b" * (LONGEST_NAME + 1) + b"\n1,2\n", "no row of names")

    def parquet(self, column, **options):
        out = io.BytesIO()
        pq.write_table(pa.table({"card": column, "n": list(range(len(column)))}), out, **options)
        return out.getvalue()

    def test_parquet_with_text_that_is_none(self):
        data = pa.array([b"\xff\xfe", b"ok"], pa.binary())
        text = pa.Array.from_buffers(pa.string(), 2, data.buffers())
        self.refused(self.parquet(text), "damaged after 0 rows")
        self.refused(self.parquet(data), "damaged after 0 rows")

    def test_a_damaged_parquet_is_noticed_where_it_can_be(self):
        plain = {"compression": "none", "use_dictionary": False}
        good = self.parquet([f"card {n}" for n in range(500)], write_page_checksum=True, **plain)
        self.assertEqual(len(self.cells(good)[1]), 500)
        bad = good.replace(b"card 250", b"card 251", 1)
        self.assertNotEqual(bad, good)
        self.refused(bad, "damaged after 0 rows")

    def test_a_row_that_was_cut_is_told(self):
        self.assertEqual(self.cells(LOG.encode())[2], [])
        _, rows, notes = self.cells(LOG.encode()[:-4])  # within the last amount
        self.assertEqual(rows[-1][-1], "399")
        self.assertIn("The last row has no line end", notes[0])

    def test_areas(self):
        def areas(properties, corner):
            shape = {"type": "Polygon", "coordinates": [[[0, 0], corner, [1, 1], [0, 0]]]}
            feature = {"type": "Feature", "properties": properties, "geometry": shape}
            return json.dumps({"type": "FeatureCollection", "features": [feature]}).encode()

        self.refused(areas({"a": "\ud800"}, [1, 0]), "holds text that is none")
        self.refused(areas({"a": "b"}, [float("nan"), 0]), "lies beyond")
        self.refused(areas({"a": "b"}, {}), "corners that are no numbers")
        self.refused(areas({"a": "b"}, [10**400, 0]), "corners that are no numbers")

    def test_a_card_with_control_characters_can_be_listed(self):
        codes = ["A\x01B", "C\x1f", "D\ufffe", "tab\tis fine"]
        told = [Told("card", "Card", "text", "", "")]
        block: Cells = [codes]
        path = self.folder / "list.xlsx"
        write_list(path, "xlsx", told, len(codes), [block])
        sheet = load_workbook(path).worksheets[0]
        cells = [row[0].value for row in sheet.iter_rows(min_row=2)]
        self.assertEqual(cells, ["A\ufffdB", "C\ufffd", "D\ufffd", "tab\tis fine"])


class Fuzz(unittest.TestCase):
    def test_two_hundred_files(self):
        """More of them: ``python -m tests.fuzz``."""
        read = 0
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "file"
            for number, data in files(200, seed=7):
                path.write_bytes(data)
                with self.subTest(number=number):
                    read += not read_as_far_as_a_count(path)
        self.assertGreater(read, 20)  # it is sound tables that were damaged
