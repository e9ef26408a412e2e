"""The Ledger by hand: looks that narrow the lens, own rules, files over files, people."""

import re
from unittest import mock

from django.test import override_settings

from sortija.server.ledger.intake import uploads
from sortija.server.ledger.models import Card, Original
from tests.server.support import LOG, SMALL
from tests.web.support import BrowserCase, Station


class Looking(Station):
    def test_every_look_narrows_the_lens(self):
        looks = self.get("ledger/summaries")
        department = looks["columns"][0]["parts"][0]
        hour = max(range(168), key=lambda n: looks["hour_money"][n])
        wanted = {}
        for field in (f"bought:department={department['name']}", f"bought:hour={hour}"):
            answer = self.send("post", "lens", {"clauses": [{"field": field, "values": ["yes"]}]})
            wanted[field] = answer["lens"]["customers"]
        both = [{"field": field, "values": ["yes"]} for field in wanted]
        together = self.send("post", "lens", {"clauses": both})["lens"]["customers"]
        self.walk("Ledger", self.looks, department["name"], list(wanted.values()), together)

    def looks(self, page, department, wanted, together):
        page.get_by_role("button", name="When, where, who is new").click()
        names = page.get_by_role("region", name="Departments")
        names.get_by_role("button", name=re.compile(f"^{department}:")).click()
        self.lens_shows(wanted[0])
        page.get_by_text(f"Bought in {department}", exact=True).first.wait_for()
        hours = page.get_by_role("region", name="Weekday and hour").get_by_role("button")
        said = [hours.nth(n).get_attribute("aria-label") for n in range(hours.count())]
        money = [float(re.search(r"£([\d,.]+)", text)[1].replace(",", "")) for text in said]
        hours.nth(money.index(max(money))).click()
        self.lens_shows(together)
        names.get_by_role("button", name=re.compile(f"^{department}:")).click()
        self.lens_shows(wanted[1])

    def test_days_weeks_and_the_lines_behind_a_bar(self):
        page = self.get("ledger", step="week")
        place = max(range(len(page["steps"]["starts"])),
                    key=lambda n: page["steps"]["counted_money"][n])  # fmt: skip
        first = page["steps"]["starts"][place]
        lines = self.get("ledger/lines", first=first, last=first + 6, rule="counted")["total"]
        self.walk("Ledger", self.weeks, place, lines)

    def weeks(self, page, place, lines):
        water = page.get_by_role("region", name="The waterline")
        water.get_by_role("button", name="by week").click()
        bars = water.get_by_role("button", name=re.compile("^week of .* count$"))
        bars.nth(place).press("Enter")
        shown = page.get_by_role("region", name="Lines", exact=True)
        shown.get_by_role("heading", name=re.compile("^week of .* counted lines")).wait_for()
        shown.get_by_text(f"{lines:,}", exact=True).first.wait_for()
        shown.get_by_role("button", name="narrow the lens to their customers").click()
        page.get_by_text(re.compile("^Bought .* to ")).first.wait_for()
        shown.get_by_label("Only lines of").select_option(label="Tea room")
        shown.get_by_text("Tea room").nth(2).wait_for()
        self.assertEqual(shown.locator("tbody").get_by_text("Seeds", exact=True).count(), 0)
        water.get_by_role("button", name="by day").click()
        water.get_by_role("button", name="Earlier days").click()
        water.get_by_role("button", name="Later days").click()
        water.get_by_role("button", name="by month").click()
        water.get_by_role("button", name=re.compile("^Jan 2025: .* count$")).wait_for()


class Layout(Station):
    def test_a_long_note_on_a_file_is_read_in_full_and_covers_nothing(self):
        note = "Written anew on 30 Jun 2026 without people who were erased. " * 3
        Original.objects.update(note=note.strip())
        self.walk("Ledger", self.beside)

    def beside(self, page):
        note = page.get_by_text("without people who were erased").first
        rules = page.get_by_role("region", name="Rules", exact=True).bounding_box()
        lines = page.get_by_role("region", name="Below the waterline").bounding_box()
        self.assertLessEqual(rules["x"] + rules["width"], lines["x"])
        hidden = note.evaluate("e => e.scrollWidth - e.clientWidth")
        self.assertLessEqual(hidden, 0)


class LookedAt(Station):
    def test_picked_lines_and_how_long_a_bar_is_stand_in_the_address(self):
        page = self.get("ledger", step="week")
        self.walk("Ledger", self.look, page["steps"])

    def look(self, page, steps):
        line = page.get_by_role("region", name="The waterline")
        line.get_by_role("button", name="by week").click()
        week = line.get_by_role("button", name=re.compile("^week of .*: counted|^week of")).nth(5)
        week.focus()
        page.keyboard.press("Enter")
        lines = page.get_by_role("region", name="Lines", exact=True)
        heading = lines.get_by_role("heading", name=re.compile("^week of "))
        heading.wait_for()
        said, shown = heading.inner_text(), lines.get_by_role("row").count()
        page.reload()
        heading.wait_for()
        self.assertEqual(heading.inner_text(), said)
        lines.get_by_role("row").nth(shown - 1).wait_for()
        line.get_by_role("button", name="by week").and_(
            page.locator("[aria-pressed=true]")
        ).wait_for()
        # Of an address that is half a one, or older than what it names, nothing is told as picked.
        for gone in ("rule=own:7", "first=2026-05-04", "by=nonsense&number=3", "last=rubbish"):
            page.goto(f"{page.url.split('?')[0]}?{gone}")
            lines.get_by_role("heading", name="all lines", exact=True).wait_for()
            lines.get_by_text("9,741", exact=True).wait_for()


