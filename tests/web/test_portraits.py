"""Portraits in Chromium: threads and their table, rules that are drawn, said and picked."""

import csv
import io
import json
import re
from pathlib import Path

import openpyxl

from tests.web.support import Station


class ThreadsByHand(Station):
    once = Station.swept

    def test_the_table_as_it_is_asked_for(self):
        self.adopt()
        told = self.get("portraits")
        pair = self.get("portraits", pair="2,1")
        asked = {"clauses": [{"field": "trait:garden", "values": ["yard"]}]}
        lens = self.send("post", "lens", asked)
        rest = self.get("portraits", against="rest", lens=lens["digest"])
        self.walk("Portraits", self.threads, told, pair, lens["lens"]["customers"], rest)

    def test_a_name_is_seen_everywhere_at_once(self):
        self.adopt()
        told = self.get("portraits")
        self.walk("Portraits", self.names, told)

    def test_values_are_called_something_else(self):
        self.adopt()
        self.walk("Portraits", self.values)

    def values(self, page):
        page.get_by_role("button", name=re.compile("Garden")).first.click()
        page.get_by_role("button", name="words for its values").click()
        card = page.get_by_role("dialog")
        card.get_by_label("yard is called").fill("house and yard")
        self.accessible(page)
        page.keyboard.press("Enter")
        table = page.get_by_role("table", name="Measures by segment")
        level = table.get_by_role("button", name="house and yard", exact=True)
        level.click()
        # The clause is on the value, and reads as it is called.
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_text("house and yard").first.wait_for()
        page.get_by_role("button", name="Undo").click()
        table.get_by_role("button", name="yard", exact=True).wait_for()

    def names(self, page, told):
        first, second = told["segments"][:2]
        other = page.context.new_page()
        other.goto(page.url)
        heads = [each.get_by_role("columnheader") for each in (page, other)]
        heads[1].get_by_text(first["name"], exact=True).wait_for()
        button = page.get_by_role("button", name=first["name"]).first
        button.focus()
        page.keyboard.press("F2")
        page.get_by_label(f"New name of {first['name']}").fill("Plot keepers")
        # On one's own page it stands before the server has answered: that waits to be let on.
        held = []
        address = re.compile(r"/portraits/segments/\d+$")
        page.route(address, lambda route: held.append(route))
        page.keyboard.press("Enter")
        heads[0].get_by_text("Plot keepers", exact=True).wait_for()
        self.assertEqual(heads[1].get_by_text("Plot keepers", exact=True).count(), 0)
        while not held:
            page.wait_for_timeout(20)
        held[0].continue_()
        page.unroute(address)
        heads[1].get_by_text("Plot keepers", exact=True).wait_for()
        # The mark changes hands with the second segment's; a former name is taken again.
        page.get_by_role("button", name=re.compile("^Mark:")).click()
        taken = page.get_by_role("group", name="Shape").get_by_role("button").nth(second["mark"])
        taken.click()
        taken.and_(page.locator("[aria-pressed=true]")).wait_for()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="names before").click()
        page.get_by_role("button", name="Take again").click()
        heads[0].get_by_text(first["name"], exact=True).wait_for()
        heads[1].get_by_text(first["name"], exact=True).wait_for()
        other.close()

    def threads(self, page, told, pair, in_yards, rest):
        table = page.get_by_role("table", name="Measures by segment")
        spend = next(r for r in told["numeric"] if r["name"] == "monetary")
        garden = next(r for r in told["categories"] if r["name"] == "trait:garden")
        row = table.get_by_role("row").filter(has_text=re.compile("^Spend"))
        row.get_by_text(f"£{spend['means'][0]:,.0f}"[:3]).first.wait_for()
        self.accessible(page)
        # All that is known of a cell stands at the foot while keys are on it; Enter narrows.
        cell = row.get_by_role("button", name=re.compile(f"^Spend, {told['segments'][0]['name']}"))
        self.assertIn("95% interval £", cell.get_attribute("aria-label"))
        cell.focus()
        page.locator("footer").get_by_text("95% interval £").wait_for()
        page.keyboard.press("Enter")
        self.lens_shows(told["segments"][0]["customers"])
        page.get_by_role("button", name="Clear").click()
        # A category opens to all its values; one of them is a lens, whose customers the table
        # then sets against the rest.
        page.get_by_role("button", name=re.compile("Garden")).first.click()
        used = [n for n, share in enumerate(garden["everyone"]) if share > 0]
        for level in used:
            table.get_by_role("button", name=garden["levels"][level], exact=True).wait_for()
        table.get_by_role("button", name="yard", exact=True).click()
        self.lens_shows(in_yards)
        page.get_by_label("What is compared").select_option("rest")
        table.get_by_text("In the lens less the rest").wait_for()
        apart = next(r for r in rest["numeric"] if r["name"] == "frequency")["apart"]
        visits = table.get_by_role("row").filter(has_text=re.compile("^Visits"))
        visits.get_by_text(f"d {apart['d']:.2f}".replace("-", "−")).wait_for()
        page.get_by_label("What is compared").select_option("segments")
        # Two segments side by side.
        page.get_by_label("Compare", exact=True).select_option("2")
        page.get_by_label("Compare with").select_option("1")
        apart = next(r for r in pair["numeric"] if r["name"] == "monetary")["apart"]
        row.get_by_text(f"d {apart['d']:.2f}".replace("-", "−")).wait_for()
        page.get_by_label("Compare", exact=True).select_option("0")
        # Pinned, a row stands on top; taken out, it is gone; how it is looked at is kept.
        page.get_by_label("What cells show").select_option("index")
        last = table.get_by_role("row").filter(has_text=re.compile("^Visits"))
        last.hover()
        last.get_by_role("button", name="Visits on top").click()
        table.get_by_role("row").nth(1).filter(has_text=re.compile("^Visits")).wait_for()
        page.get_by_role("button", name="Rows", exact=True).click()
        page.get_by_role("combobox", name="Find a row").fill("Spend")
        page.get_by_role("option", name=re.compile("^.?.?Spend money$")).click()
        page.keyboard.press("Escape")
        row.wait_for(state="detached")
        page.reload()
        table.get_by_role("row").nth(1).filter(has_text=re.compile("^Visits")).wait_for()
        self.assertEqual(row.count(), 0)
        visits = next(r for r in told["numeric"] if r["name"] == "frequency")
        wanted = [f"{100 * mean / visits['everyone']:,.0f}" for mean in visits["means"]]
        self.take_away(page, wanted)

    def take_away(self, page, visits):
        """The same table as CSV and as a sheet."""
        files = {}
        for kind in ("CSV", "XLSX"):
            page.get_by_role("button", name="Take away").click()
            with page.expect_download() as coming:
                page.get_by_role("menuitem", name=re.compile(kind)).click()
            files[kind] = Path(coming.value.path()).read_bytes()
        lines = list(csv.reader(io.StringIO(files["CSV"].decode())))
        self.assertEqual(lines[0][:3], ["By separation", "η², V² for categories", "Everyone"])
        self.assertEqual(lines[1][0], "Visits")
        self.assertEqual([f"{float(cell):,.0f}" for cell in lines[1][3:]], visits)
        sheet = openpyxl.load_workbook(io.BytesIO(files["XLSX"])).active
        self.assertEqual([c.value for c in sheet[1]], lines[0])
        self.assertEqual([f"{c.value:,.0f}" for c in sheet[2][3:]], visits)
        self.assertTrue(any(c.fill.fill_type for c in sheet[2]))


