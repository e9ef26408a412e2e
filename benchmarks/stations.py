"""Scores, Groups and Portraits as a browser waits for them: answers at a million customers, the
first row of the string after a recipe change, frames a second while a fence or a cut is dragged."""

from __future__ import annotations

import os
import re
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any

from benchmarks.support import Row, timed

ROOT = Path(__file__).parents[1]
MEMBERS = 100_000
TIMES, FRAMES = 7, 30
PASSWORD = "moss and gravel"
CELL = {"step": 0, "origin": 0, "target": 1}


def large_rows(screens: Any, study: Any) -> list[Row]:
    """The field after a cut was moved, the map of one grouping after another, their portraits."""
    return [
        _field(screens), *_maps(screens, study), *_portraits(screens, study),
        *crossings_rows(screens, study), *campaign_rows(screens, study),
    ]  # fmt: skip


def _row(name: str, seconds: float, most: float = 0.3) -> Row:
    return Row(name, f"{1000 * seconds:,.0f} ms", f"{1000 * most:,.0f} ms", seconds / most,
               "at most 1", seconds <= most)  # fmt: skip


def _field(screens: Any) -> Row:
    page = screens.get("scores")
    seconds = []
    for turn in range(TIMES):
        cuts = [2, 4, 7, 12 + turn]
        measures = [{"name": "recency"}, {"name": "monetary"},
                    {"name": "frequency", "cut": "own cuts", "own": cuts}]  # fmt: skip
        body = {**page["draft"], "measures": measures}
        screens.send("put", "scores/recipe", body)
        seconds.append(timed(lambda: screens.get("scores", shade="measure:tenure")))
    return _row("Scores' field, 1M customers, after a cut was moved", statistics.median(seconds))


def _maps(screens: Any, study: Any) -> list[Row]:
    from sortija.server.groups.models import Grouping

    draft = {"numeric": ["recency", "frequency", "monetary", "tenure", "basket_median"],
             "categories": ["plan", "garden"], "starts": 3, "most": 9}  # fmt: skip
    _sweep(screens, draft)
    rows = list(Grouping.objects.filter(study=study).order_by("k"))
    answers: dict[str, list[float]] = {"map": [], "plane": [], "points": [], "widths": []}
    for row in rows[:TIMES]:
        for name, seconds in answers.items():
            query = {"axes": "measure:frequency,component:1"} if name != "widths" else {}
            path = f"{screens.root}groups/{row.pk}/{name}"

            def ask(path: str = path, query: dict[str, str] = query) -> None:
                answer = screens.client.get(path, query)
                assert answer.status_code == 200, answer.content[:300]

            seconds.append(timed(ask))
    slowest = max(answers, key=lambda name: statistics.median(answers[name]))
    seconds = statistics.median(answers[slowest])
    return [_row(f"slowest answer of Groups' map, 1M customers, another grouping: {slowest}",
                 seconds)]  # fmt: skip


def _portraits(screens: Any, study: Any) -> list[Row]:
    """Portraits right after one grouping after another was adopted; pairs of measures; the book."""
    from sortija.server.groups.models import Grouping

    rows = list(Grouping.objects.filter(study=study).order_by("k"))
    painted, paired = [], []
    for row in rows[:TIMES]:
        screens.send("post", "groups/adopt", {"grouping": row.pk})
        painted.append(timed(lambda: screens.get("portraits")))
    threads = len(screens.get("portraits")["numeric"])
    options = [option["name"] for option in screens.get("portraits/multiples")["options"]]
    for x, y in pairwise(options[: TIMES + 1]):
        paired.append(timed(lambda x=x, y=y: screens.get("portraits/multiples", x=x, y=y)))
    _sweep(screens, {"numeric": ["recency", "frequency", "monetary"], "starts": 3, "most": 12})
    twelve = Grouping.objects.filter(study=study, k=12).latest("id")
    screens.send("post", "groups/adopt", {"grouping": twelve.pk})
    screens.get("portraits/book")
    book = f"{screens.root}portraits/book/file"

    def pdf() -> None:
        answer = screens.client.get(book, {"kind": "pdf"})
        assert answer.status_code == 200, answer.content[:300]

    return [
        _row(f"Portraits of 1M customers, just adopted: {threads} measures",
             statistics.median(painted), 0.5 * threads / 20),
        _row("two measures as small multiples, 1M customers", statistics.median(paired)),
        _row("a book of 12 segments of 1M customers as PDF",
             statistics.median(timed(pdf) for _ in range(3)), 5),
    ]  # fmt: skip


