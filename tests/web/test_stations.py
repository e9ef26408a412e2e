"""Each station by hand: what is picked or changed shows in figures, lens and records."""

import re
from datetime import date

from sortija.server.campaigns.models import Campaign, StandingControl
from sortija.server.groups.models import Segment
from tests.server.support import SMALL
from tests.web.support import Station


class LedgerByHand(Station):
    def test_rules_lines_and_files(self):
        before = self.get("ledger")
        self.walk("Ledger", self.ledger, before)
        after = self.get("ledger")
        self.assertEqual(after["counted_total"], before["counted_total"])
        self.assertEqual(after["status"]["state"], "whole")

    def ledger(self, page, before):
        rules = page.get_by_role("region", name="Rules")
        rules.get_by_role("button", name="Voided", exact=True).hover()
        rules.get_by_text("Switched the other way,").wait_for()
        void = next(rule for rule in before["rules"] if rule["key"] == "void")
        rules.get_by_role("button", name="Voided", exact=True).click()
        lines = page.get_by_role("region", name="Lines")
        lines.get_by_role("heading", name="lines: Voided").wait_for()
        lines.get_by_text(f"{void['lines']:,}", exact=True).first.wait_for()
        lines.get_by_role("button", name="all lines").click()
        lines.get_by_role("heading", name="all lines").wait_for()
        lines.get_by_text(f"{before['lines']:,}", exact=True).first.wait_for()
        first = lines.locator("tbody tr").first.inner_text()
        lines.get_by_role("button", name="Older lines").click()
        page.wait_for_function(
            "old => document.querySelector('tbody tr')?.innerText !== old", arg=first
        )
        files = page.get_by_role("region", name="Files")
        files.get_by_role("button", name="Remove", exact=True).first.click()
        page.get_by_text("No log has been imported yet").wait_for()
        page.get_by_role("button", name="Undo", exact=True).click()
        files.get_by_text("log.csv").wait_for()


class GroupsByHand(Station):
    once = Station.swept

    def test_a_changed_recipe_hatches_the_rows_until_grouped_again(self):
        self.adopt()
        self.walk("Groups", self.groups)
        self.assertEqual(self.get("groups")["adopted"]["k"], 4)
        inputs = [row["name"] for row in self.get("groups")["recipe"]["numeric"] if row["picked"]]
        self.assertNotIn("breadth", inputs)

    def groups(self, page):
        page.get_by_role("button", name="4 groups: silhouette").click()
        page.get_by_role("button", name="These 4 are adopted").wait_for()
        page.get_by_role("button", name="Leave Departments visited out").click()
        page.get_by_text("changed since the last run").wait_for()
        adopt = page.get_by_role("button", name=re.compile("Adopt these|are adopted"))
        self.assertTrue(adopt.is_disabled())
        page.get_by_role("button", name="Group again").click()
        page.get_by_text("changed since the last run").wait_for(state="detached")
        page.get_by_role("button", name="8 groups: silhouette").wait_for()
        page.get_by_role("button", name="3 groups: silhouette").click()
        page.get_by_role("button", name="Adopt these 3 groups").click()
        page.get_by_role("button", name="These 3 are adopted").wait_for()
        page.locator("h1").click()
        page.keyboard.press("z")
        page.get_by_text("Undone: Adopted 3 groups").wait_for()
        page.get_by_text("Adopted: 4 groups").wait_for()
        # How one station is looked at is nothing to the next.
        page.get_by_role("tab", name="Map").click()
        page.get_by_role("region", name="Map of 3 groups").wait_for()
        self.open_station(page, "Measures")
        page.get_by_role("tab", name="Threads", selected=True).wait_for()
        page.keyboard.press("3")
        page.get_by_role("tab", name="Field and ladder", selected=True).wait_for()


class PortraitsByHand(Station):
    once = Station.swept

    def test_names_notes_and_members(self):
        self.adopt()
        portraits = self.get("portraits")
        self.walk("Portraits", self.portraits, portraits)
        first = Segment.objects.get(pk=portraits["segments"][0]["id"])
        self.assertEqual((first.name, first.notes), ("Kettle & Co", "Writes back in spring."))

    def portraits(self, page, portraits):
        one, two = portraits["segments"][:2]
        name = page.get_by_label("Name of the segment")
        name.fill(two["name"])
        # A refused name goes before the page is asked for anew: that waits to be let on.
        held, address = [], re.compile(r"/portraits(\?.*)?$")
        page.route(address, lambda route: held.append(route))
        page.get_by_role("button", name="Rename").click()
        page.get_by_text(f"Another segment is called {two['name']} already.").wait_for()
        heads = page.get_by_role("columnheader")
        heads.get_by_text(one["name"], exact=True).wait_for()
        while not held:
            page.wait_for_timeout(20)
        for route in held:
            route.continue_()
        page.unroute(address)
        # The refusal, which the console repeats.
        self.troubles[:] = [t for t in self.troubles if "status of 400" not in t]
        # What is typed while a new name is on its way stays.
        held.clear()
        page.route(address, lambda route: held.append(route))
        name.fill("Kettle & Co")
        page.get_by_role("button", name="Rename").click()
        page.get_by_text(f"{one['name']} is now Kettle & Co.").wait_for()
        notes = page.get_by_label("Notes")
        notes.fill("Writes back in spring.")
        while not held:
            page.wait_for_timeout(20)
        for route in held:
            route.continue_()
        page.unroute(address)
        page.get_by_role("button", name="Rename").wait_for(state="detached")
        page.wait_for_timeout(500)
        self.assertEqual(notes.input_value(), "Writes back in spring.")
        page.locator("h1").click()
        page.get_by_text("Kettle & Co is changed.").wait_for()
        page.get_by_role("button", name=f"Look at these {one['customers']:,}").click()
        self.lens_shows(one["customers"])
        page.get_by_role("columnheader").get_by_text(two["name"]).click()
        page.get_by_role("button", name=f"Look at these {two['customers']:,}").click()
        self.lens_shows(two["customers"])


