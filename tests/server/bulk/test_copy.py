"""Binary COPY in and out: every value comes back; what is not fixed in width is noticed."""

import numpy as np
from django.db import connection, transaction
from django.test import TransactionTestCase
from psycopg import sql
from psycopg.errors import UniqueViolation

from sortija.server.bulk.copy import copy_in, copy_out
from sortija.server.bulk.parts import begin_part, join_part
from sortija.server.ledger.models import Line

FIELDS = {
    "intake": "i4", "number": "i4", "receipt": "i8", "quantity": "i8", "money": "i8", "cost": "i8",
    "day": "date", "second": "i4", "card": "i4", "item": "i4", "run": "i4", "bits": "i4",
    "department": "i2", "site": "i2", "channel": "i2", "kind": "i2",
}  # fmt: skip


def batch(first, rows, seed=1):
    """Random values over the whole range of every type; days from before 1970 to beyond 2200."""
    rng = np.random.default_rng(seed + first)
    out = []
    for name, kind in FIELDS.items():
        if name == "intake":
            out.append(np.full(rows, 7, np.int32))
        elif name == "number":
            out.append(np.arange(first, first + rows, dtype=np.int32))
        elif kind == "date":
            out.append(rng.integers(-1, 90_000, rows).astype(np.int32))
        else:
            limits = np.iinfo(f"i{kind[1]}")
            out.append(rng.integers(limits.min, limits.max, rows, endpoint=True))
    return out


class RoundTrip(TransactionTestCase):
    def setUp(self):
        with transaction.atomic():
            self.part = begin_part(Line, "intake_id", 7)

    def tearDown(self):
        with connection.cursor() as cursor:
            cursor.execute("DROP TABLE IF EXISTS ledger_line_7")

    def fill(self, *batches):
        return copy_in(Line, list(FIELDS), list(FIELDS.values()), batches, self.part)

    def query(self, columns, rest=""):
        named = sql.SQL(", ").join([sql.Identifier(name) for name in columns])
        return sql.SQL("SELECT {} FROM {} {}").format(
            named, sql.Identifier(self.part), sql.SQL(rest)
        )

    def test_every_value_comes_back(self):
        wanted = [batch(0, 70_000), batch(70_000, 12), batch(70_012, 0)]
        with transaction.atomic():
            self.assertEqual(self.fill(*wanted), 70_012)
        columns = ["intake_id", *list(FIELDS)[1:]]
        parts = list(copy_out(self.query(columns, "ORDER BY number"),
                              list(FIELDS.values())))  # fmt: skip
        self.assertGreater(len(parts), 1)
        for place, name in enumerate(FIELDS):
            got = np.concatenate([part[place] for part in parts])
            want = np.concatenate([part[place] for part in wanted])
            np.testing.assert_array_equal(got, want, name)

    def test_as_the_orm_reads_it(self):
        with transaction.atomic():
            self.fill(batch(0, 5))
            join_part(Line, ("intake_id", "number"), 7)
        lines = list(Line.objects.filter(intake_id=7).order_by("number"))
        values = batch(0, 5)
        names = list(FIELDS)
        for place, line in enumerate(lines):
            self.assertEqual(line.money, values[names.index("money")][place])
            day = np.datetime64(int(values[names.index("day")][place]), "D")
            self.assertEqual(line.day.isoformat(), str(day))

    def test_a_key_that_comes_twice_leaves_nothing(self):
        with self.assertRaises(Exception) as caught, transaction.atomic():
            self.fill(batch(0, 5), batch(3, 5))
            join_part(Line, ("intake_id", "number"), 7)
        cause = caught.exception.__cause__ or caught.exception
        self.assertIsInstance(cause, UniqueViolation)
        self.assertEqual(Line.objects.count(), 0)

    def test_nothing_at_all(self):
        self.assertEqual(list(copy_out(self.query(["number"]), ["i4"])), [])

    def test_rows_of_another_width_are_noticed(self):
        with transaction.atomic():
            self.fill(batch(0, 3))
        for columns, kinds in ((["money"], ["i4"]), (["number"], ["i8"])):
            with self.subTest(columns), self.assertRaisesRegex(ValueError, "width|NULL"):
                list(copy_out(self.query(columns), kinds))
        empty = sql.SQL("SELECT NULL::int FROM {}").format(sql.Identifier(self.part))
        with self.assertRaisesRegex(ValueError, "width|NULL"):
            list(copy_out(empty, ["i4"]))