class OwnRulesByHand(Station):
    def test_made_tried_switched_changed_dropped(self):
        before = self.get("ledger")["counted"]
        self.walk("Ledger", self.make)
        page = self.get("ledger")
        self.assertEqual(page["choices"]["own"][0]["words"], ["Tea room"])
        self.assertLess(page["counted"], before)
        self.assertEqual(page["choices"]["returns"], "sale day")
        self.run_in_browser(self.drop)
        self.assertEqual(self.get("ledger")["counted"], before)
        self.assertEqual(self.troubles, [])

    def make(self, page):
        rules = page.get_by_role("region", name="Rules")
        rules.get_by_role("button", name="Add a rule").click()
        page.get_by_label("Its name").fill("No tea room")
        page.get_by_label("is one of these, one per line").fill("Tea room")
        page.get_by_role("button", name="Add this rule").click()
        page.get_by_text("“No tea room” is on.").wait_for()
        # The card has closed, whose button takes the focus back and may be scrolled to.
        page.get_by_label("Its name").wait_for(state="detached")
        on = page.locator("[aria-checked=true]")
        rules.get_by_role("switch", name="No tea room").and_(on).wait_for()
        rules.get_by_role("button", name="No tea room", exact=True).hover()
        rules.get_by_text("Switched the other way,").wait_for()
        rules.get_by_role("switch", name="No tea room").click()
        page.get_by_text("“No tea room” is off").wait_for()
        off = page.locator("[aria-checked=false]")
        rules.get_by_role("switch", name="No tea room").and_(off).click()
        page.get_by_text(re.compile("^“No tea room” is on: ")).wait_for()
        rules.get_by_label("On which day returns count").select_option("sale day")
        page.get_by_text("Returns count on the day of their sale").wait_for()

    def drop(self):
        page = self.page
        rules = page.get_by_role("region", name="Rules")
        rules.get_by_role("button", name="change", exact=True).click()
        page.get_by_role("button", name="Delete it").click()
        page.get_by_text("“No tea room” is deleted.").wait_for()
        rules.get_by_role("button", name="No tea room", exact=True).wait_for(state="detached")


class FilesByHand(Station):
    def test_over_one_another_and_read_otherwise(self):
        text = (SMALL / "log.csv").read_text().splitlines()
        (self.folder / "again.csv").write_text("\n".join(text[:600]) + "\n")
        before = self.get("ledger")
        self.walk("Ledger", self.bring_again)
        page = self.get("ledger")
        again = next(row for row in page["intakes"] if row["name"] == "again.csv")
        self.assertEqual((again["state"], again["overlap"]), ("counted", "skip"))
        self.assertEqual(page["counted_total"], before["counted_total"])
        rules = {rule["key"]: rule["lines"] for rule in page["rules"]}
        self.assertEqual(rules["superseded"], 599)

    def bring_again(self, page):
        page.get_by_test_id("file").first.set_input_files(self.folder / "again.csv")
        review = page.get_by_role("region", name="Review of again.csv")
        review.get_by_role("button", name=re.compile("^Import these")).click()
        files = page.get_by_role("region", name="Files")
        choice = files.get_by_label("Receipts of again.csv that came before")
        choice.select_option("skip")
        page.get_by_text("again.csv: skip this file’s.").wait_for()
        files.get_by_role("button", name="Change columns").first.click()
        review = page.get_by_role("region", name="Review of log.csv")
        review.get_by_text("Until you import it again, it counts as it was read before").wait_for()
        review.get_by_role("button", name="Discard").click()
        review.wait_for(state="detached")


