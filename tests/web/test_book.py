"""The book in Chromium: written, changed where it stands, marked, taken away and read back."""

import re
import time
from pathlib import Path

from tests.web.support import FLAGS, Station


class TheBookByHand(Station):
    once = Station.swept

    def test_from_threads_to_the_book(self):
        self.adopt()
        whole = self.get("portraits")
        draft = self.get("portraits/book")
        figures = self.get("portraits/book/figures", page="1")["figures"]
        self.walk("Portraits", self.book, whole, draft, figures)

    def book(self, page, whole, draft, figures):
        head = draft["segments"][0]
        page.get_by_role("table", name="Measures by segment").wait_for()
        page.get_by_role("tab", name="Rules").click()
        page.get_by_role("button", name="Write the book").click()
        page.get_by_text(re.compile("^Written ")).wait_for()
        cover = page.get_by_role("article", name="Cover")
        cover.get_by_role("button", name=re.compile(re.escape(head["name"]))).click()
        self.lens_shows(whole["segments"][0]["customers"])
        page.get_by_role("button", name="Clear").click()
        self.accessible(page)
        sheet = page.get_by_role("article", name=head["name"])
        self.change(page, sheet, figures)
        self.arrange(page, draft)
        self.marked(page, sheet)
        self.files(page, head)

    def change(self, page, sheet, figures):
        """Words are typed, a figure is put in whole; what was there cannot be typed into."""
        visits = next(f for f in figures if f["key"] == "mean:frequency")
        sheet.get_by_role("button", name="Change: What to do").focus()
        page.keyboard.press("Enter")
        field = sheet.get_by_role("textbox", name="What to do")
        field.wait_for()
        page.keyboard.type("Write in March: {they} make ")
        sheet.get_by_role("button", name="Put in a figure").click()
        page.get_by_role("combobox", name="Find a figure").fill(visits["about"])
        page.get_by_role(
            "option", name=re.compile(f"^{re.escape(visits['about'])}")
        ).first.wait_for()
        page.keyboard.press("Enter")
        page.keyboard.type(" a year.")
        page.keyboard.press("Control+Enter")
        part = sheet.get_by_role("group", name="What to do")
        part.get_by_text(visits["words"], exact=True).wait_for()
        words = f"Write in March: (they) make {visits['words']} a year."
        self.assertIn(words, part.inner_text())
        # Escape leaves everything as it was.
        sheet.get_by_role("button", name="Change: What to do").click()
        page.keyboard.type("nonsense")
        page.keyboard.press("Escape")
        self.assertIn(words, part.inner_text())

    def arrange(self, page, draft):
        second = draft["segments"][1]["name"]
        page.get_by_role("button", name=f"{second} up", exact=True).click()
        sheets = page.get_by_role("article")
        sheets.nth(1).filter(has=page.get_by_role("heading", name=second)).wait_for()
        page.get_by_role("switch", name="To find them").click()
        page.get_by_role("group", name="To find them").first.wait_for(state="detached")

    def marked(self, page, sheet):
        """Seen at another window, a sentence is marked, and its new figures are taken."""
        address = page.url
        page.goto(f"{address}&to=2026-03-31&back=12")
        page.get_by_text(re.compile(r"\d+ sentences speak of figures")).wait_for()
        lead = sheet.get_by_role("group", name="In short")
        sentence = lead.get_by_role("button", name=re.compile("^On average"))
        before = sentence.inner_text()
        sentence.focus()
        page.keyboard.press("Enter")
        told = page.get_by_role("dialog")
        now = told.get_by_role("listitem").first.locator("b").inner_text()
        self.accessible(page)
        told.get_by_role("button", name="Take the new figures").click()
        sentence.wait_for(state="detached")
        self.assertNotEqual(lead.inner_text(), before)
        lead.get_by_text(now, exact=True).first.wait_for()
        page.get_by_role("button", name="Keep all as written").click()
        page.get_by_text(re.compile(r"\d+ sentences speak of figures")).wait_for(state="detached")

    def files(self, page, head):
        """The web page opens without a server and shows its pictures; PDF is read back from
        the viewer."""
        for kind, name in (("PDF", "pdf"), ("One web page", "html")):
            page.get_by_role("button", name="Take the book away").click()
            with page.expect_download() as saved:
                page.get_by_role("menuitem", name=kind, exact=True).click()
            page.get_by_text(f"little-shop-segments.{name} is saved.").wait_for()
            path = Path(saved.value.path()).rename(self.house.folder / f"book.{name}")
            if name == "pdf":
                text = self.copied_from(path)
                self.assertIn("Write in March: (they) make", text)
                self.assertIn(head["name"], text)
        self.refused(page)
        alone = page.context.new_page()
        asked = []
        alone.on("request", lambda request: asked.append(request.url))
        alone.goto(path.as_uri())
        alone.get_by_role("heading", name=head["name"]).wait_for()
        alone.get_by_text("Write in March: (they) make").wait_for()
        self.assertGreater(alone.locator("svg").count(), 4)
        self.assertEqual([u for u in asked if not u.startswith(("file:", "data:"))], [])
        alone.close()

    def refused(self, page):
        """A file that cannot be written says why, and nothing is saved in its place."""
        address = re.compile(r"/book/file\?")
        body = {"detail": "PDF needs the library Pango, which is missing on this machine."}
        page.route(address, lambda route: route.fulfill(status=503, json=body))
        page.get_by_role("button", name="Take the book away").click()
        page.get_by_role("menuitem", name="PDF", exact=True).click()
        page.get_by_text(body["detail"]).wait_for()
        page.unroute(address)
        self.troubles[:] = [each for each in self.troubles if "status of 503" not in each]

    def copied_from(self, path):
        """All that Chromium's own viewer lets one select and copy of a PDF, line ends as blanks."""
        viewer = self.house.playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=FLAGS,
            ignore_default_args=["--disable-extensions"],  # the viewer is one
        )  # fmt: skip
        try:
            context = viewer.new_context(permissions=["clipboard-read", "clipboard-write"])
            page, other = context.new_page(), context.new_page()
            other.goto(self.live_server_url)
            page.bring_to_front()
            page.goto(path.as_uri())
            text, end = "", time.monotonic() + 60
            while not text and time.monotonic() < end:  # until it is drawn
                page.mouse.click(700, 500)
                page.keyboard.press("Control+a")
                page.keyboard.press("Control+c")
                page.wait_for_timeout(500)
                other.bring_to_front()
                text = other.evaluate("navigator.clipboard.readText()")
                page.bring_to_front()
            return " ".join(text.split())
        finally:
            viewer.close()
