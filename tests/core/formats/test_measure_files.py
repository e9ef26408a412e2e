"""Tables of measures as files: what they hold, and what is said of those that cannot be read."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from sortija.core.formats.measures import MeasureFileError, as_bytes, read_measures, whole_ids

TEXT = """customer,recency,money,plan,code
C2,12,4.50,plus,0012
C1,,-3e2,card,0007
C10,7, 8 ,,0101
"""


class Files(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def file(self, text=TEXT, name="m.csv"):
        path = self.folder / name
        path.write_text(text, "utf-8")
        return path

    def test_numbers_and_categories(self):
        file = read_measures(self.file())
        self.assertEqual(file.customers.to_pylist(), ["C2", "C1", "C10"])
        table = file.table(("recency", "money"), ("plan", "code"))
        np.testing.assert_array_equal(table["recency"].values, [12, np.nan, 7])
        np.testing.assert_array_equal(table["money"].values, [4.5, -300, 8])
        self.assertEqual(table["plan"].levels, ("card", "plus"))
        self.assertEqual(table["plan"].values.tolist(), [2, 1, 0])
        self.assertEqual(table["code"].levels, ("0007", "0012", "0101"))

    def test_ids_that_are_whole_numbers_stay_whole_numbers(self):
        for names, kind in (
            (["1", "20", "1001"], pa.int64()), (["0012", "13"], pa.string()),
            (["7", "A7"], pa.string()), (["9" * 19], pa.string()), ([], pa.string()),
        ):  # fmt: skip
            self.assertEqual(whole_ids(pa.array(names, pa.string())).type, kind, names)
        path = self.folder / "floats.parquet"
        pq.write_table(pa.table({"customer": pa.array([1001.0, 7.0]), "x": [1.0, 2.0]}), path)
        self.assertEqual(read_measures(path).customers.to_pylist(), ["1001", "7"])

    def test_parquet_says_the_same(self):
        cells = pa.table({
            "customer": ["C2", "C1", "C10"], "recency": pa.array([12, None, 7], pa.int32()),
            "money": [4.5, -300.0, 8.0], "plan": ["plus", "card", None],
            "member": pa.array([True, False, None]),
        })  # fmt: skip
        path = self.folder / "m.parquet"
        pq.write_table(cells, path)
        table = read_measures(path).table(("recency", "money", "member"), ("plan",))
        np.testing.assert_array_equal(table["recency"].values, [12, np.nan, 7])
        np.testing.assert_array_equal(table["member"].values, [1, 0, np.nan])
        self.assertEqual(table["plan"].values.tolist(), [2, 1, 0])

    def test_columns_that_hold_nothing_but_numbers_are_numbers_again(self):
        typed = read_measures(self.file()).typed()
        kinds = [str(kind) for kind in typed.schema.types]
        # Codes keep their noughts; a cell with blanks around it is left as it was.
        self.assertEqual(kinds, ["string", "int64", "string", "string", "string"])
        long = read_measures(self.file("customer,x,y\na,12345678901234567890123,1.5\n")).typed()
        self.assertEqual([str(k) for k in long.schema.types], ["string", "string", "double"])

    def test_what_is_wrong_is_told_with_its_place(self):
        for text, words in (
            ("a,b\n1,2\n", "no column is called customer.*Its columns are a, b"),
            ("customer,a\n", "no rows"),
            ("customer,a\nC1,1\n,2\n", "row 3: it names no customer"),
            ("customer,a\nC1,1\nC2,1\nC1,2\n", "customer C1 has two rows, 2 and 4"),
            ("customer,a,a\nC1,1,1\n", "Two columns are called a"),
            ("customer,a\nC1,1,9\n", "1 row has another number of cells"),
            ("", "cannot be read"),
        ):
            with self.assertRaisesRegex(MeasureFileError, words):
                read_measures(self.file(text))
        with self.assertRaisesRegex(MeasureFileError, "no such file"):
            read_measures(self.folder / "none.csv")
        (self.folder / "x.parquet").write_bytes(b"nothing")
        with self.assertRaisesRegex(MeasureFileError, "cannot be read"):
            read_measures(self.folder / "x.parquet")
        file = read_measures(self.file())
        with self.assertRaisesRegex(MeasureFileError, "no column called gap. Its columns are"):
            file.table(("gap",))
        with self.assertRaisesRegex(MeasureFileError, "row 2: column plan has “plus”"):
            file.table(("plan",))

    def test_text_cannot_act_as_a_formula(self):
        table = pa.table({"customer": ["=1+1", "C2"], "x": [-1.5, 2.0]})
        text = as_bytes(table, "csv").decode()
        self.assertEqual(text.split("\n")[1], '"\'=1+1",-1.5')
        again = pq.read_table(pa.BufferReader(as_bytes(table, "parquet")))
        self.assertEqual(again["customer"].to_pylist(), ["=1+1", "C2"])


if __name__ == "__main__":
    unittest.main()
