"""Groups by hand: recipe, string, kept, comparison, maps, merges, proposals, identities."""

import re

from sortija.server.groups.models import Grouping, Segment, Yardstick
from sortija.server.jobs.models import Job
from tests.web.support import Station


class GroupCase(Station):
    def quick(self, **changes):
        """Rows of 2 to 4 groups over few columns and starts."""
        draft = {"numeric": ["recency", "frequency", "monetary"], "categories": ["plan"],
                 "starts": 2, "most": 4, **changes}  # fmt: skip
        self.send("put", "groups/recipe", draft)
        self.send("post", "groups/run", status=202)
        self.wait(lambda: self.get("groups")["status"]["state"] == "whole")
        return self.get("groups")

    def row(self, page, k):
        return next(row for row in page["candidates"] if row["k"] == k)


class RecipeAndString(GroupCase):
    def test_columns_rings_threads_and_what_they_say(self):
        page = self.quick()
        profile = self.get(f"groups/{self.row(page, 3)['id']}/profile")
        self.walk("Groups", self.look, page, profile)

    def look(self, page, groups, profile):
        string = page.get_by_role("region", name="The string of k")
        row = self.row(groups, 3)
        for group, size in enumerate(row["counts"], 1):
            ring = string.get_by_role("button", name=f"Group {group} of 3: {size:,} customers")
            back = f"{100 * row['stability'][group - 1]:.0f}% of 20"
            self.assertIn(back, ring.get_attribute("aria-label"))
        string.get_by_role("button", name="3 groups: silhouette").focus()
        page.keyboard.press("ArrowDown")
        page.get_by_role("button", name="Adopt these 4 groups").wait_for()
        told = max(row["rays"][1], key=lambda ray: abs(ray["by"]))
        words = re.escape(f"{told['label']} {told['level']}".strip())
        ring = string.get_by_role("button", name=re.compile("^Group 2 of 3"))
        ring.and_(string.get_by_role("button", name=re.compile(f"Stands out by {words} "))).click()
        lines = page.get_by_role("region", name="The 3 groups in a line each")
        found = profile["groups"][1]
        line = lines.locator("tbody tr").nth(1).inner_text()
        self.assertIn(f"{found['customers']:,}", line)
        self.assertIn(found["traits"][0]["label"], line)
        lines.get_by_role("button", name="Look at group 2").click()
        self.lens_shows(found["customers"])
        thread = next(t for t in row["threads"] if t["customers"] > 20)
        above, below = thread["above"] + 1, thread["below"] + 1
        words = f"stay together from group {above} of 3 to group {below} of 4"
        string.get_by_role("button", name=re.compile(words)).focus()
        page.keyboard.press("Enter")
        self.lens_shows(thread["customers"])
        page.get_by_role("button", name="Clear").click()
        recipe = page.get_by_role("region", name="Recipe")
        recipe.get_by_role("button", name="pick", exact=True).click()
        page.get_by_label("Find a measure or trait").fill("departments vis")
        page.keyboard.press("Enter")
        page.get_by_text("Departments visited goes in.").wait_for()
        page.keyboard.press("Escape")
        recipe.get_by_text("Departments visited", exact=True).wait_for()
        page.get_by_text("changed since the last run").wait_for()
        slider = page.get_by_label("Balance of categories against numbers")
        slider.focus()
        page.keyboard.press("ArrowRight")
        recipe.get_by_text("Would move").wait_for()
        page.keyboard.press("Enter")
        page.get_by_text("Balance changed.").wait_for()
        recipe.get_by_role("button", name=re.compile("^Method")).click()
        page.get_by_label("Largest k").fill("3")
        page.keyboard.press("Enter")
        page.get_by_text("Largest k: 3.").wait_for()
        recipe.get_by_role("button", name="Group by this recipe").click()
        string.get_by_role("button", name=re.compile("^Group 3 of 3")).wait_for()
        string.get_by_role("button", name=re.compile("^Group 4 of 4")).wait_for(state="detached")

    def test_a_sweep_stopped_in_the_middle_keeps_its_rows(self):
        self.send("put", "groups/recipe", {"method": "k-medoids", "starts": 50, "most": 20})
        self.walk("Groups", self.stop)
        state = self.get("groups")
        self.assertIn("Stopped after", state["status"]["words"])
        self.assertTrue(0 < len(state["candidates"]) < 19, len(state["candidates"]))

    def stop(self, page):
        page.get_by_role("button", name="Try 2 to 20 groups").click()
        page.get_by_role("button", name="2 groups: silhouette").wait_for()
        page.get_by_role("button", name="Stop", exact=True).click()
        page.get_by_text("the rows that were there stay").wait_for()