class SpreadByHand(Station):
    once = Station.swept

    def test_boxes_and_lines(self):
        self.adopt()
        told = self.get("portraits/spread")
        panel, head = told["panels"][0], told["columns"][1]
        low, high = panel["boxes"][1]["five"][1], panel["boxes"][1]["five"][3]
        half = self.send("post", "lens", {"clauses": [
            {"field": "segment:now", "values": [str(head["number"])]},
            {"field": panel["field"], "ranges": [[low, high]]},
        ]})["lens"]["customers"]  # fmt: skip
        self.walk("Portraits", self.spread, told, half)

    def spread(self, page, told, half):
        page.get_by_role("tab", name="Spread").click()
        card = page.get_by_role("region", name="Spread of the measures")
        panel, head = told["panels"][0], told["columns"][1]
        picture = card.get_by_role("group", name=re.compile(f"^{panel['label']}: everyone"))
        picture.wait_for()
        self.assertEqual(card.get_by_role("group", name=re.compile("everyone, and")).count(),
                         len(told["panels"]))  # fmt: skip
        page.get_by_text(told["hardest"]).wait_for()
        self.accessible(page)
        # By keys into a picture and to a box; Enter makes its middle half the lens.
        box = picture.get_by_role("button", name=re.compile(f"{head['name']}: median"))
        box.focus()
        page.keyboard.press("Enter")
        self.lens_shows(half)
        page.get_by_role("button", name="Clear").click()
        page.get_by_role("button", name="Take away").click()
        with page.expect_download() as coming:
            page.get_by_role("menuitem", name="PNG").click()
        self.assertEqual(Path(coming.value.path()).read_bytes()[:4], b"\x89PNG")
        page.get_by_role("button", name="Take away").click()
        with page.expect_download() as coming:
            page.get_by_role("menuitem", name="SVG").click()
        drawn = Path(coming.value.path()).read_text()
        self.assertEqual(drawn.count("<svg") - 1, len(told["panels"]))
        self.assertNotIn("var(--", re.sub(r'(fill|stroke)="var[^"]*"', "", drawn))
        # As lines; an axis is moved by keys, turned, and stands so in the address.
        page.get_by_role("button", name="Lines").click()
        lines = card.get_by_role("group", name="Medians of every column over the measures")
        axes = lines.get_by_role("button", name=re.compile("turns the axis"))
        axes.first.wait_for()
        order = [p["label"] for p in told["panels"]]
        self.assertEqual(axes.count(), len(order))
        axes.first.focus()
        page.keyboard.press("Shift+ArrowRight")
        axes.first.and_(lines.get_by_role("button", name=re.compile(f"^{order[1]}:"))).wait_for()
        axes.first.focus()
        page.keyboard.press("Enter")
        lines.get_by_role("button", name=re.compile(f"^{order[1]}, turned")).wait_for()
        page.get_by_role("switch", name="Some customers behind").click()
        card.get_by_text(re.compile("customers behind$")).first.wait_for()
        page.reload()
        lines.get_by_role("button", name=re.compile(f"^{order[1]}, turned")).wait_for()
        lines.get_by_role("button", name=re.compile(f"^{head['name']}:")).focus()
        page.keyboard.press("Enter")
        self.lens_shows(head["customers"])