def campaign_rows(screens: Any, study: Any) -> list[Row]:
    """A plan for everybody, its draw and its result; most of the log lies after the letter."""
    from sortija.server.measures.many_windows import make_now
    from sortija.server.studies.trail import default_window
    from sortija.server.studies.windows import WindowInView

    last = default_window(study).to
    sent = last - timedelta(days=60)
    window = WindowInView(sent, "12")
    make_now(study, [window])
    plan = {
        "name": "Everybody", "send_on": sent.isoformat(), "clauses": [], "holdout": 0.1,
        "read_on": (last - timedelta(days=18)).isoformat(),
    }  # fmt: skip
    path = f"campaigns?to={sent.isoformat()}&back=12"
    row = screens.send("post", path, plan)
    stream = statistics.median(timed(lambda: screens.get("campaigns")) for _ in range(TIMES))
    one = f"campaigns/{row['id']}"
    draw = timed(lambda: screens.send("post", f"{one}/draw"))
    result = timed(lambda: screens.get(f"{one}/result"))
    seconds, mebibytes = _list_written(screens.send("post", f"{one}/list", {"kind": "csv"}))
    return [
        _row("the stream of a plan for 1M customers", stream, 0.3),
        _row("its draw", draw, 2.0),
        _row("its result, told for the first time", result, 1.0),
        _row(f"its list as CSV, by a worker of {mebibytes:.0f} MiB (500 due)", seconds, 20.0),
    ]


_WORKER = """
import re, time, django
from pathlib import Path
django.setup()
from sortija.server.jobs import work
before = time.perf_counter()
work.run({job}, 1)
seconds = time.perf_counter() - before
# Of this program alone; the usage of a child begins with what its parent took.
most = re.search(r"VmHWM:\\s+(\\d+)", Path("/proc/self/status").read_text())
print(seconds, int(most[1]) / 1024)
"""


def _list_written(export: Any) -> tuple[float, float]:
    """Seconds that a worker of its own takes to write a list, and the MiB that it takes at most."""
    environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "sortija.server.settings"}
    told = subprocess.run(
        [sys.executable, "-c", _WORKER.format(job=export["job"]["id"])], env=environment,
        check=True, capture_output=True, text=True,
    )  # fmt: skip
    seconds, mebibytes = told.stdout.split()
    return float(seconds), float(mebibytes)


def crossings_rows(screens: Any, study: Any) -> list[Row]:
    """Views of movement once everybody is placed at four quarter ends, three months each."""
    from sortija.server.crossings.dates import whole_windows
    from sortija.server.groups.models import Grouping
    from sortija.server.measures.many_windows import make_now
    from sortija.server.studies.trail import default_window
    from sortija.server.studies.windows import WindowInView

    row = Grouping.objects.filter(study=study, k=6).latest("id")
    screens.send("post", "groups/adopt", {"grouping": row.pk})
    view = WindowInView(default_window(study).to, "3")
    make_now(study, whole_windows(study, view, "quarter"))
    window = {"to": view.to.isoformat(), "back": "3"}
    asked = {
        "ribbons": lambda: screens.get("crossings", by="quarter", **window),
        "paths": lambda: screens.get("crossings/paths", by="quarter", **window),
        "next": lambda: screens.get("crossings/next", **window),
        "why": lambda: screens.get("crossings/why", by="quarter", **CELL, **window),
    }
    views = {}
    for name, ask in asked.items():
        ask()
        views[name] = statistics.median(timed(ask) for _ in range(TIMES))
    slowest = max(views, key=lambda name: views[name])
    dates = screens.get("crossings/paths", by="quarter", **window)["dates"]
    clauses, address = [], f"lens?to={window['to']}&back=3"
    for turn in range(TIMES + 1):
        pattern = ".".join([str(turn % 6 + 1), *["*"] * (len(dates) - 1)])
        clause = {"field": f"path:{'>'.join(dates)}={pattern}", "values": ["yes"]}
        body = {"clauses": [clause]}
        clauses.append(timed(lambda body=body: screens.send("post", address, body)))
    return [
        _row(f"slowest view of Crossings once placed, 1M customers: {slowest}", views[slowest]),
        _row("a lens of one path, another each time, 1M customers",
             statistics.median(clauses[1:]), 0.1),
    ]  # fmt: skip


def _sweep(screens: Any, draft: dict[str, Any]) -> None:
    """Group by this recipe, the job done by this process."""
    from sortija.server.jobs.models import Job
    from sortija.server.jobs.work import run

    screens.send("put", "groups/recipe", draft)
    job = Job.objects.get(pk=screens.send("post", "groups/run")["id"])
    run(job.pk, job.attempt)