class KeptAndCompared(GroupCase):
    def test_star_note_delete_compare_and_an_earlier_run(self):
        first = self.quick()
        second = self.quick(numeric=["recency", "tenure"], categories=[])
        a, b = self.row(first, 3)["id"], self.row(second, 3)["id"]
        found = self.get("groups/compare", first=f"g{a}", second=f"g{b}")
        self.walk("Groups", self.kept, first, (a, b), found)
        rows = {r["id"]: r for r in self.get("groups/kept")["rows"]}
        self.assertTrue(rows[a]["starred"])
        self.assertEqual(rows[a]["note"], "seen by the board")
        self.assertIn(b, rows)

    def kept(self, page, first, pair, found):
        a, b = pair
        page.get_by_role("tab", name="Kept 6").click()
        page.get_by_role("button", name=re.compile(f"^Star .* no. {a}$")).click()
        page.get_by_role("button", name=re.compile(f"^Note to .* no. {a}$")).click()
        page.get_by_label("Note", exact=True).fill("seen by the board")
        page.keyboard.press("Enter")
        page.get_by_text("The note is kept.").wait_for()
        page.get_by_role("button", name=re.compile(f"^Delete .* no. {b}$")).click()
        page.get_by_role("tab", name="Kept 5").wait_for()
        page.get_by_role("button", name="Undo", exact=True).click()
        page.get_by_role("tab", name="Kept 6").wait_for()
        for pk in pair:
            page.get_by_role("checkbox", name=re.compile(f"no. {pk}$")).check()
        page.get_by_role("button", name="Compare these two").click()
        region = page.get_by_role("region", name="Comparison")
        region.get_by_text(f"Adjusted Rand {found['rand']:.2f}").wait_for()
        most = max(max(row) for row in found["table"])
        region.get_by_text(f"{most:,}", exact=True).first.wait_for()
        region.get_by_role("button", name=re.compile(f"Look at the {found['differ']:,}")).click()
        self.lens_shows(found["differ"])
        page.get_by_role("button", name="Clear").click()
        region.get_by_label("Second", exact=True).select_option("t.garden")
        region.get_by_role("columnheader", name="balcony").wait_for()
        self.accessible(page)
        region.get_by_role("button", name="Back to the list").click()
        line = page.get_by_role("row").filter(
            has=page.get_by_role("checkbox", name=re.compile(f"no. {a}$"))
        )
        line.get_by_role("button", name=re.compile("^3 ")).click()
        page.get_by_text("You are looking at groups tried before").wait_for()
        sizes = self.row(first, 3)["counts"]
        page.get_by_role("button", name=f"Group 1 of 3: {sizes[0]:,} customers").wait_for()
        page.get_by_role("button", name="Back to the current recipe").click()
        page.get_by_text("You are looking at groups tried before").wait_for(state="detached")

    def test_two_adopt_at_once_and_the_second_is_told(self):
        page = self.quick()
        rita = self.person("rita")
        self.study.members.create(person=rita, role="analyst")
        self.walk("Groups", self.look_away)
        theirs = self.row(page, 2)["id"]
        self.send("post", "groups/adopt", {"grouping": theirs}, 200, self.signed_in(rita))
        self.run_in_browser(self.adopt_late)
        self.assertEqual(self.get("groups")["adopted"]["k"], 3)
        self.troubles[:] = [t for t in self.troubles if "status of 409" not in t]

    def look_away(self, page):
        page.get_by_role("button", name="3 groups: silhouette").click()
        page.get_by_role("button", name="Adopt these 3 groups").wait_for()
        # What the browser asks anew does not come, as on a slow line.
        page.route("**/groups?*", lambda route: None)

    def adopt_late(self):
        page = self.page
        page.get_by_role("button", name="Adopt these 3 groups").click()
        page.get_by_text("rita adopted 2 segments since you loaded this page").wait_for()
        page.unroute("**/groups?*")
        page.reload()
        page.get_by_role("button", name="3 groups: silhouette").click()
        page.get_by_role("button", name="Adopt these 3 groups").click()
        page.get_by_role("button", name="These 3 are adopted").wait_for()