class AgainstByHand(Station):
    once = Station.swept

    def test_a_category_two_measures_and_first_customers(self):
        self.adopt()
        garden = self.get("portraits/against", by="trait:garden")
        pair = self.get("portraits/multiples")
        first = self.get("portraits/first", least="1")
        self.walk("Portraits", self.against, garden, pair, first)

    def against(self, page, garden, pair, first):
        page.get_by_role("tab", name="Against").click()
        chosen = page.get_by_role("combobox", name="What the segments are set against")
        chosen.select_option("trait:garden")
        table = page.get_by_role("table", name="Garden by segment")
        table.wait_for()
        self.accessible(page)
        page.get_by_label("What cells tell").select_option("counts")
        level = garden["levels"][0]
        row = table.get_by_role("row").filter(has_text=level["label"])
        for count in level["counts"]:
            row.get_by_text(re.compile(f"(^|[^0-9,]){count:,}$")).first.wait_for()
        cell = row.get_by_role("button", name=re.compile(re.escape(garden["columns"][1]["name"])))
        cell.focus()
        page.keyboard.press("Enter")
        self.lens_shows(level["counts"][1])
        page.get_by_role("button", name="Clear").click()
        page.get_by_role("button", name="Two measures").click()
        card = page.get_by_role("region", name=f"{pair['y']['label']} by {pair['x']['label']}")
        told = pair["panels"][0]
        words = f"r {told['r']:.2f}".replace("-", "−")
        card.get_by_text(words).first.wait_for()
        self.assertEqual(card.locator("figure").count(), len(pair["panels"]))
        page.get_by_role("button", name="First customers").click()
        page.get_by_role("button", name="least first").click()
        page.get_by_role("link", name=first["lists"][0]["customers"][0]["card"]).wait_for()
        self.accessible(page)
        page.reload()
        page.get_by_role("link", name=first["lists"][0]["customers"][0]["card"]).wait_for()


