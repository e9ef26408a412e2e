"""A real browser on a real server with real workers."""

import re
from concurrent.futures import ThreadPoolExecutor

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from playwright.sync_api import sync_playwright

from sortija.server.accounts.models import SignInLink
from tests.server.support import SMALL, WorkerCase

__all__ = ["BrowserCase", "Station"]

FLAGS = [
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
PASSWORD = "moss and gravel"


class BrowserCase(WorkerCase, StaticLiveServerTestCase):
    """Chromium at 1280×800. Every Playwright call goes through one thread of its own, because
    Playwright's loop would make Django refuse the database in the test's thread.
    """

    def setUp(self):
        super().setUp()
        self.troubles = []
        self.lane = ThreadPoolExecutor(1)
        self.workers = [self.worker("quick"), self.worker("long")]
        self.addCleanup(self._stop)
        self.run_in_browser(self._open)

    def run_in_browser(self, function, *arguments):
        return self.lane.submit(function, *arguments).result(timeout=180)

    def _open(self):
        self.playwright = sync_playwright().start()
        self.browser = self.playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=FLAGS
        )
        self.page = self.new_page()

    def new_page(self):
        """A page of a person of its own, whose console and policy reports are listened to."""
        context = self.browser.new_context(
            viewport={"width": 1280, "height": 800}, base_url=self.live_server_url
        )
        context.set_default_timeout(20_000)
        page = context.new_page()
        page.on("console", self._heard)
        page.on("pageerror", lambda error: self.troubles.append(f"page: {error}"))
        page.on(
            "request",
            lambda r: self.troubles.append("policy report") if "policy-report" in r.url else None,
        )
        return page

    def _heard(self, message):
        if message.type == "error":
            self.troubles.append(f"console: {message.text}")

    def _stop(self):
        def close():
            self.browser.close()
            self.playwright.stop()

        self.run_in_browser(close)
        self.lane.shutdown()
        self.stop_workers()

    def link(self, person):
        """A one-time sign-in link's path."""
        return f"/join#{SignInLink.make(person)[1]}"

    def come_in(self, page, path):
        """Use a link: only the button uses it up."""
        page.goto(path)
        page.get_by_label("Choose a password").fill(PASSWORD)
        page.get_by_role("button", name="Set password and come in").click()
        page.wait_for_url("**/study/**")

    def open_station(self, page, name):
        stations = page.get_by_role("navigation", name="Stations")
        stations.get_by_role("link", name=re.compile(f"^{name}")).click()
        page.get_by_role("heading", name=name, level=1).wait_for()

    def counted(self):
        for name in ("log.csv", "members.csv"):
            upload = self.upload((SMALL / name).read_text(), name, part=1 << 20)
            intake = self.send("post", "intakes", {"upload": upload}, 201)
            self.send("post", f"intakes/{intake['id']}/count", status=202)
            path = f"intakes/{intake['id']}"
            self.wait(lambda path=path: self.get(path)["state"] == "counted")

    def stop_workers(self):
        """From here on nothing that was asked for is done."""
        while self.workers:
            worker = self.workers.pop()
            worker.terminate()
            worker.wait(20)

    def figure(self, locator):
        """The first whole number in a text."""
        text = locator.inner_text()
        digits = "".join(c for c in text.split()[0] if c.isdigit())
        return int(digits)


class Station(BrowserCase):
    """One station, opened by the owner of a counted study."""

    def setUp(self):
        super().setUp()
        self.counted()

    def walk(self, station, steps, *arguments):
        """Open a station as the owner, then do the steps; nothing may be complained of."""
        self.run_in_browser(self._walk, station, steps, self.link(self.owner), *arguments)
        self.assertEqual(self.troubles, [])
        self.owner.refresh_from_db()  # the password that was chosen ends sessions before it
        self.client = self.signed_in(self.owner)

    def _walk(self, station, steps, link, *arguments):
        self.come_in(self.page, link)
        if station != "Ledger":
            self.open_station(self.page, station)
        steps(self.page, *arguments)

    def lens_shows(self, customers):
        self.page.wait_for_function(
            "n => document.querySelector('aside .text-20')?.innerText === n", arg=f"{customers:,}"
        )

    def adopt(self, k=4):
        self.send("post", "groups/run", status=202)
        self.wait(lambda: self.get("groups")["status"]["state"] == "whole")
        row = next(r for r in self.get("groups")["candidates"] if r["k"] == k)
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        return row