class Pictures(GroupCase):
    def test_maps_merges_and_the_lens(self):
        page = self.quick(numeric=["recency", "frequency"], categories=["plan"])
        row = self.row(page, 3)
        widths = self.get(f"groups/{row['id']}/widths")
        self.walk("Groups", self.look, row, widths)

    def look(self, page, row, widths):
        page.get_by_role("button", name="3 groups: silhouette").click()
        page.get_by_role("tab", name="Map").click()
        region = page.get_by_role("region", name="Map of 3 groups")
        region.get_by_role("img", name=re.compile("^Component 1")).wait_for()
        region.get_by_text(re.compile("One point per customer, [0-9,]+")).wait_for()
        canvas = region.locator("canvas")
        box = canvas.bounding_box()
        page.mouse.move(box["x"] + 5, box["y"] + 5)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] - 5, steps=4)
        page.mouse.up()
        page.wait_for_url("**lens=*")
        self.lens_narrows(sum(row["counts"]))
        page.get_by_role("button", name="Clear").click()
        region.get_by_role("button", name="Three, turned").click()
        turned = region.get_by_role("img", name=re.compile("three axes"))
        turned.focus()
        page.wait_for_timeout(600)
        before = canvas.screenshot()
        for _ in range(6):
            page.keyboard.press("ArrowRight")
        page.wait_for_timeout(200)
        self.assertNotEqual(canvas.screenshot(), before)
        region.get_by_role("button", name="Pairs").click()
        region.get_by_role("group", name=re.compile("^Pairs of Days since last visit")).wait_for()
        region.get_by_role("button", name="Silhouettes").click()
        region.get_by_text(f"mean {widths['mean']:.2f}.").wait_for()
        region.get_by_role("button", name=re.compile("^Group 2")).click()
        self.lens_shows(row["counts"][1])
        page.get_by_role("button", name="Clear").click()
        region.get_by_role("button", name="Neighbourhood").click()
        region.get_by_role("button", name=re.compile("^Lay out")).click()
        region.get_by_text("Trustworthiness").wait_for(timeout=180_000)
        self.accessible(page)
        page.get_by_role("tab", name="Merges").click()
        page.get_by_role("button", name="Grow the trees").click()
        cut = page.get_by_role("slider", name="Cut")
        cut.wait_for(timeout=180_000)
        cut.focus()
        k = int(cut.get_attribute("aria-valuenow"))
        page.keyboard.press("ArrowDown")
        self.assertEqual(int(cut.get_attribute("aria-valuenow")), k + 1)
        sizes = [
            int(s.replace(",", ""))
            for s in re.findall(r"[\d,]*\d", cut.get_attribute("aria-valuetext"))
        ]
        self.assertEqual(sum(sizes[1:]), sum(row["counts"]))
        page.keyboard.press("ArrowUp")
        self.accessible(page)
        page.get_by_role("button", name=re.compile("^Single")).wait_for(timeout=180_000)
        page.get_by_role("button", name=f"Evaluate these {k} groups").click()
        page.get_by_role("button", name=f"{k} groups: silhouette").wait_for()
        page.get_by_role("button", name=re.compile("^Method hierarchical")).wait_for()


