"""Columns survive PostgreSQL and the loss of their files."""

import os
import shutil

import numpy as np
from django.conf import settings
from django.db import IntegrityError, connection, transaction
from psycopg import sql

from sortija.core.engine import CHUNK
from sortija.core.table import Column
from sortija.server.bulk.copy import copy_in, copy_out
from sortija.server.bulk.parts import begin_part, join_part
from sortija.server.ledger.models import Line
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.studies import models
from sortija.server.studies.columns import blank, drop_column, read_column, write_column
from sortija.server.studies.models import ColumnChunk, Population
from sortija.server.studies.problems import ChangedMeanwhile
from tests.server.support import LOG, ServerCase

#: Fields of a line that the tests do not look at, and how they are copied.
_REST = {
    "quantity": "i8", "day": "date", "second": "i4", "card": "i4", "item": "i4", "run": "i4",
    "bits": "i4", "department": "i2", "site": "i2", "channel": "i2", "kind": "i2",
}  # fmt: skip


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

    def test_money_and_flags_keep_their_own_types(self):
        population = Population.objects.get(study=self.study)
        money = np.array([2**53 + 1, -5, 0], np.int64)  # more than a float64 holds
        flags = np.array([True, False, True])
        for kind, values in (("whole", money), ("flag", flags)):
            row = write_column(population, Column(kind, kind, values), "w", "f" * 64)
            for _ in range(2):
                found = np.asarray(read_column(row).values)
                self.assertEqual(found.dtype, values.dtype)
                np.testing.assert_array_equal(found, values)
                self.assertFalse(read_column(row).missing.any())
                shutil.rmtree(settings.COLUMN_FILES)
            blank(row, [0])
            self.assertEqual(read_column(row).values[0], 0)
        with self.assertRaises(TypeError):
            Column("money", "whole", money.astype(np.float64))

    def test_damaged_files_are_made_anew(self):
        population = Population.objects.get(study=self.study)
        values = np.arange(1000.0)
        reasons = np.zeros(1000, np.uint8)
        for number, damage in enumerate((
            lambda folder: (folder / "values.npy").write_bytes(b""),
            lambda folder: (folder / "values.npy").write_bytes(b"\x93NUMPY\x01\x00rubbish"),
            lambda folder: os.truncate(folder / "values.npy", 4000),
            lambda folder: np.save(folder / "values.npy", np.arange(999.0)),
            lambda folder: np.save(folder / "values.npy", np.arange(1000)),
            lambda folder: np.save(folder / "reasons.npy", np.zeros(7, np.uint8)),
        )):  # fmt: skip
            column = Column("x", "number", values, "", (), reasons)
            row = write_column(population, column, str(number), "f" * 64)
            (folder,) = settings.COLUMN_FILES.glob(f"column-{row.token}")
            damage(folder)
            self.assertEqual(read_column(row).values.tolist(), values.tolist(), number)
            self.assertEqual(read_column(row).reasons.tolist(), reasons.tolist(), number)

    def kept(self, values, key="w"):
        population = Population.objects.get(study=self.study)
        return write_column(population, Column("x", "number", values), key, "f" * 64)

    def test_what_is_gone_is_never_told_as_figures(self):
        """As for whoever reads a column at the moment in which it is dropped for good."""
        row = self.kept(np.arange(150_000.0))
        drop_column(models.Column.objects.get(pk=row.pk))
        with self.assertRaises(ChangedMeanwhile):
            read_column(row)
        self.assertFalse(list(settings.COLUMN_FILES.glob(f"column-{row.token}*")))

    def test_a_column_that_lacks_some_of_its_values_is_not_read(self):
        row = self.kept(np.arange(150_000.0))
        for number in (2, 0):
            ColumnChunk.objects.filter(column=row, number=number).delete()
            shutil.rmtree(settings.COLUMN_FILES / f"column-{row.token}", ignore_errors=True)
            with self.assertRaises(ChangedMeanwhile):
                read_column(row)

    def test_the_same_column_kept_anew_serves_whoever_holds_the_old_one(self):
        row = self.kept(np.arange(1000.0))
        drop_column(models.Column.objects.get(pk=row.pk))
        self.kept(np.arange(1000.0))
        self.assertEqual(read_column(row).values.tolist(), list(range(1000)))

    def test_a_forgotten_value_is_nowhere_any_more(self):
        """Neither here nor in files, nor for whoever holds the column as it was."""
        values = np.arange(CHUNK + 10.0)
        column = Column("spend", "number", values, why=np.full(len(values), 3, np.uint8))
        population = Population.objects.get(study=self.study)
        row = write_column(population, column, "w", "a" * 64)
        held, folder = models.Column.objects.get(pk=row.pk), settings.COLUMN_FILES
        read_column(row)
        before = {path.name for path in folder.iterdir()}
        blank(row, [CHUNK + 3, 7, 10**6])
        wanted = values.copy()
        wanted[[7, CHUNK + 3]] = np.nan
        shown = read_column(models.Column.objects.get(pk=row.pk))
        np.testing.assert_array_equal(shown.values, wanted)
        np.testing.assert_array_equal(np.flatnonzero(shown.reasons == 0), [7, CHUNK + 3])
        self.assertFalse(before & {path.name for path in folder.iterdir()})
        with self.assertRaises(ChangedMeanwhile):
            read_column(held)
        shutil.rmtree(folder)
        fresh = read_column(models.Column.objects.get(pk=row.pk))
        np.testing.assert_array_equal(fresh.values, wanted)
        self.assertNotEqual(row.fingerprint, "a" * 64)

    def test_lines_that_are_gone_are_never_told_as_none(self):
        self.bring_in(LOG, "log.csv")
        ledger = ledger_of(self.study)
        Line.objects.filter(intake=ledger.intakes[0].pk, number__gt=3).delete()
        shutil.rmtree(settings.COLUMN_FILES)
        with self.assertRaises(ChangedMeanwhile):
            ledger.lines()
        self.assertEqual(list(settings.COLUMN_FILES.iterdir()), [])

    def test_the_same_making_is_kept_once(self):
        population = Population.objects.get(study=self.study)
        column = Column("g", "category", np.array([1, 0, 2], np.int32), "", ("a", "b"))
        first = write_column(population, column, "w", "f" * 64)
        self.assertEqual(write_column(population, column, "w", "f" * 64).pk, first.pk)
        self.assertEqual(read_column(first).levels, ("a", "b"))


