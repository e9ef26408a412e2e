"""Scores by hand: plots and codes, fences and cuts by mouse and keyboard, the ladder kept."""

import re

from tests.web.support import Station


class ScoresByHand(Station):
    def test_plots_bands_codes_and_what_followed(self):
        self.walk("Scores", self.look, self.get("scores"), self.get("scores/codes"),
                  self.get("scores/worth"))  # fmt: skip

    def test_districts_stand_in_the_place_of_customers(self):
        self.walk("Scores", self.districts, self.get("scores", of="district"))

    def districts(self, page, scores):
        page.get_by_label("One row per").select_option("district")
        page.get_by_text(f"{scores['scored']} rows in bands up to").wait_for()
        field = page.get_by_role("region", name="Field")
        plots = field.get_by_role("button", name=re.compile("^Days since last visit band"))
        told = [plots.nth(n).get_attribute("aria-label") for n in range(plots.count())]
        self.assertEqual(
            sum(int(re.search(r": (\d+) rows?,", text)[1]) for text in told), scores["scored"]
        )
        # Who is scored cannot be looked at by a lens, which speaks of customers.
        self.assertEqual(page.get_by_role("tab", name="Worth of bands").count(), 0)
        self.assertEqual(page.get_by_role("button", name="Keep this ladder").count(), 0)
        page.get_by_role("tab", name="Codes").click()
        page.get_by_role("button", name="Sort by Rows").wait_for()

    def look(self, page, scores, codes, worth):
        field = page.get_by_role("region", name="Field")
        plots = field.get_by_role("button", name=re.compile("^Days since last visit band"))
        shown = [plots.nth(n).get_attribute("aria-label") for n in range(plots.count())]
        counts = [int(re.search(r": ([\d,]+)", text)[1].replace(",", "")) for text in shown]
        self.assertEqual(sum(counts), scores["scored"])
        # A whole band by its name on the axis, one plot by keyboard, a box over all by mouse.
        best = scores["measures"][0]["bands"][-1]["customers"]
        field.get_by_role("button", name="All of band 5 of Days since last visit").click()
        self.lens_shows(best)
        # Shift adds another band, and another plot's bands, to what is looked at.
        bands = scores["measures"][0]["bands"]
        field.get_by_role("button", name="All of band 4 of Days since last visit").click(
            modifiers=["Shift"]
        )
        self.lens_shows(best + bands[-2]["customers"])
        field.get_by_role("button", name="All of band 5 of Visits").click()
        field.get_by_role("button", name="last visit band 3, Visits band 4:").focus()
        page.keyboard.press("Shift+Enter")
        grid = scores["field"]["customers"]
        self.lens_shows(sum(sum(row[2:5]) for row in grid[3:5]))
        page.locator("h1").click()
        page.keyboard.press("c")
        plot = field.get_by_role("button", name=re.compile("last visit band 5, Visits band 5:"))
        plot.focus()
        page.keyboard.press("Enter")
        self.lens_shows(scores["field"]["customers"][4][4])
        first = field.get_by_role("button", name=re.compile("last visit band 4, Visits band 5:"))
        a, b = first.bounding_box(), field.get_by_role(
            "button", name=re.compile("last visit band 5, Visits band 4:")
        ).bounding_box()  # fmt: skip
        page.mouse.move(a["x"] + a["width"] / 2, a["y"] + a["height"] / 2)
        page.mouse.down()
        page.mouse.move(b["x"] + b["width"] / 2, b["y"] + b["height"] / 2, steps=5)
        wanted = sum(sum(row[3:]) for row in scores["field"]["customers"][3:])
        cash = sum(sum(row[3:]) for row in scores["field"]["money"][3:])
        told = f"{wanted:,} · {100 * wanted / scores['scored']:.1f}% · £{cash / 100:,.0f}"
        field.get_by_text(told).wait_for()
        page.mouse.up()
        self.lens_shows(wanted)
        tier = scores["ladder"]["tiers"][1]
        page.get_by_role("region", name="Ladder").get_by_role(
            "button", name=tier["name"], exact=True
        ).click()
        page.get_by_role("tab", name="Codes").click()
        region = page.get_by_role("region", name="Codes")
        top = codes["codes"][0]
        words = region.locator("tbody tr").first.inner_text()
        self.assertIn(top["code"], words)
        self.assertIn(f"{top['customers']:,}", words)
        region.get_by_role("button", name="Sort by Total").click()
        best = codes["best"]
        region.locator("tbody tr").first.get_by_text(best["code"]).wait_for()
        self.accessible(page)
        page.get_by_role("tab", name="Worth of bands").click()
        region = page.get_by_role("region", name="Worth of bands")
        region.get_by_text(worth["words"]).wait_for()
        chart = region.get_by_role("img", name=re.compile("^Came back"))
        back = worth["curves"][0]["came_back"][-1]
        self.assertIn(f"{100 * back:.3g}"[:4], chart.get_attribute("aria-label"))

    def test_fences_and_cuts_by_keyboard_and_the_ladder_kept(self):
        before = self.get("scores")
        self.walk("Scores", self.change, before)
        after = self.get("scores")
        tiers = after["ladder"]["tiers"]
        self.assertEqual(tiers[0]["ranges"][0], [3, 5])
        self.assertEqual(tiers[0]["name"], "Front garden")
        self.assertEqual(after["measures"][1]["cut"], "own cuts")
        self.assertNotEqual(after["measures"][1]["cuts"], before["measures"][1]["cuts"])
        self.assertEqual(len(after["measures"]), 4)
        self.assertEqual(after["measures"][3]["asked"], 3)
        adopted = self.get("groups")["adopted"]
        self.assertTrue(adopted["ladder"])
        self.assertEqual((after["kept"], after["in_use"]), (True, adopted["id"]))

    def change(self, page, before):
        field = page.get_by_role("region", name="Field")
        corner = field.get_by_role("slider", name="Lower corner of Lately and often")
        corner.focus()
        page.keyboard.press("Enter")  # takes hold of it
        page.keyboard.press("ArrowLeft")
        wanted = sum(sum(row[2:]) for row in before["field"]["customers"][3:])
        ladder = page.get_by_role("region", name="Ladder")
        ladder.locator("li").first.get_by_text(f"{wanted:,}").first.wait_for()
        page.keyboard.press("Enter")
        page.get_by_text("Fence moved.").wait_for()
        ladder.get_by_role("button", name="Change Lately and often").click()
        name = page.get_by_label("Name", exact=True)
        name.fill("Front garden")
        page.keyboard.press("Enter")
        ladder.get_by_role("button", name="Front garden", exact=True).wait_for()
        cut = field.get_by_role("slider", name="Cut 2 of Visits")
        cut.focus()
        page.keyboard.press("Enter")
        page.keyboard.press("ArrowUp")
        page.get_by_text("Cut points of Visits changed.").wait_for()
        # Let go, an arrow leads to another mark.
        page.keyboard.press("Escape")
        page.keyboard.press("ArrowUp")
        self.assertTrue(cut.evaluate("(mark) => mark !== document.activeElement"))
        page.get_by_label("Score another measure").select_option(label="Time as member")
        chip = page.get_by_role("button", name=re.compile("^Time as member"))
        chip.click()
        page.get_by_label("Bands", exact=True).fill("3")
        page.get_by_text("Time as member has 3 bands.").wait_for()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Keep this ladder").click()
        page.get_by_role("button", name="This ladder is kept").wait_for()
        self.open_station(page, "Portraits")
        heads = page.get_by_role("columnheader")
        heads.filter(has_text="Front garden").wait_for()
