"""From a crossing to a list, to the delivery service, to what came of it: by hand, in one walk."""

import os
import re
from datetime import date
from pathlib import Path
from unittest import mock

from django.test import override_settings

from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import (
    Campaign,
    ContactEvent,
    DeliveryService,
    Departure,
)
from tests.server.campaigns.post_office import PostOffice
from tests.web.support import Station

SENT, READ = date(2026, 7, 6), date(2026, 8, 30)
SECRET = "whsec_c29ydGlqYS1zb3J0aWphLXNvcnRpamE="


class Letters(Station):
    once = Station.swept

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        # Workers have to know where the service tells what became of the letters.
        cls.house.stop_workers()
        told = {"SORTIJA_URL": cls.live_server_url}
        cls.enterClassContext(mock.patch.dict(os.environ, told))
        cls.enterClassContext(override_settings(**told))
        cls.addClassCleanup(cls.house.stop_workers)

    def test_from_a_crossing_to_a_proven_effect(self):
        self.adopt()
        office = PostOffice(self, "a token", SECRET, members=400)
        DeliveryService.objects.create(
            study=self.study, url=office.url, token="a token", secret=SECRET, wait_minutes=1
        )
        self.walk("Crossings", self.crossing, self.get("crossings", by="quarter"))
        campaign = Campaign.objects.select_related("study").get()
        Campaign.objects.update(send_on=SENT, read_on=READ)
        self.run_in_browser(self.handed_over, self.page)
        Departure.objects.update(goes_at=campaign.made_at)  # its minute is over
        self.wait(lambda: Departure.objects.get().state == Departure.GONE)
        drawn = drawn_of(Campaign.objects.get())
        written = int((~drawn.held).sum())
        self.assertEqual(office.counts()["letters"], written)
        self.wait(lambda: office.counts()["to_be_told"] == 0)
        kinds = office.counts()["events"]
        self.assertEqual(ContactEvent.objects.count(), sum(kinds.values()))
        log = self.folder / "log-through-2026-09-30.csv"
        log.write_bytes(office.read("/log.csv?through=2026-09-30"))
        self.run_in_browser(self.came_back, self.page, written, kinds, log)
        told = self.get(f"campaigns/{campaign.pk}/result")
        self.assertTrue(told["final"])
        self.assertEqual(told["written"]["customers"], written)
        self.run_in_browser(self.result, self.page, told)
        self.assertEqual(self.troubles, [])

    def crossing(self, page, crossings):
        step = crossings["steps"][0]
        k = len(crossings["states"]) - 3
        names = [state["name"] for state in crossings["states"]]
        most, origin, target = max(
            (step["customers"][a][b], a, b) for a in range(k) for b in range(k)
        )
        page.get_by_label("Dates", exact=True).select_option("quarter by quarter")
        matrix = page.get_by_role("region", name="Matrix")
        matrix.get_by_role("button", name=re.compile("^to 31 Dec")).click()
        matrix.get_by_role("button", name=f"{names[origin]} → {names[target]}: ").click()
        self.lens_shows(most)
        self.open_station(page, "Campaigns")
        page.get_by_role("button", name=f"Plan a campaign for these {most:,}").click()
        page.get_by_role("button", name="Draw the holdout").wait_for()

    def handed_over(self, page):
        page.reload()
        page.get_by_role("button", name="Draw the holdout").click()
        page.get_by_role("button", name="Hand over the list").click()
        form = page.get_by_role("dialog")
        form.get_by_text("wait a minute in the outbox").wait_for()
        self.accessible(page)
        form.get_by_role("button", name="More columns").click()
        page.get_by_role("combobox", name="Find a column").fill("garden")
        page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        form.get_by_text("card, address, segment, Garden").wait_for()
        form.get_by_role("button", name="Put it in the outbox").click()
        outbox = page.get_by_role("region", name="Outbox")
        outbox.get_by_role("button", name="Stop it").click()
        page.get_by_role("button", name="Hand over the list").click()
        form.get_by_role("button", name="Put it in the outbox").click()
        outbox.get_by_text("After that they cannot be taken back.").wait_for()
        self.accessible(page)

    def came_back(self, page, written, kinds, log):
        letters = page.get_by_role("region", name="The letters")
        letters.get_by_text(f"{written:,} letters left by").wait_for()
        page.reload()
        opened = kinds.get("opened", 0)
        letters.get_by_role(
            "button", name=re.compile(rf"^opened: {opened:,} of {written:,}")
        ).press("Enter")
        self.lens_shows(opened)
        self.accessible(page)
        page.get_by_role("link", name="Bring in responses").click()
        page.get_by_test_id("file").first.set_input_files(log)
        page.get_by_role("region", name=f"Review of {log.name}").wait_for()
        page.get_by_role("button", name="lines").filter(has_text="Import these").click()
        page.get_by_role("region", name="Files").get_by_text(log.name).wait_for()
        self.open_station(page, "Campaigns")
        page.get_by_text("read on 30 Aug 2026 as planned").wait_for(timeout=120_000)

    def result(self, page, told):
        gap = 100 * told["returned"]["difference"]
        said = f"{gap:+.1f}".replace("-", "−")
        page.get_by_text(f"{said} points", exact=True).wait_for()
        page.get_by_text(told["told"]["lead"]).wait_for()
        self.accessible(page)
        page.get_by_role("button", name="Write the report").click()
        report = page.get_by_role("dialog", name="The report")
        report.get_by_text(told["told"]["lead"]).wait_for()
        report.get_by_role("img", name="What it did").wait_for()
        self.accessible(page)
        with page.expect_download() as saved:
            report.get_by_role("button", name="DOCX").click()
        self.assertEqual(Path(saved.value.path()).read_bytes()[:2], b"PK")

    def test_a_file_of_what_became_of_them_is_read_as_somebody_says(self):
        row = self.send("post", "campaigns", {
            "name": "Seeds", "send_on": "2026-07-06", "read_on": "2026-08-30", "holdout": 0.2,
        }, 201)  # fmt: skip
        self.send("post", f"campaigns/{row['id']}/draw")
        self.send("post", f"campaigns/{row['id']}/list", {"kind": "csv"}, 201)
        self.wait(lambda: Departure.objects.get().state == Departure.GONE)
        rows = [r for b in Departure.objects.get().blocks.order_by("number") for r in b.rows][:3]
        file = self.folder / "answers.csv"
        said = zip(rows, ("open", "open", "gone away"), strict=True)
        file.write_text("to,event\n" + "".join(f"{r[2]},{event}\n" for r, event in said))
        self.walk("Campaigns", self.responses, file)
        kinds = sorted(ContactEvent.objects.values_list("kind", flat=True))
        self.assertEqual(kinds, ["bounced", "opened", "opened"])

    def responses(self, page, file):
        page.get_by_label("File of responses").set_input_files(file)
        form = page.get_by_role("dialog", name="answers.csv")
        form.get_by_text("3 of the first 3 rows name somebody").wait_for()
        self.assertEqual(form.get_by_label("open means").input_value(), "opened")
        form.get_by_label("gone away means").select_option("bounced")
        self.accessible(page)
        form.get_by_role("button", name="Take them").click()
        page.get_by_text("3 responses are new.").wait_for()
        letters = page.get_by_role("region", name="The letters")
        letters.get_by_role("button", name=re.compile("^opened: 2 of")).wait_for()

    def test_the_service_is_set_by_owners(self):
        self.walk("Campaigns", self.service)
        row = DeliveryService.objects.get()
        self.assertEqual((row.url, row.token, row.wait_minutes),
                         ("https://post.example.org", "a token", 30))  # fmt: skip

    def service(self, page):
        page.get_by_role("button", name="Connect a service").click()
        form = page.get_by_role("dialog", name="Delivery service")
        form.get_by_label("Address").fill("https://post.example.org/")
        form.get_by_label("Token").fill("a token")
        form.get_by_label("Minutes").fill("30")
        self.accessible(page)
        form.get_by_role("button", name="Keep it").click()
        page.get_by_text("Letters are delivered by post.example.org.").first.wait_for()
        page.get_by_role("button", name="The service").click()
        form.get_by_text("whsec_").wait_for()
        self.accessible(page)