class Identities(GroupCase):
    def test_a_refit_carries_names_over_and_they_can_be_swapped(self):
        page = self.quick()
        self.send("post", "groups/adopt", {"grouping": self.row(page, 3)["id"]})
        for segment, name in zip(
            Segment.objects.order_by("number"), ("Oaks", "Reeds", "Moss"), strict=True
        ):
            self.send("put", f"portraits/segments/{segment.pk}", {"name": name})
        self.quick(seed=11)
        self.walk("Groups", self.refit)

    def refit(self, page):
        page.get_by_role("button", name="3 groups: silhouette").click()
        page.get_by_role("button", name="Adopt these 3 groups").click()
        page.get_by_text(re.compile("carry on earlier segments")).wait_for()
        page.get_by_role("tab", name="In use").click()
        region = page.get_by_role("region", name="Segments in use")
        region.get_by_text("carries on").first.wait_for()
        names = region.get_by_test_id("segment").all_inner_texts()
        region.get_by_role("button", name=f"Swap {names[0]} with another").click()
        region.get_by_role("button", name=f"Swap with {names[1]}").click()
        page.get_by_text("Names, marks and notes swapped.").wait_for()
        region.locator("li").first.get_by_text(names[1], exact=True).wait_for()
        earlier = page.get_by_role("region", name="Earlier yardsticks")
        earlier.get_by_role("button", name="Use again").click()
        page.get_by_text("3 segments are in use again.").wait_for()
        page.get_by_role("button", name="Undo", exact=True).click()
        page.get_by_text("Undone: Took up").wait_for()

    def test_twelve_groups_of_forty_letters_fit(self):
        page = self.quick(
            numeric=["recency", "frequency", "monetary", "tenure", "breadth"], most=12, starts=3
        )
        self.send("post", "groups/adopt", {"grouping": self.row(page, 12)["id"]})
        for n, segment in enumerate(Segment.objects.order_by("number")):
            name = f"Those who come for plants, number {n:02d} of 12"[:40].ljust(40, "x")
            Segment.objects.filter(pk=segment.pk).update(name=name, short=f"Plants {n}")
        self.walk("Groups", self.twelve)

    def twelve(self, page):
        page.get_by_role("button", name="12 groups: silhouette").click()
        self.fits(page)
        page.get_by_role("tab", name="In use").click()
        segments = page.get_by_role("region", name="Segments in use").locator("li")
        segments.nth(11).wait_for()
        self.assertEqual(segments.count(), 12)
        self.fits(page)
        page.get_by_role("tab", name=re.compile("^Map")).click()
        page.get_by_role("region", name="Map of 12 groups").wait_for()
        self.fits(page)

    def fits(self, page):
        """Nothing scrolls sideways."""
        wide = page.evaluate("document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 1280)


class Proposed(GroupCase):
    def test_three_are_proposed_while_one_watches_and_one_is_adopted(self):
        plan = self.get("measures")
        revision = plan["plan_revision"]
        keep = ("recency", "frequency", "monetary")
        for thread in plan["threads"]:
            # Few columns, so that the three kinds are tried quickly.
            if thread["name"] not in keep and thread["role"] != "out":
                answer = self.send("put", f"measure/{thread['name']}", {"role": "out"},
                                   **{"If-Match": f'"{revision}"'})  # fmt: skip
                revision = answer["revision"]
        self.send("put", "groups/recipe", {"categories": ["plan"]})
        self.walk("Groups", self.propose)
        self.assertEqual(Yardstick.objects.get(retired=False).grouping.proposal["kind"], "a tree")
        self.assertGreater(Grouping.objects.count(), 10)
        self.assertEqual(Job.objects.get(kind="groups.propose").state, Job.DONE)

    def propose(self, page):
        page.get_by_role("button", name="Propose three").click()
        page.get_by_role("button", name="Begin", exact=True).click()
        page.get_by_text("No further kind is begun after 60 seconds").wait_for()
        first = page.get_by_role("article").filter(has_text="By what tells apart")
        first.wait_for(timeout=240_000)
        tree = page.get_by_role("article").filter(has_text="As a tree")
        tree.wait_for(timeout=240_000)
        self.assertTrue(first.get_by_role("listitem").count() >= 2)
        tree.get_by_role("button", name=re.compile("^Adopt these")).click()
        page.get_by_text(re.compile("^Adopted [0-9]+ groups")).wait_for()
        tree.get_by_role("button", name="See every k").click()
        page.get_by_text("You are looking at groups tried before").wait_for()


class FailedGroups(Station):
    def test_what_failed_says_so_beside_it(self):
        self.stop_workers()
        self.send("put", "groups/recipe", {"numeric": ["recency"], "categories": []})
        self.send("post", "groups/run", status=202)
        Job.objects.filter(kind="groups.sweep").update(state=Job.FAILED, error="The disk is full.")
        self.run_in_browser(self.look, self.key(self.owner))
        self.assertEqual(self.troubles, [])

    def look(self, key):
        page = self.page
        self.come_in(page, key)
        self.open_station(page, "Groups")
        page.get_by_role("alert").get_by_text("The disk is full.").wait_for()
        page.get_by_role("button", name="Try again").wait_for()
