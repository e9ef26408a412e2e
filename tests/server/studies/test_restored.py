"""An older copy of the database put back beside newer files: every figure as if made afresh."""

import os
import subprocess
from pathlib import Path

from django.db import connection
from django.test import override_settings

from tests.server.support import LOG, MEMBERS, ServerCase, run_jobs

HEAD = LOG.splitlines()[0]
ONE = f"""{HEAD}
20,A,2026-06-21 10:00,North,till,101,Seeds,1,900.00,900.00,sale
21,E,2026-06-22 10:00,North,till,101,Seeds,1,77.00,77.00,sale
"""
OTHER = f"""{HEAD}
30,B,2026-06-21 11:00,South,web,103,Tools,2,5.00,10.00,sale
31,F,2026-06-23 12:00,South,till,102,Pots,1,3.00,3.00,sale
32,C,2026-06-24 12:00,South,till,102,Pots,4,3.00,12.00,sale
"""
FIELDS = ("measure:recency", "measure:frequency", "measure:monetary", "measure:basket_mean",
          "trait:garden")  # fmt: skip


def _tool(name, *words):
    """Run a program of PostgreSQL's on the test's database."""
    at = connection.settings_dict
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"))
    program = str(found[-1]) if found else name
    where = ["-h", str(at["HOST"]), "-p", str(at["PORT"]), "-U", at["USER"], "-d", at["NAME"]]
    environment = {**os.environ, "PGPASSWORD": at["PASSWORD"] or ""}
    done = subprocess.run(
        [program, *where, *words], capture_output=True, text=True, env=environment
    )
    assert done.returncode == 0, done.stderr


class Restored(ServerCase):
    def looks(self):
        run_jobs()
        self.get("measures", to="2026-06-30")
        self.get("ledger")
        people = self.everyone(*FIELDS, to="2026-06-30")
        earlier = self.everyone(*FIELDS, to="2026-03-31", back="3")
        page = self.get("ledger")
        return people, earlier, page["counted_total"], page["lines"]

    def test_what_was_made_before_is_not_taken_for_what_is_there_now(self):
        dump = str(self.folder / "older.dump")
        self.bring_in(LOG, "log.csv")
        self.bring_in(MEMBERS, "members.csv")
        before = self.looks()
        _tool("pg_dump", "-Fc", "-f", dump)

        self.bring_in(ONE, "one.csv")  # it goes on
        self.assertNotEqual(self.looks(), before)

        with connection.cursor() as cursor:  # and the older copy is put back
            cursor.execute("DROP SCHEMA public CASCADE")
            cursor.execute("CREATE SCHEMA public")
        connection.close()
        _tool("pg_restore", "--no-owner", dump)
        self.assertEqual(self.looks(), before)

        self.bring_in(OTHER, "other.csv")  # numbers of files and columns come again
        now = self.looks()
        with override_settings(COLUMN_FILES=self.folder / "fresh"):
            self.assertEqual(self.looks(), now)
        self.assertEqual(now[0]["C"][2], 17.5)
        self.assertNotIn("E", now[0])