class PeopleByHand(BrowserCase):
    def setUp(self):
        super().setUp()
        for text, name in ((LOG, "log.csv"), ("card,garden\nA,yard\nB,\nC,yard\n", "m.csv")):
            upload = self.upload(text, name, part=1 << 20)
            intake = self.send("post", "intakes", {"upload": upload}, 201)
            self.send("post", f"intakes/{intake['id']}/count", status=202)
            path = f"intakes/{intake['id']}"
            self.wait(lambda path=path: self.get(path)["state"] == "counted")
        self.number = Card.objects.get(code="B").number

    def test_cards_traits_receipts_and_erasing(self):
        self.run_in_browser(self.people, self.key(self.owner))
        self.assertEqual(self.troubles, [])
        page = self.get(f"customer/{self.number}")
        self.assertTrue(page["erased"])
        self.assertFalse(Card.objects.filter(code__in=("A", "B")).exists())
        self.assertTrue(Card.objects.filter(code="C").exists())

    def people(self, key):
        page = self.page
        self.come_in(page, key)
        page.goto(f"/study/{self.study.pk}/customer/{self.number}")
        page.get_by_role("heading", name="B", level=1).wait_for()
        page.get_by_role("link", name="20 Jun 2026").click()
        page.get_by_role("heading", name="Receipt of 20 Jun 2026").wait_for()
        page.get_by_text("log.csv, row 10").wait_for()
        page.get_by_role("link", name="B", exact=True).click()
        traits = page.get_by_role("region", name="Traits")
        traits.get_by_role("button", name="not given").click()
        page.get_by_label("Garden, corrected value").fill("balcony")
        page.get_by_role("button", name="Correct").click()
        traits.get_by_text(re.compile("corrected by iris")).wait_for()
        cards = page.get_by_role("region", name="Cards")
        cards.get_by_label("Another card of this person").fill("A")
        cards.get_by_role("button", name="Merge").click()
        page.get_by_role("heading", name="A", level=1).wait_for()
        cards.get_by_role("heading", name="2 cards").wait_for()
        page.get_by_role("button", name="Erase this person").click()
        page.get_by_text("This cannot be undone").wait_for()
        page.get_by_role("button", name="Erase permanently").click()
        page.get_by_role("heading", name="An erased person").wait_for()


class BrokenOff(BrowserCase):
    def test_a_browser_closed_during_an_upload_goes_on_where_it_was(self):
        (self.folder / "log.csv").write_text((SMALL / "log.csv").read_text())
        with mock.patch.object(uploads, "PART_BYTES", 100_000):
            self.run_in_browser(self.close_and_come_back, self.key(self.owner))
        self.assertEqual(self.offsets[0], 0)
        self.assertEqual(self.resumed[0], 200_000)
        self.assertEqual(self.resumed, sorted(self.resumed))

    def close_and_come_back(self, key):
        page = self.page
        self.offsets, self.resumed = [], []
        self.come_in(page, key)

        def pass_two(route):
            offset = int(route.request.url.split("offset=")[1])
            self.offsets.append(offset)
            if offset < 200_000:
                route.continue_()
            else:
                route.abort()

        page.route("**/parts?offset=*", pass_two)
        page.get_by_test_id("file").first.set_input_files(self.folder / "log.csv")
        page.wait_for_function("() => document.body.innerText.includes('Uploading, 22%')")
        state = page.context.storage_state()
        page.close()
        context = self.browser.new_context(
            storage_state=state, base_url=self.live_server_url,
            viewport={"width": 1280, "height": 800},
        )  # fmt: skip
        again = context.new_page()
        again.on(
            "request",
            lambda r: (
                self.resumed.append(int(r.url.split("offset=")[1]))
                if "parts?offset" in r.url
                else None
            ),
        )
        again.goto(f"/study/{self.study.pk}/ledger")
        again.get_by_test_id("file").first.set_input_files(self.folder / "log.csv")
        again.get_by_role("region", name="Review of log.csv").wait_for()


class Attached(Station):
    """A log that stays where it lies: looked at, attached, looked at again, detached."""

    def test_attached_from_a_folder_and_detached_again(self):
        place = self.folder / "logs" / "till"
        head, *rows = LOG.splitlines(keepends=True)
        for month, part in (("01", rows[:5]), ("02", rows[5:])):
            path = place / f"month={month}" / "lines.csv"
            path.parent.mkdir(parents=True)
            path.write_text("".join([head, *part]))
        self.enterContext(override_settings(ATTACHABLE=[str(self.folder / "logs")]))
        self.walk("Ledger", self.attach, str(place), str(self.folder))

    def attach(self, page, place, elsewhere):
        page.get_by_role("button", name="Attach a log").click()
        where = page.get_by_label("Its folder or prefix")
        where.fill(elsewhere)
        page.get_by_role("button", name="Look at it").click()
        page.get_by_role("alert").get_by_text("Logs may be attached from").wait_for()
        (refused,) = self.troubles
        self.assertIn("400 (Bad Request)", refused)
        self.troubles.clear()
        self.accessible(page)
        where.fill(place)
        page.get_by_role("button", name="Look at it").click()
        review = page.get_by_role("region", name="Review of month=01/lines.csv")
        review.get_by_text(f"The first of 2 files at {place}").wait_for()
        self.accessible(page)
        review.get_by_role("button", name="Attach these 2 files").click()
        files = page.get_by_role("region", name="Files")
        files.get_by_text("Attached: 2 files, 12 lines").wait_for()
        files.get_by_role("button", name="Look for new files").click()
        page.get_by_text(f"Nothing is new at {place}.").wait_for()
        files.get_by_role("button", name="Detach").click()
        page.get_by_text(f"{place} no longer counts.").wait_for()
        files.get_by_text("Attached: 2 files").wait_for(state="detached")
        page.get_by_role("button", name="Undo", exact=True).click()
        files.get_by_text("Attached: 2 files, 12 lines").wait_for()