class Copying(ServerCase):
    def test_there_and_back(self):
        n = 100_000
        key = np.random.default_rng(2).integers(-(2**63), 2**63 - 1, n)
        small = np.arange(n) % 1000
        batch = [np.full(n, 7), np.arange(n), key, key[::-1], *[small] * len(_REST)]
        with transaction.atomic():
            part = begin_part(Line, "intake_id", 7)
            kinds = ["i4", "i4", "i8", "i8", *_REST.values()]
            names = ["intake", "number", "receipt", "money", *_REST]
            self.assertEqual(copy_in(Line, names, kinds, [batch], part), n)
            self.assertFalse(Line.objects.exists())  # not before it is whole
            join_part(Line, ("intake_id", "number"), 7)
        query = sql.SQL("SELECT number, receipt, money, day FROM ledger_line ORDER BY number")
        parts = [
            np.concatenate(p)
            for p in zip(*copy_out(query, ["i4", "i8", "i8", "date"]), strict=True)
        ]
        for got, wanted in zip(parts, (np.arange(n), key, key[::-1], small), strict=True):
            np.testing.assert_array_equal(got, wanted)

    def test_a_key_that_comes_twice_leaves_nothing(self):
        batch = [np.full(2, 8), np.ones(2, int), *[np.zeros(2, int)] * (2 + len(_REST))]
        with self.assertRaises(IntegrityError), transaction.atomic():
            part = begin_part(Line, "intake_id", 8)
            kinds = ["i4", "i4", "i8", "i8", *_REST.values()]
            copy_in(Line, ["intake", "number", "receipt", "money", *_REST], kinds, [batch], part)
            join_part(Line, ("intake_id", "number"), 8)
        self.assertFalse(Line.objects.exists())
        self.assertNotIn(part, connection.introspection.table_names())

    def test_a_null_or_another_width_is_noticed(self):
        for query in ("SELECT NULL::int4", "SELECT 1::int8", "SELECT 'texts'"):
            with self.assertRaises(ValueError):
                list(copy_out(sql.SQL(query), ["i4"]))
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
            self.assertEqual(cursor.fetchone(), (1,))
