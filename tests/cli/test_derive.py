"""``sortija derive``: every shape of log gives the figures of plain Python, or a sentence."""

import csv
import io
import json
import unittest
from datetime import date
from pathlib import Path
from unittest import mock

import pyarrow.parquet as pq

from tests.cli.shapes import (
    SHAPES,
    decimal_comma,
    figures,
    heads_and_lines,
    mixed,
    plain,
    quantity_and_price,
    random_log,
)
from tests.cli.support import CommandCase

SMALL = Path(__file__).parents[2] / "sortija" / "demo" / "small"
NAMES = ("recency", "frequency", "monetary", "basket_mean", "breadth")


class DeriveCase(CommandCase):
    command = "derive"

    def rows(self, *arguments):
        out, _ = self.call(*arguments)
        return {row["customer"]: row for row in csv.DictReader(io.StringIO(out))}

    def same(self, rows, wanted):
        self.assertEqual(set(rows), set(wanted))
        for card, expected in wanted.items():
            for name, value in zip(NAMES, expected, strict=True):
                if name == "breadth" and not rows[card][name]:
                    continue  # a shape whose departments nothing tells
                self.assertAlmostEqual(float(rows[card][name]), float(value), 6, (card, name))


class EveryShape(DeriveCase):
    def test_the_same_figures_as_plain_python(self):
        for number, shape in enumerate(SHAPES):
            with self.subTest(shape.__name__):
                lines = random_log(number)
                path = self.file(*shape(lines))
                as_of = date(2026, 5, 31)
                rows = self.rows(path, "--as-of", as_of)
                if shape is quantity_and_price:  # without a kind nothing says what was voided
                    lines = [line for line in lines if line.kind != "void"]
                self.same(rows, figures(lines, as_of, date(2025, 6, 1)))

    def test_quirks_mixed_at_random(self):
        for seed in range(24):
            with self.subTest(seed):
                lines = random_log(seed, receipts=260)
                rows = self.rows(self.file(*mixed(seed)(lines)), "--as-of", "2026-05-31")
                self.same(rows, figures(lines, date(2026, 5, 31), date(2025, 6, 1)))

    def test_lines_and_heads_in_two_files(self):
        lines = random_log(77)
        own, heads = (self.file(*file) for file in heads_and_lines(lines))
        rows = self.rows(own, "--heads", heads, "--as-of", "2026-05-31")
        self.same(rows, figures(lines, date(2026, 5, 31), date(2025, 6, 1)))
        members = self.file("card,plan\nM-0001,plus\n", "members.csv")
        _, words = self.call(own, "--heads", members, status=1)
        self.assertIn("no column of it names the receipts of lines.csv", words)

    def test_windows(self):
        lines = random_log(50)
        path = self.file(*plain(lines))
        for window, first in (("3m", date(2026, 3, 1)), ("all", date(2000, 1, 1))):
            rows = self.rows(path, "--as-of", "2026-05-31", "--window", window)
            self.same(rows, figures(lines, date(2026, 5, 31), first))
        rows = self.rows(path, "--as-of", "2026-05-31", "--since", "2026-02-11")
        self.same(rows, figures(lines, date(2026, 5, 31), date(2026, 2, 11)))

    def test_two_logs_that_overlap_count_once(self):
        lines = random_log(51)
        cut, back = len(lines) // 2, len(lines) // 2 - 40
        while lines[back].key == lines[back - 1].key:
            back -= 1
        while lines[cut].key == lines[cut - 1].key:
            cut += 1
        first = self.file(*plain(lines[:cut]))
        second = self.file(decimal_comma(lines[back:])[0], "second.csv")
        rows = self.rows(first, second, "--as-of", "2026-05-31")
        # The second file writes its lines otherwise, so its receipts are other receipts.
        self.assertGreater(sum(int(r["frequency"]) for r in rows.values()), 0)
        again = self.file(plain(lines[back:])[0], "again.csv")
        rows = self.rows(first, again, "--as-of", "2026-05-31")
        self.same(rows, figures(lines, date(2026, 5, 31), date(2025, 6, 1)))


