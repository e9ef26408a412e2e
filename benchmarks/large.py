"""Ten million lines of a million customers: intake, a rule's switch, every Ledger screen."""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
from collections.abc import Callable
from itertools import islice
from pathlib import Path
from typing import Any

from benchmarks.ledger import _bare_copy, _intake, _uploaded
from benchmarks.stations import large_rows
from benchmarks.support import Row, forget_peak, peak, timed

LINES = 10_000_000
MEMBERS = 1_000_000
TIMES = 7


def _files(folder: Path) -> tuple[Path, Path]:
    """The first ten million lines of the demo of a million members, and their table."""
    write = [sys.executable, "-m", "sortija.demo", str(folder), "--members", str(MEMBERS)]
    subprocess.run(write, check=True, stdout=subprocess.DEVNULL)
    path = folder / "ten-million.csv"
    with (folder / "log.csv").open("rb") as source, path.open("wb") as target:
        target.writelines(islice(source, LINES + 1))
    (folder / "log.csv").unlink()
    return path, folder / "members.csv"


class _Screens:
    """Requests through the API, as a browser sends them."""

    def __init__(self, study: Any) -> None:
        from rest_framework.test import APIClient

        from sortija.server.accounts.models import Person

        self.study = study
        self.client = APIClient(SERVER_NAME="127.0.0.1")
        self.client.force_login(Person.objects.get(username="benchmark"))
        self.root = f"/api/studies/{study.pk}/"

    def get(self, path: str, **query: Any) -> Any:
        answer = self.client.get(self.root + path, query)
        assert answer.status_code == 200, answer.content[:300]
        return answer.json()

    def send(self, method: str, path: str, body: Any = None) -> Any:
        """A change, by somebody who has just looked at what is there."""
        from tests.server.seen import seen

        revision = seen(self.study, path)
        headers = {} if revision is None else {"If-Match": f'"{revision}"'}
        call = getattr(self.client, method)
        answer = call(self.root + path, body, format="json", headers=headers)
        assert answer.status_code < 300, answer.content[:300]
        return answer.json()

    def switch(self, rule: str, on: bool) -> None:
        self.send("put", f"ledger/rules/{rule}", {"on": on})


def _first(ask: Callable[[], object], screens: _Screens) -> float:
    """Median seconds of a screen right after a rule was switched, when nothing of it is kept."""
    from sortija.server.ledger import lens_fields, views
    from sortija.server.ledger.rules import listing, summaries
    from sortija.server.ledger.store import ledger

    kept = (
        lens_fields._customers, ledger._load, listing._wanted, summaries._summaries,
        views._balanced,
    )  # fmt: skip
    ask()
    seconds = []
    for turn in range(TIMES):
        screens.switch("void", bool(turn % 2))
        for function in kept:
            function.cache_clear()
        seconds.append(timed(ask))
    return statistics.median(seconds)


def _members(study: Any, path: Path) -> None:
    from sortija.server.ledger.intake.actions import review
    from sortija.server.ledger.intake.uploads import take_file
    from sortija.server.ledger.models import Intake

    _intake(review(study, None, take_file(study, path), Intake.MEMBERS))


def _measures(screens: _Screens, study: Any) -> list[Row]:
    """The Measures screen of a million customers: after a change of preparation, and by a lens."""
    from sortija.server.ledger.store.ledger import ledger_of
    from sortija.server.measures import column_summaries, derivation, views
    from sortija.server.studies.trail import default_window

    window = default_window(study)
    derivation.make(ledger_of(study), window)
    views.measures_page(study, window, "", None)
    threads = len(screens.get("measures")["threads"])
    changed, lensed = [], []
    for turn in range(TIMES):
        body = {"steps": {"cap": 0.01 + turn / 1000, "transform": "log"}}
        screens.send("put", "measure/monetary", body)
        column_summaries._kept.cache_clear()
        changed.append(timed(lambda: screens.get("measures")))
        clause = {"field": "measure:recency", "ranges": [[None, 40 + turn]]}
        digest = screens.send("post", "lens", {"clauses": [clause]})["digest"]
        lensed.append(timed(lambda digest=digest: screens.get("measures", lens=digest)))
    return [
        Row(f"the Measures screen, 1M customers × {threads} threads: {words}",
            f"{1000 * seconds:.0f} ms", "300 ms", seconds / 0.3, "at most 1", seconds <= 0.3)
        for words, seconds in (
            ("a preparation changed", statistics.median(changed)),
            ("another lens", statistics.median(lensed)),
        )
    ]  # fmt: skip


def run() -> list[Row]:
    """Time and memory at ten million lines."""
    with tempfile.TemporaryDirectory() as folder:
        log, members = _files(Path(folder))
        intake: Any = _uploaded(log)
        forget_peak()
        mine = timed(lambda: _intake(intake))
        most = peak()
        theirs = timed(lambda: _bare_copy(log))
        _members(intake.study, members)
    screens = _Screens(intake.study)
    page = screens.get("ledger")
    line = screens.get("ledger/lines")["lines"][0]

    def switched() -> None:
        screens.switch("returns", not page["rules"][12]["on"])
        page.update(screens.get("ledger"))

    switched()
    switch = statistics.median(timed(switched) for _ in range(TIMES))
    slowest, name = max(
        (_first(ask, screens), name)
        for name, ask in (
            ("the Ledger", lambda: screens.get("ledger")),
            ("the Ledger by day", lambda: screens.get("ledger", step="day")),
            ("its lines", lambda: screens.get("ledger/lines")),
            ("lines of a rule", lambda: screens.get("ledger/lines", rule="no_customer")),
            ("its looks", lambda: screens.get("ledger/summaries")),
            ("a customer", lambda: screens.get("customer/77")),
            ("a receipt", lambda: screens.get(f"receipt/{line['receipt']}")),
        )
    )
    ratio = mine / theirs
    measured = _measures(screens, intake.study)
    return [
        Row("intake of 10M lines of CSV", f"{mine:.1f} s", f"bare COPY {theirs:.1f} s", ratio,
            "at most 3", ratio <= 3),
        Row("its memory", f"{most:.0f} MiB", "1,536 MiB", most / 1536, "at most 1", most <= 1536),
        Row("a rule's switch at 10M lines, with totals and waterline", f"{1000 * switch:.0f} ms",
            "300 ms", switch / 0.3, "at most 1", switch <= 0.3),
        Row(f"slowest Ledger screen after a switch, 10M lines, 1M customers: {name}",
            f"{1000 * slowest:.0f} ms", "300 ms", slowest / 0.3, "at most 1", slowest <= 0.3),
        *measured,
        *large_rows(screens, intake.study),
    ]  # fmt: skip
