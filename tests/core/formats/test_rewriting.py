"""A file written again without some people reads back as it was, but for them."""

import io
import json
import tempfile
import unittest
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from sortija.core.formats.opening import open_rows
from sortija.core.formats.rewriting import Forgotten, without_people

NAMES = ("card", "mail", "day", "amount")
ROWS = [("A", "a@example.org", "2026-01-02", "1,50"), ("B", "b@example.org", "2026-01-03", "2;5"),
        (" A ", "", "2026-01-04", '3"0'), ("C", "c@example.org", "2026-01-05", "4|0")]  # fmt: skip


def rows_of(file):
    return [tuple(row.values()) for batch in file.batches() for row in batch.to_pylist()]


class Rewritten(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def without(self, data, drop, gone=("A",), keep=frozenset(NAMES)):
        path, target = self.folder / "file", self.folder / "target"
        path.write_bytes(data)
        file = open_rows(path)
        told = without_people(
            file, target, ["card"], lambda t: "nobody" if t.strip() in gone else "",
            drop=drop, keep=keep,
        )  # fmt: skip
        again = open_rows(target)
        self.assertEqual(again.names, file.names)
        return told, rows_of(again)

    def every_form(self):
        csv = io.StringIO()
        csv.write("\t".join(NAMES) + "\n")
        csv.writelines("\t".join(c.replace('"', "'") for c in row) + "\n" for row in ROWS)
        yield "tabs", csv.getvalue().encode("utf-16")
        records = [json.dumps(dict(zip(NAMES, row, strict=True))) for row in ROWS]
        yield "json", "\n".join(records).encode()
        book, out = Workbook(), io.BytesIO()
        for row in (NAMES, *ROWS):
            book.active.append(row)
        book.save(out)
        yield "xlsx", out.getvalue()
        out = io.BytesIO()
        columns = [list(cells) for cells in zip(*ROWS, strict=True)]
        pq.write_table(pa.table(dict(zip(NAMES, columns, strict=True))), out)
        yield "parquet", out.getvalue()

    def test_rows_of_a_person_go_from_every_form(self):
        for form, data in self.every_form():
            with self.subTest(form=form):
                told, rows = self.without(data, drop=True)
                self.assertEqual((told.rows, [row[0] for row in rows]), (2, ["B", "C"]))

    def test_lines_stay_under_another_name_and_say_nothing_else_of_the_person(self):
        for form, data in self.every_form():
            with self.subTest(form=form):
                kept = frozenset({"card", "day", "amount"})
                told, rows = self.without(data, drop=False, keep=kept)
                self.assertEqual(told, Forgotten(2, 0))
                self.assertEqual([row[0] for row in rows], ["nobody", "B", "nobody", "C"])
                self.assertEqual([row[1] for row in rows][::2], ["", ""])
                self.assertEqual(rows[1][1], "b@example.org")
                self.assertEqual([row[2] for row in rows], [row[2] for row in ROWS])

    def test_rows_that_fit_no_head_are_left_out(self):
        told, rows = self.without(b"card,mail\nA,x\nB,y,z\nB,w\n", drop=True)
        self.assertEqual((told, rows), (Forgotten(1, 1), [("B", "w")]))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(
        st.tuples(*[st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=9)] * 3),
        min_size=2, max_size=8,
    ))  # fmt: skip
    def test_every_other_cell_comes_back(self, cells):
        rows = [("X", *row) for row in cells]
        data = "\n".join(
            json.dumps(dict(zip(NAMES, row, strict=True)), ensure_ascii=False) for row in rows
        )
        self.assertEqual(self.without(data.encode(), drop=True)[1], rows)
