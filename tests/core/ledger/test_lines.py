"""Lines typed from a file: receipts, kinds, duplicates, mapping guesses."""

import tempfile
import unittest
from pathlib import Path

from sortija.core.formats.delimited import DelimitedFile, UnreadableFile, sniff
from sortija.core.ledger.assemble import assemble
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.lines import LineReader, money_scale
from sortija.core.ledger.mapping import LogMapping, MappingError
from sortija.core.ledger.members import guess_members
from sortija.core.ledger.rules import ON_OFFER

HEAD = "receipt,card,date,site,department,qty,price,total,kind\n"
TODAY = 20_700  # in September 2026


class FromFile(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def write(self, text, name="log.csv", encoding="utf-8"):
        path = self.folder / name
        path.write_bytes(text.encode(encoding))
        return DelimitedFile(path, sniff(path))

    def lines(self, *rows, head=HEAD, **changes):
        file = self.write(head + "\n".join(rows) + "\n")
        mapping, _ = guess_log(file.first_rows())
        mapping = LogMapping(**{**mapping.__dict__, **changes})
        reader = LineReader(mapping, 2, TODAY)
        return reader, list(reader.read(file.batches()))


class Reading(FromFile):
    def test_lines_sold_on_offer(self):
        head = "receipt,card,date,total,promo_code\n"
        cells = ("SPRING", "", "no", "0.00", "12.5%", "-", "None", "2.00")
        rows = [f"{n},A,2026-05-0{1 + n % 9},5.00,{cell}" for n, cell in enumerate(cells)]
        reader, [batch] = self.lines(*rows, head=head)
        self.assertEqual(reader.mapping.roles["offer"], "promo_code")
        on = [bool(bits & ON_OFFER) for bits in batch.bits]
        self.assertEqual(on, [True, False, False, False, True, False, False, True])
        self.assertEqual({int(bits) & ~ON_OFFER for bits in batch.bits}, {0})  # no rule is met

    def test_money_and_kinds(self):
        _, [batch] = self.lines(
            "1,A,2026-05-01,S,D,2,1.25,2.50,sale",
            "1,A,2026-05-01,S,D,-1,1.25,-1.25,return",
            "2,A,2026-05-01,S,D,3,1.25,,sale",
            "3,,2026-05-02,S,D,1,4.00,4.00,void",
            "4,A,2026-05-02,S,D,-1,4.00,-4.00,sale",
            "5,A,31/02/2026,S,D,1,x,y,sale",
        )
        self.assertEqual(batch.money.tolist(), [250, -125, 375, 400, -400, 0])
        self.assertEqual(batch.kind.tolist(), [0, 1, 0, 2, 1, 0])
        self.assertEqual(batch.bits.tolist(), [0, 64, 0, 8 | 32, 64, 1 | 2])
        self.assertEqual(
            {(u.line, u.role, u.text) for u in batch.unread},
            {(6, "moment", "31/02/2026"), (6, "money", "y")},
        )

    def test_price_times_quantity_rounds_half_away(self):
        head = "receipt,card,date,qty,price\n"
        _, [batch] = self.lines("1,A,2026-05-01,0.5,0.25", "1,A,2026-05-01,-0.5,0.25", head=head)
        self.assertEqual(batch.money.tolist(), [13, -13])

    def test_a_receipt_is_site_day_and_number(self):
        _, [batch] = self.lines(
            "7,A,2026-05-01 09:00,S,D,1,1.00,1.00,sale",
            "7,A,2026-05-01 09:01,S,D,1,1.00,1.00,sale",
            "7,A,2026-05-02 09:00,S,D,1,1.00,1.00,sale",
            "7,A,2026-05-01 09:00,T,D,1,1.00,1.00,sale",
        )
        first, same, other_day, other_site = batch.receipt.tolist()
        self.assertEqual(first, same)
        self.assertEqual(len({first, other_day, other_site}), 3)

    def test_without_numbers_customer_and_day_make_a_receipt(self):
        head = "card,date,total\n"
        _, [batch] = self.lines(
            "A,2026-05-01,1.00", "A,2026-05-01,2.00", "B,2026-05-01,2.00", ",2026-05-01,2.00",
            ",2026-05-01,2.00", head=head,
        )  # fmt: skip
        self.assertEqual(len(set(batch.receipt.tolist())), 4)
        self.assertEqual(batch.receipt[0], batch.receipt[1])

    def test_whole_receipts_that_came_twice(self):
        day = [
            "1,A,2026-05-01,S,D,1,1.00,1.00,sale",
            "1,A,2026-05-01,S,D,1,1.00,1.00,sale",  # a repeat scan stays
            "2,B,2026-05-01,S,E,1,9.00,9.00,sale",
        ]
        other = ["3,C,2026-05-01,S,E,1,1.00,1.00,sale", "2,B,2026-05-01,S,E,1,8.00,8.00,sale"]
        reader, batches = self.lines(*day, *day, *other)
        log = assemble(batches, len(reader.cards))
        twice = (log.bits & 16) != 0
        self.assertEqual(int(twice.sum()), 3)
        self.assertEqual(int(log.money[~twice].sum()), 100 + 100 + 900 + 100 + 800)

    def test_future_is_after_the_day_the_file_came(self):
        _, [batch] = self.lines(
            "1,A,2026-09-04,S,D,1,1.00,1.00,sale", "2,A,2026-09-05,S,D,1,1.00,1.00,sale"
        )
        self.assertEqual(batch.bits.tolist(), [0, 4])

    def test_batches_number_lines_through(self):
        rows = [f"{i},C{i % 7},2026-05-01,S,D,1,1.00,1.00,sale" for i in range(120_000)]
        _, batches = self.lines(*rows)
        self.assertGreater(len(batches), 1)
        self.assertEqual(batches[1].first_line, len(batches[0]) + 1)
        self.assertEqual(sum(len(b) for b in batches), 120_000)


class Files(FromFile):
    def test_encodings_and_delimiters(self):
        for encoding in ("utf-8", "utf-8-sig", "cp1252", "utf-16"):
            for mark in ",;\t|":
                text = f"card{mark}date{mark}total{mark}site\nA{mark}2026-01-02{mark}3{mark}Café\n"
                file = self.write(text, encoding=encoding)
                self.assertEqual(file.dialect.names, ("card", "date", "total", "site"))
                self.assertEqual(file.first_rows().column("site").to_pylist(), ["Café"])

    def test_quoted_cells(self):
        file = self.write('card,name,total\nA,"Pot, large",3\nB,"say ""hi""",4\n')
        self.assertEqual(file.first_rows().column("name").to_pylist(), ["Pot, large", 'say "hi"'])

    def test_ragged_rows_are_set_aside_and_counted(self):
        file = self.write("card,date,total\nA,2026-01-01,1\nB,2026-01-01\nC,2026-01-01,2,9\n")
        self.assertEqual(file.first_rows().column("card").to_pylist(), ["A"])
        self.assertEqual(file.ragged_count, 2)

    def test_what_is_no_table(self):
        for text, words in (
            ("", "empty"),
            ("just one column\n1\n2\n", "divides"),
            ("card,,total\nA,1,2\n", "Column 2 has no name"),
            ("card,total,total\nA,1,2\n", "called total"),
        ):
            with self.assertRaisesRegex(UnreadableFile, words):
                self.write(text)
        (self.folder / "x.bin").write_bytes(b"PK\x03\x04\x00\x00,,\n")
        with self.assertRaisesRegex(UnreadableFile, "broken zip"):
            sniff(self.folder / "x.bin")


class Guesses(FromFile):
    def test_other_names_and_styles(self):
        rows = [
            f"T{i};K{i % 40:03d};{1 + i % 28:02d}.03.2026 10:15;{i},50;Haus" for i in range(300)
        ]
        file = self.write("bon;member_no;sold;amount;dept\n" + "\n".join(rows) + "\n")
        mapping, guesses = guess_log(file.first_rows())
        self.assertEqual(
            mapping.roles,
            {"receipt": "bon", "customer": "member_no", "moment": "sold", "money": "amount",
             "department": "dept"},
        )  # fmt: skip
        self.assertTrue(mapping.decimal_comma)
        self.assertFalse(mapping.month_first)
        self.assertTrue(all(g.reason for g in guesses))
        self.assertEqual(money_scale(file.first_rows(), mapping), 2)

    def test_month_first_where_only_that_reads(self):
        rows = [f"{i},C{i % 9},05/{13 + i % 10}/2026,1.00" for i in range(50)]
        file = self.write("receipt,card,date,total\n" + "\n".join(rows) + "\n")
        self.assertTrue(guess_log(file.first_rows())[0].month_first)

    def test_codes_are_not_numbers(self):
        rows = [f"M{i},0{115 + i % 9},{4000 + i % 30},{1 + i % 5},{1950 + i % 40},m{i}@example.org"
                for i in range(200)]  # fmt: skip
        head = "card,district,post_code,household,birth_year,email\n"
        mapping, _ = guess_members(self.write(head + "\n".join(rows) + "\n").first_rows())
        self.assertEqual(
            mapping.types,
            {"card": "key", "district": "category", "post_code": "category",
             "household": "number", "birth_year": "number", "email": "address"},
        )  # fmt: skip

    def test_a_mapping_that_cannot_be_read_by(self):
        for roles, words in (
            ({"moment": "date", "money": "total"}, "customer or card"),
            ({"customer": "card", "moment": "date"}, "line total"),
            ({"customer": "card", "moment": "card", "money": "total"}, "two roles"),
            ({"customer": "person", "moment": "date", "money": "total"}, "no column called person"),
        ):
            with self.assertRaisesRegex(MappingError, words):
                LogMapping(roles).check(("card", "date", "total"))


if __name__ == "__main__":
    unittest.main()
