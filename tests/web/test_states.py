"""Empty, out of date, failed and under review; what a reader sees."""

import gzip
import re
from contextlib import suppress
from unittest import mock

from django.utils import timezone
from playwright.sync_api import Error

from sortija.server.jobs.models import Job
from sortija.server.measures import derivation
from tests.server.support import LOG
from tests.web.support import BrowserCase, Station

#: What of a study a request asks for.
ASKED = re.compile(r"/studies/\d+/(\w+)")
STATIONS = {
    "Measures": "No measures yet",
    "Scores": "Scores are cut from measures",
    "Groups": "Groups are made from measures",
    "Portraits": "Portraits show adopted groups",
    "Crossings": "Crossings are counted between segments",
    "Campaigns": "No campaign is planned yet",
}


class States(BrowserCase):
    def test_empty_stations_say_what_will_be_there(self):
        self.run_in_browser(self.empty, self.key(self.owner))
        self.assertEqual(self.troubles, [])

    def empty(self, key):
        page = self.page
        self.come_in(page, key)
        page.get_by_text("No log has been imported yet").wait_for()
        self.assertEqual(page.get_by_role("button", name="Import a file").count(), 1)
        for name, words in STATIONS.items():
            self.open_station(page, name)
            page.get_by_role("heading", name=words).wait_for()
        page.get_by_text("No customers to look at yet").wait_for()
        self.open_station(page, "Measures")
        page.get_by_role("link", name="Go to the Ledger").click()
        page.get_by_role("heading", name="Ledger", level=1).wait_for()

    def test_files_that_cannot_be_read_and_mappings_corrected(self):
        for name, text in (("notes.csv", "only words\nand more\n"), ("log.csv", LOG)):
            (self.folder / name).write_text(text)
        self.run_in_browser(self.review, self.key(self.owner))
        # The refusal is an answer of status 400, which the browser's console repeats.
        for trouble in self.troubles:
            self.assertRegex(trouble, "status of 40[09]")

    def review(self, key):
        page = self.page
        self.come_in(page, key)
        files = page.get_by_test_id("file").first
        files.set_input_files(self.folder / "notes.csv")
        page.get_by_role("alert").get_by_text("No comma, semicolon, tab or bar").wait_for()
        files.set_input_files(self.folder / "log.csv")
        page.get_by_role("region", name="Review of log.csv").wait_for()
        page.get_by_label("How card is read").select_option("out")
        page.get_by_role("alert").get_by_text("Say which column holds the customer").wait_for()
        self.assertTrue(page.get_by_role("button", name="Import these 12 lines").is_disabled())
        page.get_by_label("How card is read").select_option("customer")
        page.get_by_label("How department is read").select_option("out")
        page.get_by_role("row", name=re.compile("^department")).get_by_text(
            "your choice"
        ).wait_for()
        page.get_by_role("button", name="Import these 12 lines").click()
        page.get_by_role("region", name="Files").get_by_text("log.csv").wait_for()
        page.get_by_test_id("file").first.set_input_files(self.folder / "log.csv")
        page.get_by_role("alert").get_by_text("log.csv is already in").wait_for()

    def test_what_only_a_person_can_tell_is_asked(self):
        rows = [
            f"{n},C{n % 9},0{1 + n % 6}/0{2 + n % 7}/2026,1.00,{'GIFT' if n % 10 == 0 else 'SALE'}"
            for n in range(90)
        ]
        text = "receipt,card,date,total,what\n" + "\n".join(rows) + "\n"
        (self.folder / "log.csv.gz").write_bytes(gzip.compress(text.encode()))
        self.run_in_browser(self.asked, self.key(self.owner))
        self.assertEqual(self.troubles, [])
        rules = {rule["key"]: rule for rule in self.get("ledger")["rules"]}
        self.assertEqual((rules["not_sale"]["lines"], rules["void"]["lines"]), (0, 9))
        self.assertEqual(rules["staff"]["lines"], 10)

    def asked(self, key):
        page = self.page
        self.come_in(page, key)
        page.get_by_test_id("file").first.set_input_files(self.folder / "log.csv.gz")
        review = page.get_by_role("region", name="Review of log.csv.gz")
        count = review.get_by_role("button", name="Import these")
        review.get_by_text("A question only you can answer").wait_for()
        self.assertTrue(count.is_disabled())
        review.get_by_label("What GIFT means").select_option("void")
        review.get_by_role("button", name="2 Jan 2026, month first").wait_for()
        review.get_by_role("button", name="1 Feb 2026, day first").click()
        review.get_by_text("A question only you can answer").wait_for(state="detached")
        count.click()
        rules = page.get_by_role("region", name="Rules")
        rules.get_by_role("button", name="list", exact=True).click()
        page.get_by_label("Staff and test cards", exact=True).last.fill("C1\nnobody*")
        page.get_by_role("button", name="These are staff and tests").click()
        page.get_by_text("Staff and test cards: C1, nobody*.").wait_for()
        rules.get_by_role("button", name="Staff and test cards", exact=True).click()
        page.get_by_role("region", name="Lines").get_by_text("C1", exact=True).first.wait_for()


