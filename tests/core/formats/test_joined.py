"""Lines joined to the heads of their receipts, against a plain lookup."""

import tempfile
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from sortija.core.formats.joined import JoinedRows, find_join
from sortija.core.formats.opening import open_rows

LINES = "no,item,qty,total\n1,a,1,5.00\n1,b,2,6.00\n2,a,1,5.00\n2,c,1,9.00\n9,a,1,5.00\n,a,1,1.00\n"
HEADS = (
    "receipt;booked;member;total\n1;2026-01-02;A;11.00\n 2 ;2026-01-03;;14.00\n3;2026-01-04;C;1\n"
)


class Case(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def open(self, text, name):
        path = self.folder / name
        path.write_text(text)
        return open_rows(path)

    def joined(self, lines=LINES, heads=HEADS, by=("no", "receipt")):
        return JoinedRows(self.open(lines, "lines.csv"), self.open(heads, "heads.csv"), by)


class Joining(Case):
    def test_every_line_carries_its_head(self):
        file = self.joined()
        self.assertEqual(
            file.names, ("no", "item", "qty", "total", "booked", "member", "head total")
        )
        rows = file.first_rows(10).to_pylist()
        booked = ["2026-01-02"] * 2 + ["2026-01-03"] * 2 + ["", ""]
        self.assertEqual([row["booked"] for row in rows], booked)
        self.assertEqual([row["member"] for row in rows], ["A", "A", "", "", "", ""])
        self.assertEqual(rows[3]["head total"], "14.00")
        self.assertEqual(file.notes[-1], "2 lines have no head, so neither date nor customer.")

    def test_some_columns_only(self):
        (batch,) = self.joined().batches(["member", "item"])
        self.assertEqual(batch.schema.names, ["member", "item"])
        self.assertEqual(batch.column("item").to_pylist(), list("abacaa"))

    def test_the_first_of_two_heads_holds(self):
        file = self.joined(heads=HEADS + "1;2026-09-09;Z;0\n")
        self.assertEqual(file.first_rows(1).to_pylist()[0]["member"], "A")
        self.assertIn("1 receipts have two heads; the first holds.", file.notes)

    @given(
        st.lists(st.integers(0, 9), min_size=1, max_size=30), st.sets(st.integers(0, 9), min_size=1)
    )
    def test_against_a_lookup(self, numbers, known):
        lines = "no,item\n" + "".join(f"{n},x\n" for n in numbers)
        heads = "no,member\n" + "".join(f"{n},M{n}\n" for n in sorted(known, reverse=True))
        got = self.joined(lines, heads, ("no", "no")).first_rows(99).column("member").to_pylist()
        self.assertEqual(got, [f"M{n}" if n in known else "" for n in numbers])


class Finding(Case):
    def find(self, lines, heads):
        return find_join(self.open(lines, "lines.csv"), self.open(heads, "heads.csv"))

    def test_by_what_they_hold_not_by_name(self):
        mostly = LINES.replace("9,a,1,5.00\n,a,1,1.00\n", "")
        self.assertEqual(self.find(mostly, HEADS), ("no", "receipt"))

    def test_files_that_do_not_belong_together(self):
        other = "receipt,booked\n71,2026-01-01\n72,2026-01-02\n"
        self.assertIsNone(self.find(LINES, other))
        twice = "receipt,booked\n1,2026-01-01\n1,2026-01-02\n2,2026-01-02\n"
        self.assertIsNone(self.find(LINES, twice))
        self.assertIsNone(self.find("no,item\n", HEADS))


if __name__ == "__main__":
    unittest.main()
