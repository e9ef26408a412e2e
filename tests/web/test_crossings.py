"""Crossings by hand: dates, cells, paths, what comes next, and what is watched."""

import re
from pathlib import Path

from tests.web.support import Station


class CrossingsByHand(Station):
    once = Station.swept

    def test_a_cell_a_date_and_a_unit(self):
        self.adopt()
        self.walk("Crossings", self.crossings, self.get("crossings", by="quarter"))

    def crossings(self, page, crossings):
        k = len(crossings["states"]) - 3
        step = crossings["steps"][0]
        moves = [
            (step["customers"][a][b], a, b)
            for a in range(k) for b in range(k) if a != b
        ]  # fmt: skip
        most, origin, target = max(moves)
        names = [state["name"] for state in crossings["states"]]
        page.get_by_text("Most moves are chance").wait_for()
        page.get_by_label("Dates", exact=True).select_option("quarter by quarter")
        matrix = page.get_by_role("region", name="Matrix")
        matrix.get_by_role("button", name=re.compile("^to 31 Dec")).click()
        matrix.get_by_role("button", name=f"{names[origin]} → {names[target]}: ").click()
        self.lens_shows(most)
        panel = page.get_by_role("region", name="Crossing", exact=True)
        panel.get_by_text(f"{most:,} customers").wait_for()
        panel.get_by_role("table", name="What changed, by measure").wait_for()
        page.get_by_text("Spend here: the 12 months to 30 Sep 2025").wait_for()
        page.get_by_role("button", name="Spend", exact=True).click()
        page.get_by_text("4 dates, spend before").wait_for()
        self.assertTrue(page.get_by_label("hide border moves").is_disabled())

    def test_what_is_more_than_chance(self):
        """From the ribbon to what chance makes of it, who has changed, and a lens on them."""
        self.adopt()
        self.wait(lambda: self.told()["chance"]["status"]["state"] == "whole", 120)
        step = self.told()
        self.walk("Crossings", self.against_chance, step)

    def test_a_path_is_a_lens(self):
        self.adopt()
        self.walk("Crossings", self.paths, self.get("crossings/paths"),
                  self.get("crossings", by="quarter"))  # fmt: skip

    def paths(self, page, paths, ribbons):
        page.get_by_role("tab", name="Paths").click()
        table = page.get_by_role("table", name="Ways through the dates")
        table.wait_for()
        self.assertEqual(table.get_by_role("row").count(), 1 + len(paths["rows"]))
        names = [state["name"] for state in paths["states"]]
        row = paths["rows"][1]
        said = ", then ".join(names[state] for state in row["states"])
        table.get_by_role("button", name=f"{said}: {row['customers']:,} customers").click()
        self.lens_shows(row["customers"])
        pattern = page.get_by_role("region", name="Pattern")
        pattern.get_by_text(f"{row['customers']:,} go this way").wait_for()
        self.accessible(page)
        pattern.get_by_role("button", name="Any way").click()
        pattern.get_by_text("Pick a state at one date or more.").wait_for()
        pattern.get_by_label("30 Jun 2026").select_option(names[0])
        everybody = ribbons["dates"][-1]["counts"][0]
        pattern.get_by_role("button", name=f"Look at these {everybody:,}").click()
        self.lens_shows(everybody)

    def test_cohorts_and_the_yardstick(self):
        self.adopt()
        self.walk("Crossings", self.other_views, self.get("crossings/cohorts"),
                  self.get("crossings/yardstick"))  # fmt: skip

    def other_views(self, page, cohorts, fit):
        page.get_by_role("tab", name="Cohorts").click()
        row = max(cohorts["rows"][1:], key=lambda row: row["customers"])
        table = page.get_by_role("table", name="Cohorts by quarters since they came")
        first = row["first"]
        quarter = f"Q{(int(first[5:7]) + 2) // 3} {first[:4]}"
        bought = row["cells"][1]["bought"]
        table.get_by_role("button", name=f"{quarter}, 1 quarters later: {bought:,} of").click()
        self.lens_shows(bought)
        page.get_by_role("button", name="Spend a head").click()
        page.get_by_text("spent so many quarters later, a head").wait_for()
        waits = page.get_by_role("region", name="Time to the next purchase")
        waits.get_by_text(f"{cohorts['wait']['customers']:,} whose first purchase").wait_for()
        self.accessible(page)
        page.get_by_role("tab", name="Yardstick").click()
        moved = page.get_by_role("region", name="Measures moved")
        told = [row["label"] for row in fit["rows"] if row["told"]]
        moved.get_by_text(", ".join(told) if told else "It still fits").first.wait_for()
        distances = page.get_by_role("table", name="Distances to the centres")
        self.assertEqual(distances.get_by_role("row").count(), 1 + len(fit["segments"]))
        self.accessible(page)
        with page.expect_download() as saved:
            moved.get_by_role("button", name="Take away").click()
            page.get_by_role("menuitem", name="CSV").click()
        lines = Path(saved.value.path()).read_text().splitlines()
        self.assertEqual(len(lines), 1 + len(fit["rows"]))

    def told(self):
        [step] = self.get("crossings")["steps"]
        return step

    def against_chance(self, page, step):
        chance = step["chance"]
        page.get_by_text(f"Same again {chance['steadiness']['mean']:.2f}").wait_for()
        ribbons = page.get_by_role("region", name="Ribbons")
        ribbons.get_by_text("Striped: what chance alone moves").wait_for()
        verdicts = [
            self.verdict(chance, a, b) for a, row in enumerate(step["customers"])
            for b, customers in enumerate(row) if customers and a != b
        ]  # fmt: skip
        matrix = page.get_by_role("region", name="Matrix")
        for verdict in ("more", "fewer", "as chance"):
            shown = matrix.locator(f"[data-verdict='{verdict}']:enabled")
            self.assertEqual(shown.count(), verdicts.count(verdict), verdict)
        panel = page.get_by_role("region", name="Crossing", exact=True)
        panel.get_by_text("chance alone would have moved").wait_for()
        panel.get_by_role("tab", name="Signs before").click()
        panel.get_by_role("region", name="Signs before").wait_for()
        panel.get_by_role("tab", name="Customers").click()
        people = panel.get_by_role("region", name="Customers")
        people.get_by_text("All who crossed:").wait_for()
        slider = people.get_by_label("changed, at least")
        slider.focus()
        page.keyboard.press("ArrowRight")
        people.get_by_text("At 5 in 10:").wait_for()
        page.keyboard.press("ArrowLeft")
        self.accessible(page)
        people.get_by_role("button", name=re.compile("^Look at these")).click()
        page.get_by_role("button", name="Clear").wait_for()

    def verdict(self, chance, a, b):
        cell, seen = chance["moves"][a][b], chance["seen"][a][b]
        if not cell:
            return "untold"
        if seen > cell["high"]:
            return "more"
        return "fewer" if seen < cell["low"] else "as chance"

    def test_a_crossing_is_watched_from_now_on(self):
        """From the ribbon to a watched crossing, to what was read of it, to a lens, and back."""
        self.adopt()
        self.wait(lambda: self.told()["chance"]["status"]["state"] == "whole", 120)
        self.walk("Crossings", self.watched, self.told(), self.get("crossings")["states"])
        rows = self.get("watches")["rows"]
        self.assertEqual([row["rule"] for row in rows], ["at least"])

    def watched(self, page, step, states):
        k = len(states) - 3
        a, b = max(((a, b) for a in range(k) for b in range(k) if a != b),
                   key=lambda cell: step["customers"][cell[0]][cell[1]])  # fmt: skip
        crossed = step["customers"][a][b]
        names = [state["name"] for state in states]
        matrix = page.get_by_role("region", name="Matrix")
        ribbons = page.get_by_role("region", name="Ribbons")
        before = sum(step["customers"][a])
        ribbons.get_by_role("button", name=f"{names[a]} on 30 Jun 2025: ").click()
        self.lens_shows(before)
        page.get_by_role("button", name="Watch this size").wait_for()
        matrix.get_by_role("button", name=f"{names[a]} → {names[b]}: ").click()
        self.lens_shows(crossed)
        page.get_by_role("button", name="Watch this crossing").click()
        form = page.get_by_label("Watch this crossing")
        form.get_by_label("when more cross than chance").wait_for()
        self.accessible(page)
        form.get_by_role("button", name="Watch", exact=True).click()
        watches = page.get_by_role("region", name="Watches")
        seen = step["chance"]["seen"][a][b]
        verdict = step["chance"]["moves"][a][b]["verdict"]
        watches.get_by_text("fired" if verdict == "more" else "quiet", exact=False).first.wait_for()
        told = "" if seen == crossed else f", of {seen:,} told"
        watches.get_by_text(f"{crossed:,}{told}, chance ").wait_for()
        watches.get_by_role("button", name=f"Change {names[a]} → {names[b]}").click()
        change = page.get_by_label(f"Change {names[a]} → {names[b]}")
        change.get_by_label("from so many customers on").check()
        change.get_by_label("Customers", exact=True).fill(str(crossed))
        change.get_by_role("button", name="Change", exact=True).click()
        watches.get_by_text(f"from {crossed:,} customers").wait_for()
        watches.get_by_text("fired 30 Jun 2026").wait_for()
        page.get_by_text(f"{k} segments, 1 watch fired").wait_for()
        self.accessible(page)
        watches.get_by_role("button", name=f"Watch {names[a]} → {names[b]} no longer").click()
        page.get_by_text("is no longer watched").wait_for()
        watches.wait_for(state="detached")
        page.get_by_role("button", name="Undo").click()
        watches.get_by_text(f"from {crossed:,} customers").wait_for()

    def test_what_comes_next_and_what_if(self):
        self.adopt()
        page = self.get("crossings/next")
        self.walk("Crossings", self.ahead, page)

    def ahead(self, page, told):
        page.get_by_role("tab", name="Next").click()
        k = len(told["states"]) - 3
        names = [state["name"] for state in told["states"]]
        region = page.get_by_role("region", name="Next", exact=True)
        region.get_by_text("If nothing changes").wait_for()
        what_if = page.get_by_role("group", name="What if")
        what_if.get_by_label("From").select_option(names[1])
        what_if.get_by_label("To").select_option("left")
        rate = told["rates"][1][k + 1]
        what_if.get_by_text(f"{100 * rate:.{1 if rate < 0.1 else 0}f}%").first.wait_for()
        self.accessible(page)
        slider = what_if.get_by_role("slider")
        slider.focus()
        page.keyboard.press("Home")
        what_if.get_by_text("fewer").wait_for()
        what_if.get_by_role("button", name="as it was").click()
        what_if.get_by_text("fewer").wait_for(state="detached")
        page.get_by_role("button", name="Spend", exact=True).click()
        region.get_by_text("Each is taken to spend").wait_for()
        with page.expect_download() as saved:
            region.get_by_role("button", name="Take away").click()
            page.get_by_role("menuitem", name="CSV").click()
        lines = Path(saved.value.path()).read_text().splitlines()
        self.assertEqual(len(lines), 1 + (k + 2) * (len(told["dates"]) + len(told["coming"]) - 1))

    def test_dates_of_ones_own_only_the_lens_and_the_recipe_anew(self):
        self.adopt()
        self.walk("Crossings", self.other_dates, self.get("crossings", by="2025-07-31,2026-06-30"))

    def other_dates(self, page, own):
        page.get_by_label("Dates", exact=True).select_option("month by month")
        page.get_by_text("13 dates, customers").wait_for()
        page.get_by_label("Step").select_option("31 Oct 2025 → 30 Nov 2025")
        page.get_by_text("windows share 11 of 12 months; seasons differ").wait_for()
        self.accessible(page)
        page.get_by_label("Dates", exact=True).select_option("dates of your own")
        form = page.get_by_role("form", name="Dates of your own")
        while form.get_by_role("button", name=re.compile("^Leave out")).count() > 2:
            form.get_by_role("button", name="Leave out date 1", exact=True).click()
        form.get_by_label("Date 1", exact=True).fill("2025-07-31")
        form.get_by_role("button", name="Compare").click()
        page.get_by_text("2 dates, customers").wait_for()
        first = own["dates"][0]["counts"]
        matrix = page.get_by_role("region", name="Matrix")
        matrix.get_by_text(f"{first[0]:,}").first.wait_for()
        page.get_by_role("button", name=re.compile("^Garden yard")).click()
        page.get_by_label("only the lens").check()
        matrix.get_by_text("of the customers of the lens alone").wait_for()
        page.get_by_role("tab", name="Yardstick").click()
        page.get_by_role("button", name="Group anew and compare").click()
        table = page.get_by_role("table", name="Segments and new groups")
        table.wait_for(timeout=120_000)
        self.accessible(page)

    def test_twelve_segments_two_windows_and_a_log_too_short(self):
        draft = self.get("groups")["recipe"]["draft"]
        self.send("put", "groups/recipe", {**draft, "most": 12})
        self.adopt(12)
        now, year = self.get("crossings"), self.get("crossings", by="quarter", to="2026-03-31")
        self.walk("Crossings", self.twelve, now, year)

    def twelve(self, page, now, earlier):
        matrix = page.get_by_role("region", name="Matrix")
        matrix.get_by_role("rowheader", name="came less went").wait_for()
        there = sum(count > 0 for count in now["dates"][-1]["counts"])
        self.assertEqual(matrix.get_by_role("columnheader").count(), 2 + there)
        # Nothing of it is cut off: the last column ends within the card.
        last = matrix.get_by_role("columnheader", name="left", exact=True).bounding_box()
        card = matrix.bounding_box()
        self.assertLess(last["x"] + last["width"], card["x"] + card["width"])
        self.assertLess(card["x"] + card["width"], 1280)
        self.accessible(page)
        # Another window beside it, in a tab of its own: each tells of its own dates.
        other = page.context.new_page()
        other.goto(f"{page.url.partition('?')[0]}?to=2026-03-31")
        other.get_by_label("Dates", exact=True).select_option("quarter by quarter")
        for tab, told in ((other, earlier), (page, now)):
            last = told["dates"][-1]["counts"][0]
            of = tab.get_by_role("region", name="Matrix")
            of.get_by_role("row", name=re.compile("^at the end")).get_by_role("cell").nth(1).and_(
                tab.get_by_text(f"{last:,}", exact=True)
            ).wait_for()
        # So early no year lies before the window.
        other.goto(f"{page.url.partition('?')[0]}?to=2025-06-30")
        other.get_by_text("There are no two dates to compare").wait_for()
        other.get_by_text(re.compile("the log has [0-9]+ of these 12 months")).first.wait_for()
        self.accessible(other)

    def test_whether_sizes_changed(self):
        self.adopt()
        self.walk("Crossings", self.sizes, self.get("crossings", back="6"))

    def sizes(self, page, crossings):
        sizes = page.get_by_role("region", name="Sizes")
        sizes.get_by_text("Did the sizes change?").wait_for()
        page.get_by_label("Dates", exact=True).select_option("quarter by quarter")
        sizes.get_by_text("It cannot be told: the two windows are of different seasons.").wait_for()
        page.goto(f"{page.url.partition('?')[0]}?back=6")
        step = crossings["steps"][0]
        told = step["sizes"]
        sizes.get_by_text(f"of the {told['customers']:,} who bought before 1 Jan 2025").wait_for()
        ways = sizes.get_by_role("listitem")
        self.assertEqual(ways.count(), len(told["one_way"]))
        for way in told["one_way"][:1]:
            ways.first.get_by_text(f"{way['there']:,}, back {way['back']:,}").wait_for()
            ways.first.get_by_role("button").click()
            self.lens_shows(step["customers"][way["one"]][way["other"]])
        self.accessible(page)
