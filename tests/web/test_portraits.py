"""Portraits in Chromium: rules that are drawn, said and picked."""

import re

from tests.web.support import Station


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
