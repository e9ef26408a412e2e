"""Columns survive PostgreSQL and the loss of their files."""

import shutil

import numpy as np
from django.conf import settings
from django.db import connection
from psycopg import sql

from sortija.core.table import Column
from sortija.server.bulk.copy import copy_in, copy_out
from sortija.server.ledger.models import Receipt
from sortija.server.studies.columns import read_column, write_column
from sortija.server.studies.models import ColumnChunk, Population
from tests.server.support import ServerCase


class Columns(ServerCase):
    def test_whole_again_after_the_files_are_lost(self):
        population = Population.objects.get(study=self.study)
        values = np.random.default_rng(1).normal(size=150_000)
        values[::7] = np.nan
        reasons = np.where(np.isnan(values), 2, 0).astype(np.uint8)
        row = write_column(
            population, Column("x", "number", values, "days", (), reasons), "w", "f" * 64
        )
        self.assertEqual(ColumnChunk.objects.filter(column=row).count(), 3)
        for _ in range(2):
            column = read_column(row)
            np.testing.assert_array_equal(column.values, values)
            np.testing.assert_array_equal(column.reasons, reasons)
            shutil.rmtree(settings.COLUMN_FILES)

    def test_the_same_making_is_kept_once(self):
        population = Population.objects.get(study=self.study)
        column = Column("g", "category", np.array([1, 0, 2], np.int32), "", ("a", "b"))
        first = write_column(population, column, "w", "f" * 64)
        self.assertEqual(write_column(population, column, "w", "f" * 64).pk, first.pk)
        self.assertEqual(read_column(first).levels, ("a", "b"))


class Copying(ServerCase):
    def test_there_and_back(self):
        n = 100_000
        rng = np.random.default_rng(2)
        key = rng.integers(-(2**63), 2**63 - 1, n)
        fields = ["intake", "number", "key", "content", "first_line", "lines"]
        kinds = ["i4", "i4", "i8", "i8", "i4", "i4"]
        batch = [np.full(n, 7), np.arange(n), key, key[::-1], np.arange(n), np.ones(n, int)]
        self.assertEqual(copy_in(Receipt, fields, kinds, [batch]), n)
        query = sql.SQL("SELECT number, key FROM ledger_receipt ORDER BY number")
        parts = list(copy_out(query, ["i4", "i8"]))
        np.testing.assert_array_equal(np.concatenate([p[1] for p in parts]), key)

    def test_a_null_or_another_width_is_noticed(self):
        for query in ("SELECT NULL::int4", "SELECT 1::int8", "SELECT 'texts'"):
            with self.assertRaises(ValueError):
                list(copy_out(sql.SQL(query), ["i4"]))
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
            self.assertEqual(cursor.fetchone(), (1,))
