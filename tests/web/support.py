"""A real browser on a real server with real workers."""

import re
import shutil
import tempfile
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from django.conf import settings
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.db import OperationalError, connection
from django.test import modify_settings
from django.test.runner import DiscoverRunner
from playwright.sync_api import Error as PlaywrightError
from playwright.sync_api import sync_playwright

from sortija.server.accounts.models import SignInLink
from sortija.server.jobs.models import Job
from tests.server.support import SMALL, Demo, WorkerCase

__all__ = ["BrowserCase", "Station"]

FLAGS = [
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
PASSWORD = "moss and gravel"
#: So many letters of a page are told where a step fails on it.
SHOWN = 4_000
#: The accessibility rules that hold, and the checker that knows them.
LEVELS = ("wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice")
AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
#: An experiment of the checker's: marks of a picture say more than is written in them.
UNSETTLED = ("label-content-name-mismatch",)
#: Only what is wrong comes back: all that the checker knows of a page takes longer than the check.
CHECK = """async ([levels, unsettled]) => {
  const found = await axe.run({ runOnly: levels, resultTypes: ["violations"] });
  const wrong = found.violations.filter((rule) => !unsettled.includes(rule.id));
  return wrong.flatMap((rule) =>
    rule.nodes.map((node) => [rule.id, node.html.slice(0, 200), node.failureSummary]));
}"""


def _on_the_screen(page):
    try:
        return page.locator("body").inner_text(timeout=2_000)[:SHOWN]
    except PlaywrightError as error:
        return f"cannot be read: {error}"


class Answers:
    """Middleware that knows how many requests are being answered, by whichever thread."""

    open = 0
    lock = threading.Lock()

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        self._count(1)
        try:
            return self.get_response(request)
        finally:
            self._count(-1)

    @classmethod
    def _count(cls, change):
        with cls.lock:
            cls.open += change

    @classmethod
    def wait(cls, seconds=60):
        """Until the last is given: a page that was closed does not end what it asked for, and
        what it asked for last may not have begun."""
        end = time.monotonic() + seconds
        quiet = 0
        while quiet < 6 and time.monotonic() < end:
            time.sleep(0.05)
            quiet = 0 if cls.open else quiet + 1


class House:
    """What starts slowly and serves all tests of a run: Chromium, the workers, their folder.

    Every Playwright call goes through one thread of its own, because Playwright's loop would make
    Django refuse the database in the test's thread.
    """

    now = None
    kept_open = False  # by who runs the tests, and closes it

    def __init__(self):
        self.folder = Path(tempfile.mkdtemp())
        self.workers = {}
        self.lane = ThreadPoolExecutor(1)
        self.lane.submit(self._open).result(timeout=300)

    @classmethod
    def open(cls):
        """The house that is open; it closes behind the last test of the run, or of the file."""
        if cls.now is None:
            cls.now = cls()
            if not cls.kept_open:
                unittest.addModuleCleanup(cls.close)
        return cls.now

    def _open(self):
        self.playwright = sync_playwright().start()
        self.browser = self.playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=FLAGS
        )

    @classmethod
    def close(cls):
        house, cls.now = cls.now, None
        house.stop_workers()

        def close():
            house.browser.close()
            house.playwright.stop()

        house.lane.submit(close).result(timeout=300)
        house.lane.shutdown()
        cls._end_answers()
        shutil.rmtree(house.folder, ignore_errors=True)

    @staticmethod
    def _end_answers(seconds=5):
        """What the closed browser had asked for may still be answered, from the database: it is
        given a moment, then ended, for nobody would let the database be removed meanwhile."""
        others = (
            "FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
        end = time.monotonic() + seconds
        with connection.cursor() as cursor:
            while time.monotonic() < end:
                cursor.execute(f"SELECT count(*) {others}")
                if cursor.fetchone() == (0,):
                    return
                time.sleep(0.2)
            cursor.execute(f"SELECT pg_terminate_backend(pid) {others}")

    def stop_workers(self):
        while self.workers:
            _, worker = self.workers.popitem()
            worker.terminate()
            worker.wait(60)


class OneHouse(DiscoverRunner):
    """Runs files of browser tests with one house for all of them."""

    def run_suite(self, suite, **kwargs):
        House.kept_open = True
        try:
            return super().run_suite(suite, **kwargs)
        finally:
            if House.now:
                House.close()


@modify_settings(MIDDLEWARE={"prepend": "tests.web.support.Answers"})
class BrowserCase(WorkerCase, StaticLiveServerTestCase):
    """Chromium at 1280×800, a context of its own for every test."""

    # The workers go on from test to test, and stay registered with the queue.
    queue = "procrastinate_events, procrastinate_periodic_defers"

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.house = House.open()

    def place(self):
        return self.house.folder

    def setUp(self):
        super().setUp()
        self.troubles = []
        self.browser = self.house.browser
        self.addCleanup(self._leave)
        self.run_in_browser(self._come)

    def settle(self):
        """Workers are there before the first row is: what a test begins with may need them."""
        super().settle()
        self.start_workers()

    def start_workers(self):
        for lane in ("quick", "long"):
            if lane not in self.house.workers:
                self.house.workers[lane] = self.worker(lane)

    def run_in_browser(self, function, *arguments):
        return self.house.lane.submit(self._do, function, *arguments).result(timeout=900)

    def _do(self, function, *arguments):
        """Do it; where it fails, the failure says what stood on every page."""
        try:
            return function(*arguments)
        except Exception as error:
            for context in self.browser.contexts:
                for page in context.pages:
                    error.add_note(f"{page.url}\n{_on_the_screen(page)}")
            if self.troubles:
                error.add_note(f"complained of: {self.troubles}")
            raise

    def _come(self):
        self.page = self.new_page()

    def _fixture_teardown(self):
        """Empty the database; a worker that looks for work just then may be in the way."""
        try:
            super()._fixture_teardown()
        except OperationalError:
            time.sleep(1)
            super()._fixture_teardown()

    def _leave(self):
        def close():
            for context in self.browser.contexts:
                context.close()

        self.run_in_browser(close)
        # Nothing may be at work while the database is emptied.
        Answers.wait()
        if Job.objects.filter(state__in=Job.OPEN).exists():
            self.house.stop_workers()

    def new_page(self):
        """A page of a person of its own, whose console and policy reports are listened to."""
        context = self.browser.new_context(
            viewport={"width": 1280, "height": 800}, base_url=self.live_server_url
        )
        context.set_default_timeout(60_000)
        page = context.new_page()
        page.on("console", self._heard)
        page.on("pageerror", lambda error: self.troubles.append(f"page: {error}"))
        page.on(
            "request",
            lambda r: self.troubles.append("policy report") if "policy-report" in r.url else None,
        )
        return page

    def accessible(self, page):
        """What is on the screen can be read, hit and heard by everybody (WCAG 2.2, A and AA)."""
        if not page.evaluate("() => 'axe' in window"):
            page.evaluate(AXE.read_text())
        told = page.evaluate(CHECK, [list(LEVELS), list(UNSETTLED)])
        self.assertEqual(told[:6], [], page.url)

    def _heard(self, message):
        if message.type == "error":
            self.troubles.append(f"console: {message.text} {message.location.get('url', '')}")

    def link(self, person):
        """A one-time sign-in link's path."""
        return f"/join#{SignInLink.make(person)[1]}"

    def use_link(self, page, path):
        """Come in for the first time: only the button uses the link up."""
        page.goto(path)
        page.get_by_label("Choose a password").fill(PASSWORD)
        page.get_by_role("button", name="Set password and sign in").click()
        page.wait_for_url("**/study/**")

    def key(self, person):
        """What a browser holds while somebody is signed in."""
        return self.signed_in(person).cookies[settings.SESSION_COOKIE_NAME].value

    def come_in(self, page, key):
        """Come back, still signed in."""
        cookie = {"name": settings.SESSION_COOKIE_NAME, "value": key, "url": self.live_server_url}
        page.context.add_cookies([cookie])
        page.goto("/")
        page.wait_for_url("**/study/**")

    def open_station(self, page, name):
        stations = page.get_by_role("navigation", name="Stations")
        stations.get_by_role("link", name=re.compile(f"^{name}")).click()
        page.get_by_role("heading", name=name, level=1).wait_for()

    def count_the_demo(self):
        self.count("log.csv", "members.csv")

    def count(self, *names):
        """Import files of the small demo; workers count them."""
        for name in names:
            upload = self.upload((SMALL / name).read_text(), name, part=1 << 20)
            intake = self.send("post", "intakes", {"upload": upload}, 201)
            self.send("post", f"intakes/{intake['id']}/count", status=202)
            path = f"intakes/{intake['id']}"
            self.wait(lambda path=path: self.get(path)["state"] == "counted")
        # The job ends a moment after its file counts: what is kept of it would else be at work.
        self.wait(lambda: not Job.objects.filter(state__in=Job.OPEN).exists())

    def stop_workers(self):
        """From here on nothing that was asked for is done."""
        self.house.stop_workers()


class Walking(BrowserCase):
    """A study walked through by its owner."""

    def walk(self, station, steps, *arguments):
        """Open a station as the owner, then do the steps; nothing may be complained of."""
        self.run_in_browser(self._walk, station, steps, self.key(self.owner), *arguments)
        self.assertEqual(self.troubles, [])

    def _walk(self, station, steps, key, *arguments):
        self.come_in(self.page, key)
        if station != "Ledger":
            self.open_station(self.page, station)
        steps(self.page, *arguments)

    def lens_shows(self, customers):
        there = self.page.get_by_test_id("customers-in-lens")
        there.and_(self.page.get_by_text(f"{customers:,}", exact=True)).wait_for()

    def lens_narrows(self, customers):
        """Some of so many are left, neither none nor all."""
        self.page.wait_for_function(
            "n => { const there = document.querySelector('[data-testid=customers-in-lens]');"
            " const left = Number((there?.innerText ?? '0').replace(/,/g, ''));"
            " return left > 0 && left < n; }",
            arg=customers,
        )

    def sweep(self):
        self.send("post", "groups/run", status=202)
        self.wait(lambda: self.get("groups")["status"]["state"] == "whole")
        # What is found out of the groups besides would else be half done in what tests begin with.
        self.wait(lambda: not Job.objects.filter(state__in=Job.OPEN).exists())

    def adopt(self, k=4):
        self.sweep()
        row = next(r for r in self.get("groups")["candidates"] if r["k"] == k)
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        return row


class Station(Demo, Walking):
    """One station, opened by the owner of a counted study."""
