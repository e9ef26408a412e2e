"""Who changes a study takes their turn at it before anything of it: watched in every test.

Two that take the same rows in different orders can wait for each other for ever; PostgreSQL ends
one of them, and a person reads of a failure. So the study's own row always comes first.
"""

import re
from contextlib import contextmanager
from unittest import mock

from django.db import connection

from sortija.server.jobs import work

__all__ = ["watched"]

_STUDY = "studies_study"
_TAKEN = re.compile(
    r'^UPDATE "(?P<updated>\w+)"|^DELETE FROM "(?P<deleted>\w+)"'
    r'|FROM "(?P<locked>\w+)".* FOR (NO KEY )?UPDATE',
    re.DOTALL,
)
#: Rows that are of no study, or that nobody takes together with a study.
_APART = re.compile(r"accounts_|auth_|django_|jobs_|procrastinate_|ledger_original")


class _Turns:
    """What one connection has taken in its present transaction."""

    def __init__(self, wrong):
        self.within, self.taken, self.wrong = None, [], wrong

    def __call__(self, execute, sql, params, many, context):
        database = context["connection"]
        blocks = database.atomic_blocks
        if not blocks:
            self.within, self.taken = None, []
        elif blocks[0] is not self.within:
            self.within, self.taken = blocks[0], []
        found = _TAKEN.search(str(sql)) if blocks else None
        if found:
            self._take(next(name for name in found.group("updated", "deleted", "locked") if name))
        return execute(sql, params, many, context)

    def _take(self, table):
        if _APART.match(table):
            return
        if table == _STUDY and _STUDY not in self.taken and self.taken:
            self.wrong.append(f"{', '.join(self.taken)} before the study")
        if table not in self.taken:
            self.taken.append(table)


@contextmanager
def watched(case):
    """Fail the case where a request or a job took a study after something of it."""
    wrong = []

    def run(job, attempt, do=work.run):  # on a thread, with a connection of its own
        with connection.execute_wrapper(_Turns(wrong)):
            do(job, attempt)

    with connection.execute_wrapper(_Turns(wrong)), mock.patch.object(work, "run", run):
        yield
    case.assertEqual(wrong, [], "whoever changes a study takes it first")