class MembersAndFiles(DeriveCase):
    def test_traits_report_and_parquet(self):
        out, report = self.folder / "m.parquet", self.folder / "r.json"
        _, said = self.call(
            SMALL / "log.csv", "--members", SMALL / "members.csv", "--out", out, "--report", report
        )
        table = pq.read_table(out)
        self.assertEqual(table.column_names[:11], [
            "customer", "recency", "frequency", "monetary", "tenure", "silence", "basket_mean",
            "basket_median", "gap_mean", "gap_cv", "breadth",
        ])  # fmt: skip
        at = table.column_names.index("trend")
        self.assertTrue(all(n.startswith("share_") for n in table.column_names[11:at]))
        self.assertIn("garden", table.column_names[at + 1 :])
        self.assertEqual(str(table.schema.field("joined_on").type), "date32[day]")
        self.assertEqual(str(table.schema.field("frequency").type), "int64")
        # A share is a share, also where all of them happen to be 0.
        kinds = {str(table.schema.field(n).type) for n in table.column_names[11:at]}
        self.assertEqual(kinds, {"double"})
        told = json.loads(report.read_text())
        self.assertEqual(told["customers"]["with_purchase"], table.num_rows)
        money = sum(r["set_aside"]["money"] for r in told["rules"]) + told["counted"]["money"]
        lines = sum(r["set_aside"]["lines"] for r in told["rules"]) + told["counted"]["lines"]
        self.assertEqual(lines, told["lines"])
        balance = told["reconciliation"]
        self.assertAlmostEqual(
            balance["ledger"],
            balance["table"] + balance["without_purchase"] + balance["without_customer"], 6,
        )  # fmt: skip
        self.assertAlmostEqual(balance["table"], sum(table["monetary"].to_pylist()), 6)
        self.assertGreater(money, balance["ledger"])
        self.assertIn("Voided", said)
        self.assertIn("30 Jun 2026, that day included", said)

    def test_cells_that_cannot_be_read_are_named(self):
        lines = random_log(9, 60)
        text = plain(lines)[0].decode().splitlines()
        cells = text[5].split(",")
        cells[7] = "n/a"
        path = self.file("\n".join([*text[:5], ",".join(cells), *text[6:], "1,2,3"]) + "\n")
        report = self.folder / "r.json"
        _, said = self.call(path, "--report", report)
        self.assertIn(f"{path}, row 5, column total: “n/a”", said)
        self.assertIn("1 rows had too many or too few cells", said)
        (file,) = json.loads(report.read_text())["files"]
        self.assertEqual(file["unread"], [{"row": 5, "column": "total", "text": "n/a"}])

    def test_formulas_in_names_are_made_safe(self):
        text = plain(random_log(3, 40))[0].decode().replace("M-0016", "=M1()")
        self.assertIn("'=M1()", self.rows(self.file(text)))

    def test_a_guess_can_be_overruled(self):
        lines = random_log(8)
        text = plain(lines)[0].decode()
        head, rest = text.split("\n", 1)
        path = self.file(head.replace("total", "zzz").replace("price", "total") + "\n" + rest)
        wanted = figures(lines, date(2026, 5, 31), date(2025, 6, 1))
        rows = self.rows(path, "--amount", "zzz", "--price", "total", "--as-of", "2026-05-31")
        self.same(rows, wanted)


class Troubles(DeriveCase):
    def test_sentences(self):
        good = self.file(*plain(random_log(1, 30)))
        self.assertIn("there is no such file", self.said(self.folder / "none.csv"))
        self.assertIn("empty", self.said(self.file("", "empty.csv")))
        head = self.file("receipt,card,date,total\n", "head.csv")
        self.assertIn("no lines", self.said(head))
        self.assertIn("Its columns are receipt, card", self.said(good, "--customer", "person"))
        self.assertIn("call it .csv, .parquet, .xlsx or .jsonl", self.said(good, "--out", "x.doc"))
        self.assertIn("no time zone", self.said(good, "--zone", "Middle/Earth"))
        self.assertIn("is no date", self.said(good, "--as-of", "yesterday", status=2))
        self.assertIn("is no look-back", self.said(good, "--window", "soon", status=2))
        late = ("--since", "2026-05-02", "--as-of", "2026-05-01")
        self.assertIn("comes after the last day included, 2026-05-01", self.said(good, *late))
        both = ("--since", "2026-05-02", "--window", "3m")
        self.assertIn("not allowed with", self.said(good, *both, status=2))
        self.assertIn("cannot be written", self.said(good, "--out", self.folder / "no" / "x.csv"))

    def test_days_and_months_that_cannot_be_told_apart_are_asked(self):
        rows = [f"{n},C{n % 9},0{1 + n % 5}/0{1 + n % 7}/2026,1.00" for n in range(60)]
        path = self.file("receipt,card,date,total\n" + "\n".join(rows) + "\n")
        self.assertIn("--day-first or --month-first", self.said(path))
        orders = ("--day-first", "--month-first")
        day, month = (self.rows(path, order, "--as-of", "2026-08-01") for order in orders)
        self.assertNotEqual(day["C0"]["recency"], month["C0"]["recency"])

    def test_nothing_is_written_when_it_fails_or_is_stopped(self):
        good = self.file(*plain(random_log(1, 30)))
        out = self.folder / "out.csv"
        self.call(good, "--members", self.folder / "none.csv", "--out", out, status=1)
        with mock.patch("sortija.cli.derive.derive", side_effect=KeyboardInterrupt):
            self.call(good, "--out", out, status=130)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["log.csv"])

    def test_help_teaches_by_example(self):
        out, _ = self.call("--help")
        self.assertIn("sortija derive till.csv", out)


if __name__ == "__main__":
    unittest.main()