class CampaignsByHand(Station):
    def test_planned_changed_drawn_and_put_away(self):
        self.walk("Campaigns", self.campaigns)
        campaign = Campaign.objects.get()
        self.assertEqual((campaign.name, campaign.state, campaign.holdout), ("Seeds", "draft", 0.5))

    def campaigns(self, page):
        page.get_by_role("button", name="Plan a campaign for everyone").click()
        page.get_by_label("Name").fill("Seeds")
        page.locator("h1").click()
        page.get_by_text("This fork finds a rise of").wait_for()
        slider = page.get_by_label("Share held out")
        slider.focus()
        page.keyboard.press("Enter")
        page.keyboard.press("End")
        page.get_by_text(re.compile("held out, 50%")).wait_for()
        page.get_by_role("button", name="Draw the holdout").click()
        page.get_by_text(re.compile("^Drawn: ")).wait_for()
        page.get_by_role("button", name="Hand over the list").wait_for()
        self.assertTrue(page.get_by_label("Name").is_disabled())
        page.get_by_role("button", name="Undo", exact=True).last.click()
        page.get_by_role("button", name="Draw the holdout").wait_for()
        self.accessible(page)
        page.get_by_role("button", name="Delete").click()
        page.get_by_text("No campaign is planned yet").wait_for()
        page.get_by_role("button", name="Undo", exact=True).last.click()
        page.get_by_role("button", name="Draw the holdout").wait_for()


class CampaignsRead(Station):
    """From a list that was sent elsewhere to what it did, what it was worth, and who came."""

    once = Station.swept

    def test_from_a_list_to_an_effect(self):
        self.adopt()
        self.walk("Campaigns", self.brought_in)
        told = self.get(f"campaigns/{Campaign.objects.get().pk}/result")
        self.run_in_browser(self.results, self.page, told)
        self.run_in_browser(self.planned, self.page)
        self.assertEqual(self.troubles, [])
        self.assertEqual(StandingControl.objects.get().share, 0.05)
        copied = Campaign.objects.get(state="draft")
        self.assertEqual((copied.send_on, copied.shares), (date(2026, 7, 14), [0.7, 0.3]))

    def brought_in(self, page):
        page.get_by_role("button", name="Bring in a campaign sent elsewhere").click()
        form = page.get_by_role("dialog", name="A campaign sent elsewhere")
        form.get_by_label("Name").fill("Winter letter")
        form.get_by_label("Sent on").fill("2026-01-31")
        form.get_by_label("Result read on").fill("2026-03-31")
        form.get_by_label("The list").set_input_files(SMALL / "winter-letter.csv")
        self.accessible(page)
        form.get_by_role("button", name="Bring it in").click()
        page.get_by_text("read on 31 Mar 2026 as planned").wait_for()

    def results(self, page, told):
        gap = 100 * told["returned"]["difference"]
        shown = f"{gap:+.1f}".replace("-", "−")
        page.get_by_text(f"{shown} points", exact=True).wait_for()
        verdict = {"cannot tell": "Whether more came back cannot be told:"}
        words = verdict.get(told["verdict"], f"{abs(gap):.1f} {told['verdict']} in 100 came back")
        page.get_by_text(words).wait_for()
        self.accessible(page)
        worth = page.get_by_role("region", name="What it was worth")
        worth.get_by_label("left of a sale").fill("40")
        worth.get_by_label("a contact").fill("0.5")
        page.locator("h1").click()
        worth.get_by_text(re.compile("^Net ")).wait_for()
        # Whoever was written to is a lens, and so is the rest.
        stream = page.get_by_role("region", name="From the lens to the arms")
        stream.get_by_role("button", name=re.compile("held out$")).press("Enter")
        self.lens_shows(told["held"]["customers"])

    def planned(self, page):
        page.get_by_role("button", name="Copy as a new plan").click()
        page.get_by_text("Planned Winter letter, again.").wait_for()
        page.get_by_text("This fork finds a rise of").or_(
            page.get_by_text("This cannot be measured").or_(page.get_by_text("cannot be told: "))
        ).wait_for()
        page.get_by_label("Versions").select_option("A 70%, B 30%")
        year = page.get_by_role("region", name="The year")
        bar = year.get_by_role("button", name=re.compile("^Winter letter, again, draft"))
        bar.focus()
        page.keyboard.press("Alt+PageDown")
        year.get_by_role("button", name=re.compile("draft, 14 Jul 2026 to")).wait_for()
        control = page.get_by_role("region", name="Standing control")
        control.get_by_label("Share never written to").select_option("5 in 100")
        control.get_by_role("button", name="Draw a standing control").click()
        control.get_by_text(re.compile("are never written to, since")).wait_for()
        self.accessible(page)