class Counted(Station):
    """Of a study whose files are counted."""

    def test_a_reader_looks_and_is_offered_no_change(self):
        reader = self.person("rita")
        self.study.members.create(person=reader, role="reader")
        self.run_in_browser(self.reader, self.key(reader))
        self.assertEqual(self.troubles, [])

    def reader(self, key):
        page = self.page
        self.come_in(page, key)
        page.get_by_role("region", name="Rules").wait_for()
        self.assertEqual(page.get_by_role("button", name="Import a file").count(), 0)
        self.assertEqual(page.get_by_role("button", name="Remove", exact=True).count(), 0)
        self.open_station(page, "Measures")
        role = page.get_by_role("radiogroup", name="Visits in groups").get_by_role("radio").first
        role.wait_for()
        self.assertTrue(role.is_disabled())
        self.assertEqual(page.get_by_role("button", name="Add a formula").count(), 0)
        self.assertEqual(page.get_by_role("button", name=re.compile("^Use these")).count(), 0)
        self.open_station(page, "Groups")
        page.get_by_role("button", name="Try 2 to 8 groups").wait_for()
        self.assertTrue(page.get_by_role("button", name="Try 2 to 8 groups").is_disabled())

    def test_a_page_is_asked_for_again_when_there_is_more_of_it(self):
        self.get("measures")
        self.stop_workers()
        self.run_in_browser(self.watch, self.key(self.owner))
        job = Job.objects.create(
            study=self.study.pk, kind="groups.sweep", key="k", words="Grouping some customers",
            state=Job.RUNNING, started_at=timezone.now(), done=2, of=10,
        )  # fmt: skip
        self.run_in_browser(self.see_it_begin)
        Job.objects.filter(pk=job.pk).update(done=5)
        self.assertEqual(self.run_in_browser(self.listen), {"pulse"})
        Job.objects.filter(pk=job.pk).update(kept=1)
        asked = self.run_in_browser(self.until, "groups")
        self.assertFalse(asked & {"trail", "lens", "fields", "balance"}, asked)
        Job.objects.filter(pk=job.pk).update(state=Job.DONE)
        self.run_in_browser(self.until, "lens")
        self.assertEqual(self.troubles, [])

    def watch(self, key):
        self.come_in(self.page, key)
        self.open_station(self.page, "Groups")
        self.page.get_by_role("button", name="Try 2 to 8 groups").wait_for()
        self.page.wait_for_load_state("networkidle")
        self.asked = set()
        self.page.on("request", lambda request: self.asked.update(ASKED.findall(request.url)))

    def see_it_begin(self):
        self.page.get_by_text("Grouping some customers").first.wait_for()
        self.asked.clear()

    def listen(self):
        """What is asked for in the job's first second."""
        self.page.wait_for_timeout(1000)
        return set(self.asked)

    def until(self, name):
        """What has been asked for when this is."""
        while name not in self.asked:
            self.page.wait_for_timeout(20)
        return set(self.asked)

    def test_old_figures_are_hatched_until_they_are_brought_up_to_date(self):
        self.enterContext(mock.patch.object(derivation, "INLINE_LINES", 0))
        self.get("measures")
        self.wait(lambda: self.get("measures")["status"]["state"] == "whole")
        self.stop_workers()
        self.send("put", "ledger/rules/returns", {"on": True})
        self.run_in_browser(self.stale, self.key(self.owner))
        Job.objects.filter(state__in=Job.OPEN).update(state=Job.FAILED, error="The disk is full.")
        self.run_in_browser(self.broken)
        self.start_workers()
        self.run_in_browser(self.mended)
        self.assertEqual(self.troubles, [])

    def stale(self, key):
        page = self.page
        self.come_in(page, key)
        trail = page.get_by_role("navigation", name="Stations")
        trail.get_by_text("before 1 rule changed").first.wait_for()
        for name in ("Measures", "Scores"):
            self.open_station(page, name)
            page.get_by_text("From before 1 rule changed.").wait_for()
            page.get_by_test_id("out-of-date").locator("section").first.wait_for()
        page.get_by_text("Counted when the measures of this window are up to date").wait_for()
        page.get_by_role("button", name="Stop").click()
        page.get_by_text("Bringing it up to date takes about").wait_for()
        page.get_by_role("button", name="Bring up to date").click()
        page.get_by_text("Being brought up to date").wait_for()

    def broken(self):
        page = self.page
        for name in ("Scores", "Measures"):
            self.open_station(page, name)
            page.get_by_role("alert").get_by_text("The disk is full.").wait_for()
            page.get_by_test_id("out-of-date").locator("section").first.wait_for()

    def mended(self):
        page = self.page
        page.get_by_role("button", name="Try again").click()
        # The frame hatches late answers too, so that there may be two of them for a moment.
        page.get_by_test_id("out-of-date").first.wait_for(state="detached")
        page.get_by_role("alert").wait_for(state="detached")
        page.get_by_test_id("customers-in-lens").wait_for()

    def test_an_answer_from_before_a_change_is_not_taken_for_a_current_one(self):
        self.run_in_browser(self.late, self.key(self.owner))
        self.assertEqual(self.troubles, [])

    def late(self, key):
        page, held = self.page, []
        self.come_in(page, key)

        def hold(route):
            if held:
                route.continue_()
            else:
                held.append(route)
                held.append(route.fetch())

        page.route(re.compile(r"/ledger\?.*preview=void"), hold)
        head, switch = (
            page.locator("main header p").first,
            page.get_by_role("switch", name="Voided"),
        )
        switch.wait_for()
        before = head.inner_text()
        switch.hover()  # which asks what would count without the rule
        while len(held) < 2:
            page.wait_for_timeout(20)
        switch.click()
        page.get_by_text("“Voided” is off").wait_for()
        with suppress(Error):  # nobody waits for it any more
            held[0].fulfill(response=held[1])
        page.wait_for_function(
            "old => document.querySelector('main header p').innerText !== old", arg=before
        )
