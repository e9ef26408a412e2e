"""Points of the maps and centres of groups, by hand."""

import re

from sortija.server.lens.models import Lens
from tests.web import test_groups


class PointsAndCentres(test_groups.GroupCase):
    def test_a_point_says_who_it_is_and_a_lasso_holds_those_inside(self):
        row = self.row(self.quick(), 3)
        names = {n for (n,) in self.study.cards.values_list("code")}
        self.walk("Groups", self.points, row, names)
        (clause,) = Lens.objects.order_by("-id").first().clauses
        self.assertTrue(clause["field"].startswith(f"lasso:{row['id']};component:1+component:2;;"))

    def points(self, page, row, names):
        page.get_by_role("button", name="3 groups: silhouette").click()
        page.get_by_role("tab", name="Map").click()
        plot = page.get_by_role("application")
        plot.focus()
        page.keyboard.press("ArrowRight")
        said = page.locator("[aria-live=polite] b")
        said.get_by_text(re.compile(r"\d")).wait_for()
        first = said.inner_text()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowRight")
        another = """first => {
            const said = document.querySelector("[aria-live=polite] b")?.innerText ?? "";
            return /\\d/.test(said) && said !== first;
        }"""
        page.wait_for_function(another, arg=first)
        self.assertIn(said.inner_text(), names)
        page.keyboard.press("+")
        page.get_by_role("button", name="Show all").click()
        page.get_by_role("button", name="Lasso", exact=True).click()
        box = plot.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x - 90, y - 90)
        page.mouse.down()
        for dx, dy in ((90, -90), (90, 90), (-90, 90)):
            page.mouse.move(x + dx, y + dy, steps=6)
        page.mouse.up()
        dock = page.get_by_role("complementary", name="Lens")
        dock.get_by_text("Lasso on Component 1 and Component 2: inside").wait_for()
        self.accessible(page)
        # A point opens its customer.
        plot.focus()
        page.keyboard.press("ArrowLeft")
        said.get_by_text(re.compile(r"\d")).wait_for()
        name = said.inner_text()
        page.keyboard.press("Enter")
        page.get_by_role("heading", name=re.compile(re.escape(name))).wait_for()

    def test_centres_are_read_and_begun_with(self):
        page = self.quick(most=3)
        row = self.row(page, 3)
        centres = self.get(f"groups/{row['id']}/centres")
        self.walk("Groups", self.centres, row, centres)
        draft = self.get("groups")["recipe"]["draft"]
        self.assertEqual((len(draft["centres"]), draft["least"]), (3, 1))
        self.assertEqual(draft["centres"][0]["frequency"], 7.5)

    def centres(self, page, row, found):
        page.get_by_role("button", name="3 groups: silhouette").click()
        page.get_by_role("button", name="Open these 3").click()
        page.get_by_role("button", name="Centres", exact=True).click()
        table = page.get_by_role("table", name="Centres")
        table.get_by_text("Between the groups").wait_for()
        first = table.locator("tbody tr").first.inner_text()
        self.assertIn(f"{row['counts'][0]:,}", first)
        recipe = page.get_by_role("region", name="Recipe")
        recipe.get_by_role("button", name=re.compile("^Method")).click()
        least = page.get_by_label("Smallest k")
        least.fill("1")
        least.press("Enter")
        page.get_by_text("Smallest k: 1.").wait_for()
        page.get_by_role("button", name="Own centres").click()
        card = page.get_by_role("dialog", name="Begin with centres of your own")
        card.get_by_role("button", name="Begin with these 2").click()
        card.get_by_role("alert").get_by_text("Every centre needs a number").wait_for()
        card.get_by_label("Fill in the centres of").select_option(str(row["id"]))
        card.get_by_label("Visits, centre 3").wait_for()
        card.get_by_label("Visits, centre 1").fill("7.5")
        self.accessible(page)
        card.get_by_role("button", name="Begin with these 3").click()
        page.get_by_text("3 groups begin with these centres.").wait_for()
        group = page.get_by_role("button", name="Group by this recipe")
        group.click()
        page.get_by_role("button", name="Grouped by this recipe").wait_for(timeout=60_000)
        # The focus stays where it was, and everyone is a row.
        here = "document.activeElement.textContent"
        self.assertIn("Grouped by this recipe", page.evaluate(here))
        page.get_by_role("button", name="1 group: silhouette none").wait_for()
