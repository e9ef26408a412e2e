"""A real browser on a real server with real workers."""

from concurrent.futures import ThreadPoolExecutor

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from playwright.sync_api import sync_playwright

from sortija.server.accounts.models import SignInLink
from tests.server.support import WorkerCase

__all__ = ["BrowserCase"]

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
        for worker in self.workers:
            worker.terminate()
        for worker in self.workers:
            worker.wait(20)

    def link(self, person):
        """A one-time sign-in link's path."""
        return f"/join#{SignInLink.make(person)[1]}"

    def come_in(self, page, path):
        """Use a link: only the button uses it up."""
        page.goto(path)
        page.get_by_label("Choose a password").fill(PASSWORD)
        page.get_by_role("button", name="Set password and come in").click()
        page.wait_for_url("**/study/**")

    def figure(self, locator):
        """The first whole number in a text."""
        text = locator.inner_text()
        digits = "".join(c for c in text.split()[0] if c.isdigit())
        return int(digits)
