"""A database and its files as they stand at one moment, put back as often as a test needs them."""

import atexit
import shutil
import tempfile
from pathlib import Path

from django.db import connection, transaction

from sortija.server.bulk.parts import begin_part, join_part
from sortija.server.jobs.models import Heartbeat
from sortija.server.ledger.models import Line

__all__ = ["KEPT", "Snapshot", "own_tables"]

#: What migrations wrote; tests leave it as it is.
KEPT = ("django_migrations", "django_content_type", "auth_permission")


def own_tables():
    """The tables that tests fill and empty; those of the queue are left alone."""
    names = connection.introspection.django_table_names(only_existing=True)
    return [n for n in names if n not in KEPT and not n.startswith("procrastinate_")]


def _copy_new(source, target):
    if not Path(target).exists():
        shutil.copy2(source, target)


class Snapshot:
    """Every row and every file below ``folder``, as they are when it is taken."""

    def __init__(self, folder):
        self.files = Path(tempfile.mkdtemp(prefix="sortija-snapshot-"))
        atexit.register(shutil.rmtree, self.files, ignore_errors=True)
        shutil.copytree(folder, self.files, dirs_exist_ok=True)
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("SELECT DISTINCT intake_id FROM ledger_line")
            parts = sorted(number for (number,) in cursor.fetchall())
            self.lines = {
                number: self._read(cursor, f"SELECT * FROM ledger_line WHERE intake_id = {number}")
                for number in parts
            }
            # Workers that go on from test to test say by themselves that they live.
            apart = (Line._meta.db_table, Heartbeat._meta.db_table)
            tables = [n for n in own_tables() if n not in apart]
            self.rows = {name: self._read(cursor, f"SELECT * FROM {name}") for name in tables}

    @staticmethod
    def _read(cursor, query):
        with cursor.cursor.copy(f"COPY ({query}) TO STDOUT (FORMAT BINARY)") as stream:
            return b"".join(bytes(block) for block in stream)

    @staticmethod
    def _write(cursor, table, rows):
        with cursor.cursor.copy(f"COPY {table} FROM STDIN (FORMAT BINARY)") as stream:
            stream.write(rows)

    def put_back(self, folder):
        """Into an emptied database; files that are there already stay, for somebody may have them
        mapped, and files of one name hold the same."""
        shutil.copytree(self.files, folder, dirs_exist_ok=True, copy_function=_copy_new)
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("SET LOCAL session_replication_role = replica")  # in whatever order
            for name, rows in self.rows.items():
                self._write(cursor, name, rows)
            for number, rows in self.lines.items():
                self._write(cursor, begin_part(Line, "intake_id", number), rows)
                join_part(Line, ("intake_id", "number"), number)
