"""A lens with ten charts over a million customers, alone and while a sweep runs."""

from __future__ import annotations

import statistics
import subprocess
import sys
import time

import numpy as np

from benchmarks.support import Row, timed
from sortija.core.table import Column

CUSTOMERS = 1_000_000
TIMES = 30
_SWEEP = """
import numpy as np
from sortija.core.engine import Engine
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.groups.sweep import sweep
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table
rng = np.random.default_rng(1)
table = Table(tuple(Column(f"x{n}", "number", rng.normal(size=1_000_000)) for n in range(6)))
recipe = Recipe({f"x{n}": Steps() for n in range(6)})
rows = prepare(table, recipe)
print("begun", flush=True)
while True:
    for candidate in sweep(rows, range(2, 9), recipe, Engine(2)):
        pass
"""


def _study() -> int:
    """A study whose measures are there, as the making of one would have left them."""
    from sortija.server.accounts.models import Person
    from sortija.server.lens import fields
    from sortija.server.studies.actions import start_study

    person, _ = Person.objects.get_or_create(username="benchmark")
    study = start_study(person, "A million")
    rng = np.random.default_rng(5)
    columns = {
        f"n{n}": Column(f"n{n}", "number", rng.gamma(1.0, 40.0, CUSTOMERS)) for n in range(7)
    }
    for n in range(3):
        codes = rng.integers(0, 6, CUSTOMERS).astype(np.int32)
        columns[f"c{n}"] = Column(f"c{n}", "category", codes, "", tuple("abcde"))
    base = fields.Base(np.ones(CUSTOMERS, bool), rng.integers(0, 90_000, CUSTOMERS), "made")
    fields._KINDS["bench"] = lambda s, w, name: fields.Field(
        f"bench:{name}", name, "", columns[name], f"bench-{name}"
    )
    fields._BASE = fields.Hook("the benchmark's own base")
    fields.provides_base(lambda s, w: base)
    return study.pk


def run() -> list[Row]:
    """Server time of the whole request, through the API."""
    from rest_framework.test import APIClient

    from sortija.server.accounts.models import Person

    study = _study()
    client = APIClient()
    client.force_login(Person.objects.get(username="benchmark"))
    charts = [f"bench:n{n}" for n in range(7)] + [f"bench:c{n}" for n in range(3)]

    def ask(low: int) -> None:
        clauses = [
            {"field": "bench:n0", "ranges": [[low, low + 30]]},
            {"field": "bench:n1", "ranges": [[None, 80]]},
            {"field": "bench:c0", "values": ["a", "c"]},
        ]
        url = f"/api/studies/{study}/lens?to=2026-06-30"
        body = {"clauses": clauses, "charts": charts}
        response = client.post(url, body, format="json", HTTP_HOST="localhost")
        assert response.status_code == 200, response.content

    ask(0)
    alone = statistics.median(timed(lambda low=low: ask(low)) for low in range(1, TIMES))
    sweep = subprocess.Popen([sys.executable, "-c", _SWEEP], stdout=subprocess.PIPE)
    try:
        assert sweep.stdout is not None
        sweep.stdout.readline()
        time.sleep(2)
        beside = [timed(lambda low=low: ask(low)) for low in range(1, TIMES)]
    finally:
        sweep.kill()
        sweep.wait()
    worst = statistics.median(beside)
    return [
        Row("lens with ten charts over 1M customers, alone", f"{1e3 * alone:.0f} ms", "60 ms",
            alone / 0.06, "at most 1", alone <= 0.06),
        Row("the same while a sweep runs on both cores", f"{1e3 * worst:.0f} ms", "250 ms",
            worst / 0.25, "at most 1", worst <= 0.25),
    ]  # fmt: skip
