"""What server tests share: people, studies, files brought in, jobs done."""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any, ClassVar

from django.db import connection, transaction
from django.test import TransactionTestCase, override_settings
from procrastinate import PsycopgConnector
from procrastinate.contrib.django import app
from procrastinate.contrib.django.utils import connector_params
from rest_framework.test import APIClient

from sortija.server.accounts.models import Person
from sortija.server.jobs.models import Job
from sortija.server.studies.actions import start_study
from sortija.server.studies.models import Study
from tests.server import contract, turns
from tests.server.cold import COLD, forget_everything
from tests.server.seen import seen
from tests.server.snapshots import Snapshot, own_tables

__all__ = ["LOG", "MEMBERS", "Demo", "DemoCase", "ServerCase", "WorkerCase", "run_jobs"]

ROOT = Path(__file__).parents[2]
SMALL = ROOT / "sortija" / "demo" / "small"

LOG = """receipt,card,sold_at,site,channel,item,department,qty,price,total,kind
1,A,2026-01-10 10:00,North,till,101,Seeds,1,10.00,10.00,sale
1,A,2026-01-10 10:00,North,till,102,Pots,2,5.00,10.00,sale
2,B,2026-02-11 10:00,North,web,101,Seeds,1,10.00,10.00,sale
3,A,2026-03-12 10:00,North,till,101,Seeds,3,10.00,30.00,sale
3,A,2026-03-12 10:00,North,till,101,Seeds,-1,10.00,-10.00,return
4,,2026-03-13 10:00,North,till,103,Tools,1,7.00,7.00,sale
5,C,2026-04-14 10:00,South,till,103,Tools,1,7.00,7.00,void
6,C,2026-05-15 10:00,South,till,102,Pots,1,5.50,5.50,sale
7,B,31/02/2026,South,till,102,Pots,1,5.50,5.50,sale
8,B,2026-06-20 10:00,South,till,102,Pots,1,5.50,5.50,sale
2,B,2026-02-11 10:00,North,web,101,Seeds,1,10.00,10.00,sale
9,C,2062-06-20 10:00,South,till,102,Pots,1,5.50,5.50,sale
"""
MEMBERS = """card,joined_on,garden,district,mail_consent,email
A,2020-01-01,yard,0101,yes,a@example.org
B,2025-05-01,balcony,0102,no,b@example.org
C,2026-04-01,,0101,yes,c@example.org
D,2024-04-01,yard,0101,no,d@example.org
"""


def run_jobs() -> None:
    """Do every job that waits, as a worker would, then stop; on few connections, for they cost."""
    own = PsycopgConnector(kwargs=connector_params(), min_size=1, max_size=2)
    with app.replace_connector(own) as worker:
        worker.run_worker(wait=False, install_signal_handlers=False, listen_notify=False)


class ServerCase(TransactionTestCase):
    """A real database, real files in a folder of their own, one owner with an empty study."""

    #: Tables of the queue, which emptying the database leaves as they are.
    queue = "procrastinate_events, procrastinate_periodic_defers, procrastinate_workers"

    def place(self):
        """A folder for this test's files."""
        return Path(self.enterContext(tempfile.TemporaryDirectory()))

    def setUp(self):
        self.settle()
        self.enterContext(turns.watched(self))
        self.enterContext(contract.watched(self))
        self.populate()

    def populate(self):
        """What is there before the test."""
        self.owner = self.person("iris")
        self.study = start_study(self.owner, "Little shop")
        self.client = self.signed_in(self.owner)

    def settle(self):
        """A folder for this test's files."""
        folder = self.place()
        self.enterContext(
            override_settings(
                COLUMN_FILES=folder / "columns",
                ORIGINALS=folder / "originals",
                EXPORTS=folder / "exports",
                PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"],  # quick
            )
        )
        self.folder = folder

    def _fixture_teardown(self):
        """Delete what is there: of small tables it takes a tenth of truncating them all."""
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("SET LOCAL session_replication_role = replica")  # in whatever order
            for name in own_tables():
                cursor.execute(f"DELETE FROM {name}")

    def tearDown(self):
        with connection.cursor() as cursor:
            cursor.execute(f"TRUNCATE procrastinate_jobs, {self.queue} CASCADE")
            # Emptying a database takes the longer, the more parts of lines have piled up in it.
            cursor.execute(
                "SELECT inhrelid::regclass::text FROM pg_inherits "
                "WHERE inhparent = 'ledger_line'::regclass"
            )
            for (part,) in cursor.fetchall():
                cursor.execute(f"DROP TABLE {part}")

    def person(self, name):
        return Person.objects.create_user(name, password="a long enough word")

    def signed_in(self, person):
        client = APIClient()
        client.force_login(person)
        return client

    def url(self, path):
        return f"/api/studies/{self.study.pk}/{path}"

    def get(self, path, status=200, client=None, **query):
        response = (client or self.client).get(self.url(path), query)
        self.assertEqual(response.status_code, status, response.content[:500])
        if COLD and status == 200:
            forget_everything()
            again = (client or self.client).get(self.url(path), query)
            self.assertEqual(response.json(), again.json(), f"{path} {query}, asked again")
        return response.json()

    def everyone(self, *fields, **query):
        """Each customer's code with its values or words in these columns, through the list."""
        out, first, total = {}, 0, 1
        while first < total:
            page = self.get("customers", fields=",".join(fields), first=first, **query)
            told = [
                [c["levels"][place] if place >= 0 else None for place in c["places"]]
                if c["levels"] else c["numbers"]
                for c in page["columns"]
            ]  # fmt: skip
            out.update(zip(page["names"], zip(*told, strict=True), strict=True))
            first, total = first + len(page["names"]), page["total"]
        return out

    def send(self, method, path, body=None, status=200, client=None, **headers):
        """Send a change, by default after a look at what is there now."""
        call = getattr(client or self.client, method)
        revision = seen(self.study, path)
        if revision is not None:
            headers = {"If-Match": f'"{revision}"', **headers}
        response = call(self.url(path), body, format="json", headers=headers)
        self.assertEqual(response.status_code, status, response.content[:500])
        return response.json() if response.content else None

    def saved(self, path, client=None):
        """Ask for a file, let a job write it, fetch it; its text."""
        row = self.send("post", path, status=201, client=client)
        run_jobs()
        self.assertTrue(self.get(f"exports/{row['id']}", client=client)["ready"])
        answer = (client or self.client).get(self.url(f"exports/{row['id']}/file"))
        self.assertEqual(answer.status_code, 200)
        return answer.getvalue().decode()

    def upload(self, text, name, part=64, client=None):
        """Send a file in small parts through the real door; returns the upload's number."""
        data = text if isinstance(text, bytes) else text.encode()
        begun = self.send("post", "uploads", {"name": name, "size": len(data)}, 201, client)
        for offset in range(0, len(data), part):
            response = (client or self.client).put(
                self.url(f"uploads/{begun['id']}/parts?offset={offset}"),
                data[offset : offset + part],
                content_type="application/octet-stream",
            )
            self.assertEqual(response.status_code, 200, response.content)
        return begun["id"]

    def bring_in(self, text, name, role=""):
        """Upload, review, count; returns the intake as it then stands."""
        upload = self.upload(text, name, part=1 << 20)
        intake = self.send("post", "intakes", {"upload": upload, "role": role}, 201)
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        return self.get(f"intakes/{intake['id']}")

    def both_files(self):
        log = self.bring_in(LOG, "log.csv")
        members = self.bring_in(MEMBERS, "members.csv")
        self.assertEqual((log["state"], members["state"]), ("counted", "counted"))
        return log, members


