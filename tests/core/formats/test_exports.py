"""Lists as files, read back by other programs' readers."""

import csv
import tempfile
import unittest
from datetime import date
from pathlib import Path

import numpy as np
import openpyxl
import pyarrow.parquet as pq

from sortija.core.formats.exports import (
    ExportError,
    Told,
    cells_of,
    write_dictionary,
    write_list,
)

COLUMNS = [
    Told("customer", "Customer", "text", "", "The card."),
    Told("spend", "Spend", "number", "money", "Sales less returns.", "1 too few visits"),
    Told("joined", "Joined on", "date", "", "When."),
    Told("plan", "=Plan", "text", "", "From the table.", levels=("card", "-plus")),
]


def blocks():
    spend = np.array([12.5, np.nan, 3.0])
    joined = np.array([0.0, 20_000.0, np.nan])
    plan = np.array([2, 1, 0])
    yield [
        ["A", "=B()", "C"],
        cells_of(spend, np.isnan(spend), "number"),
        cells_of(joined, np.isnan(joined), "date"),
        cells_of(plan, plan == 0, "text", ("card", "-plus")),
    ]
    yield [["D"], [7], [None], ["card"]]


class Files(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def write(self, kind, rows=4):
        path = self.folder / f"list.{kind}"
        write_list(path, kind, COLUMNS, rows, blocks())
        return path

    def test_csv(self):
        with self.write("csv").open(newline="", encoding="utf-8") as file:
            rows = list(csv.reader(file))
        self.assertEqual(rows[0], ["Customer", "Spend", "Joined on", "'=Plan"])
        self.assertEqual(rows[1], ["A", "12.5", "1970-01-01", "'-plus"])
        self.assertEqual(rows[2], ["'=B()", "", "2024-10-04", "card"])
        self.assertEqual(rows[3], ["C", "3", "", ""])
        self.assertEqual(len(rows), 5)

    def test_xlsx_with_its_dictionary(self):
        book = openpyxl.load_workbook(self.write("xlsx"))
        rows = list(book["Customers"].iter_rows(values_only=True))
        self.assertEqual(rows[1][:2], ("A", 12.5))
        self.assertEqual(rows[1][2].date(), date(1970, 1, 1))
        self.assertEqual(rows[2], ("'=B()", None, rows[2][2], "card"))
        about = list(book["Dictionary"].iter_rows(values_only=True))
        self.assertEqual(about[2][:5], ("spend", "Spend", "number", "money", "Sales less returns."))

    def test_parquet_keeps_types_and_definitions(self):
        table = pq.read_table(self.write("parquet"))
        self.assertEqual(table.column("spend").to_pylist(), [12.5, None, 3.0, 7.0])
        self.assertEqual(table.column("joined").to_pylist()[1], date(2024, 10, 4))
        self.assertEqual(table.column("customer").to_pylist()[1], "=B()")  # no sheet, no formula
        meta = table.schema.field("spend").metadata
        self.assertEqual(meta[b"definition"], b"Sales less returns.")

    def test_the_dictionary(self):
        path = self.folder / "about.csv"
        write_dictionary(path, COLUMNS, [("window", "to 30 Jun 2026")])
        with path.open(newline="", encoding="utf-8") as file:
            rows = list(csv.reader(file))
        self.assertEqual(rows[2][5], "1 too few visits")
        self.assertEqual(rows[4][6], "card; -plus")
        self.assertEqual(rows[-1], ["window", "to 30 Jun 2026"])

    def test_a_sheet_has_an_end(self):
        with self.assertRaises(ExportError) as caught:
            self.write("xlsx", rows=2_000_000)
        self.assertIn("CSV or Parquet", str(caught.exception))


if __name__ == "__main__":
    unittest.main()