class OffersByHand(Station):
    def once(self):
        """The demo with its offers, groups tried."""
        self.count("responses.csv", "offers.csv")
        self.sweep()

    def test_take_up_and_the_next_mailing(self):
        self.adopt()
        told = self.get("portraits/offers")
        theme = next(a for a in told["attributes"] if a["name"] == "theme")["values"][0]
        chosen = self.get("portraits/offers", chosen=json.dumps({"theme": theme}))
        self.walk("Portraits", self.offers, told, theme, chosen)

    def offers(self, page, told, theme, chosen):
        page.get_by_role("tab", name="Offers").click()
        table = page.get_by_role("table", name="Take-up by offer")
        table.wait_for()
        self.assertEqual(table.get_by_role("row").count(), 1 + len(told["offers"]))
        self.accessible(page)
        # Ordered by a column, the highest share stands first; its takers are a lens.
        head = told["columns"][0]
        table.get_by_role("button", name=f"Order by {head['name']}").click()
        best = max(told["offers"], key=lambda offer: offer["shares"][0] or 0)
        first = table.get_by_role("row").nth(1)
        first.filter(has_text=best["label"]).wait_for()
        first.get_by_role("button").first.focus()
        page.keyboard.press("Enter")
        self.lens_shows(best["took"][0])
        page.get_by_role("button", name="Clear").click()
        preferred = page.get_by_role("region", name="What the preferred share")
        clear = [p for p in told["preferred"] if p["pattern"]]
        nothing = preferred.get_by_text("No clear pattern.")
        self.assertEqual(nothing.count(), len(told["preferred"]) - len(clear))
        mailing = page.get_by_role("region", name="Next mailing")
        mailing.get_by_label("theme").select_option(theme)
        highest = max(chosen["expected"], key=lambda each: each["share"])
        name = told["columns"][highest["number"] - 1]["name"]
        lines = mailing.get_by_role("group", name=re.compile("^Expected take-up"))
        row = lines.get_by_role("button").first
        row.and_(lines.get_by_role("button", name=re.compile(
            f"^{name}: {100 * highest['share']:.0f}% expected"))).wait_for()  # fmt: skip
        page.reload()  # what the next one is like stands in the address
        row.focus()
        page.keyboard.press("Enter")
        self.lens_shows(told["columns"][highest["number"] - 1]["customers"])
        self.taken_away(page, mailing, told, chosen)
        # The plan knows what it offers, and whom.
        mailing.get_by_role("button", name=re.compile("^Plan it for these")).click()
        page.get_by_role("heading", name="Campaigns", level=1).wait_for()
        offer = page.get_by_role("note", name="The offer")
        offer.get_by_text(f"theme {theme}").wait_for()
        offer.get_by_text(f"{100 * highest['share']:.0f}% of those written to").wait_for()
        self.assertEqual(page.get_by_label("Name", exact=True).input_value(), f"Mailing: {theme}")

    def taken_away(self, page, mailing, told, chosen):
        """The table behind the picture, and the picture with its names."""
        for kind in ("CSV", "SVG"):
            mailing.get_by_role("button", name="Take away").click()
            with page.expect_download() as file:
                page.get_by_role("menuitem", name=kind).click()
            written = Path(file.value.path()).read_text()
            for head in told["columns"]:
                self.assertIn(head["name"], written)
            for each in chosen["expected"]:
                wanted = each["share"] if kind == "CSV" else f"{100 * each['share']:.0f}%"
                self.assertIn(str(wanted), written)


class RulesByHand(Station):
    once = Station.swept

    def test_the_tree_its_lines_and_what_they_catch(self):
        self.adopt()
        page = self.get("portraits/rules")
        two = self.get("portraits/rules", depth="2", about="others")
        everyone = self.send("post", "lens", {"clauses": []})["lens"]["customers"]
        self.walk("Portraits", self.rules, page, two, everyone)

    def rules(self, page, told, two, everyone):
        page.get_by_role("tab", name="Rules").click()
        tree = page.get_by_role("group", name=re.compile("^Questions that tell"))
        marks = tree.get_by_role("button")
        marks.first.wait_for()
        self.assertEqual(marks.count(), len(told["nodes"]))
        right = round(100 * told["right"]["share"])
        page.get_by_text(f"Three questions place {right} of 100 customers").wait_for()
        # By keys from the root to a bar at its right; Enter makes it the lens.
        marks.first.focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Enter")
        reached = tree.locator("[aria-pressed=true]")
        reached.wait_for()
        answer = reached.get_attribute("aria-label").partition(": ")[0]
        node = next(n for n in told["nodes"] if n["answer"] == answer)
        self.lens_shows(sum(node["counts"]))
        page.keyboard.press("Enter")  # once more gives everybody back
        self.lens_shows(everyone)
        line = next(r for r in told["rules"] if len(r["ways"]) == 1)
        lines = page.get_by_role("region", name="In one line")
        lines.get_by_role("button", name=line["ways"][0]["words"], exact=True).click()
        counts = {n["id"]: sum(n["counts"]) for n in told["nodes"]}
        self.lens_shows(sum(counts[leaf] for leaf in line["leaves"]))
        page.get_by_role("button", name="Take away").click()
        with page.expect_download() as coming:
            page.get_by_role("menuitem", name="CSV").click()
        saved = list(csv.reader(io.StringIO(Path(coming.value.path()).read_text())))
        ways = [way for rule in told["rules"] for way in rule["ways"]]
        self.assertEqual(len(saved), 1 + len(ways))
        self.assertEqual(float(saved[1][2]), told["rules"][0]["holds"]["share"])
        errs = page.get_by_role("region", name="Where the tree errs")
        errs.get_by_role("row").nth(1).get_by_role("cell").first.wait_for()
        cells = errs.get_by_role("row").nth(1).get_by_role("cell").all_inner_texts()
        shown = [f"{n:,}" if n else "·" for n in told["errs"][0]]
        self.assertEqual(cells[: len(shown)], shown)
        self.accessible(page)
        page.get_by_role("button", name="2", exact=True).click()
        page.get_by_label("What the questions are about").select_option("others")
        right = round(100 * two["right"]["share"])
        page.get_by_text(f"Two questions place {right} of 100 customers").wait_for()
        page.reload()  # how it is looked at stands in the address
        page.get_by_text(f"Two questions place {right} of 100 customers").wait_for()
        self.assertEqual(marks.count(), len(two["nodes"]))