class Demo:
    """Before a kind of case: its tests begin with the small Marrowmere set, counted.

    It is counted once for all tests of a process, and put back for each; so is what classes make
    :meth:`once`.
    """

    _kept: ClassVar[dict[Any, Snapshot]] = {}

    def populate(self):
        once = type(self).once
        if once in self._kept:
            self._begin_from(once)
            return
        if Demo.once in self._kept:
            self._begin_from(Demo.once)
        else:
            super().populate()
            self.count_the_demo()
            self._kept[Demo.once] = Snapshot(self.folder)
        if once is not Demo.once:
            self.once()
            self._kept[once] = Snapshot(self.folder)

    def _begin_from(self, once):
        self._kept[once].put_back(self.folder)
        self.owner, self.study = Person.objects.get(username="iris"), Study.objects.get()
        self.client = self.signed_in(self.owner)

    def once(self):
        """What all tests of a class begin with, beyond the demo: made for the first of them."""

    def swept(self):
        """The usual recipe run, nothing adopted: for ``once`` of a class."""
        self.sweep()


class DemoCase(Demo, ServerCase):
    """The small Marrowmere set, counted; groups on request."""

    def count_the_demo(self):
        for name in ("log.csv", "members.csv"):
            self.bring_in((SMALL / name).read_text(), name)

    def sweep(self):
        """Run the recipe; returns the page."""
        self.send("post", "groups/run", status=202)
        run_jobs()
        page = self.get("groups")
        self.assertEqual(page["status"]["state"], "whole", page["status"])
        return page

    def adopt(self, k=4):
        """Adopt the grouping with k groups; returns its candidate row."""
        row = next(r for r in self.sweep()["candidates"] if r["k"] == k)
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        return row

    def four_groups(self):
        """The usual recipe run, 4 groups adopted: for ``once`` of a class."""
        self.adopt(4)


class WorkerCase(ServerCase):
    """Real workers, in processes of their own, that can be killed."""

    def worker(self, lane="quick"):
        name = connection.settings_dict
        url = f"postgres://{name['USER']}:{name['PASSWORD']}@{name['HOST']}:{name['PORT']}/{name['NAME']}"
        environment = {
            **os.environ, "DATABASE_URL": url,
            "SORTIJA_DATA": str(self.folder), "DJANGO_SETTINGS_MODULE": "sortija.server.settings",
        }  # fmt: skip
        words = [sys.executable, "-m", "sortija.server", "work", "--lane", lane]
        return subprocess.Popen(words, cwd=ROOT, env=environment, start_new_session=True)

    def wait(self, reached, seconds=300):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if reached():
                return
            time.sleep(0.05)
        jobs = list(Job.objects.values("kind", "state", "stage", "done", "of", "error", "attempt"))
        self.fail(f"this did not come to pass in time: {jobs}")