class _Served:
    """Sortija as ./start serves it, with its workers, on a study of its own."""

    def __init__(self, folder: Path, members: int) -> None:
        data = folder / "data"
        environment = {**os.environ, "SORTIJA_DATA": str(data)}
        environment.pop("DATABASE_URL", None)
        words = [sys.executable, "-m", "sortija.launch.start", "--port", "8377"]
        if members:
            words += ["--members", str(members)]
        self.process = subprocess.Popen(
            words, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True,
            start_new_session=True,
        )  # fmt: skip
        self.link = ""
        assert self.process.stdout is not None
        for line in self.process.stdout:
            found = re.search(r"http\S+/join#\S+", line)
            if found:
                self.link = found[0]
                break

    def stop(self) -> None:
        os.killpg(self.process.pid, signal.SIGINT)
        self.process.wait(60)


def _browser(act: Callable[[Any], list[Row]], link: str) -> list[Row]:
    """Do something in Chromium, signed in."""
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--headless", "--no-sandbox"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.set_default_timeout(120_000)
        page.goto(link)
        page.get_by_label("Choose a password").fill(PASSWORD)
        page.get_by_role("button", name="Set password and sign in").click()
        page.wait_for_url("**/study/**")
        try:
            return act(page)
        finally:
            browser.close()


def _station(page: Any, name: str) -> None:
    stations = page.get_by_role("navigation", name="Stations")
    stations.get_by_role("link", name=re.compile(f"^{name}")).click()
    page.get_by_role("heading", name=name, level=1).wait_for()


def _dragged(page: Any, handle: Any, path: list[tuple[float, float]]) -> float:
    """Frames a second while a handle goes along a path, the middle of the mouse's steps."""
    box = handle.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(
        "() => { window.frames_ = []; const on = (t) => { window.frames_.push(t); "
        "window.going_ = requestAnimationFrame(on); }; window.going_ = requestAnimationFrame(on) }"
    )
    for dx, dy in path * 3:
        page.mouse.move(x + dx, y + dy, steps=12)
    times = page.evaluate("() => { cancelAnimationFrame(window.going_); return window.frames_ }")
    page.mouse.up()
    gaps = [b - a for a, b in pairwise(times)]
    return 1000 / statistics.quantiles(gaps, n=20)[18]  # the slow frames count, not the median


def _drags(page: Any) -> list[Row]:
    _station(page, "Scores")
    corner = page.get_by_role("slider", name="Lower corner of Lately and often")
    corner.wait_for()
    fence = _dragged(page, corner, [(-140, 90), (60, -40), (0, 0)])
    ruler = page.get_by_role("slider", name="Cut 2 of Visits")
    cut = _dragged(page, ruler, [(0, -60), (0, 20), (0, 0)])
    _station(page, "Groups")
    page.get_by_role("tab", name="Merges").click()
    page.get_by_role("button", name="Grow the trees").click()
    slider = page.get_by_role("slider", name="Cut")
    slider.wait_for()
    page.wait_for_timeout(4000)
    tree = _dragged(page, slider, [(0, 120), (0, -40), (0, 0)])
    rates = {"a fence": fence, "a cut of a band": cut, "the cut of a tree": tree}
    return [
        Row(f"dragging {what}: 19 of 20 frames", f"{rate:.0f} a second", "30 a second",
            rate / FRAMES, "at least 1", rate >= FRAMES)
        for what, rate in rates.items()
    ]  # fmt: skip


def _first_rows(page: Any) -> list[Row]:
    """From the change of the recipe to the first row of the string, as the screen shows it."""
    _station(page, "Groups")
    page.get_by_role("button", name=re.compile("^Try 2 to 8")).click()
    page.get_by_role("button", name="8 groups: silhouette").wait_for()
    how = page.get_by_role("region", name="Recipe").get_by_role(
        "button", name=re.compile("^Method")
    )
    how.click()
    seconds = []
    for turn in range(5):
        page.get_by_label("Seed", exact=True).fill(str(100 + turn))
        page.keyboard.press("Enter")
        page.get_by_text("changed since the last run").wait_for()
        page.wait_for_timeout(1500)
        began = time.perf_counter()
        page.get_by_role("button", name="Group again").click()
        page.get_by_role("button", name="2 groups: silhouette").and_(
            page.locator("section:not(.stale) [role=button]")
        ).wait_for()
        seconds.append(time.perf_counter() - began)
        page.get_by_role("button", name="8 groups: silhouette").wait_for()
        page.get_by_text("Grouped by this recipe").wait_for()
    middle = statistics.median(seconds)
    return [
        Row(f"recipe changed to first row on screen, {MEMBERS // 1000}k members",
            f"{1000 * middle:.0f} ms", "1,000 ms", middle, "at most 1", middle <= 1)
    ]  # fmt: skip


def run() -> list[Row]:
    """Frames on the demo, the first row at a hundred thousand members."""
    rows: list[Row] = []
    for members, act in ((MEMBERS, _first_rows), (0, _drags)):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder).chmod(0o755)  # the database's own user must be able to enter
            served = _Served(Path(folder), members)
            try:
                rows += _browser(act, served.link)
            finally:
                served.stop()
    return rows
