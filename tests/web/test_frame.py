"""What is alike at every station: the tab's title, the way past the trail, a part that is lost."""

import re

from tests.web.support import Station


class Frame(Station):
    def test_titles_and_the_way_past_the_trail(self):
        self.walk("Measures", self.titles)

    def titles(self, page):
        page.wait_for_function("() => document.title.startsWith('Measures · ')")
        self.open_station(page, "Groups")
        page.wait_for_function("() => document.title.startsWith('Groups · ')")
        page.reload()
        page.get_by_role("heading", name="Groups", level=1).wait_for()
        page.keyboard.press("Tab")
        page.get_by_role("link", name="Skip to the station").press("Enter")
        self.assertEqual(page.evaluate("document.activeElement.id"), "station")

    def test_a_part_that_does_not_load_is_asked_for_again(self):
        self.run_in_browser(self.lost, self.key(self.owner))

    def lost(self, key):
        page = self.page
        self.come_in(page, key)
        self.open_station(page, "Measures")
        asked = []

        def breaks_off(route):
            asked.append(route.request.url)
            route.abort()

        page.route("**/static/assets/*.js", breaks_off)
        stations = page.get_by_role("navigation", name="Stations")
        stations.get_by_role("link", name=re.compile("^Scores")).click()
        page.get_by_text("This station could not be loaded.").wait_for()
        self.assertGreaterEqual(len(asked), 2)
        # The study around it stays, and the station comes once the connection is back.
        page.get_by_test_id("customers-in-lens").wait_for()
        page.unroute("**/static/assets/*.js")
        page.get_by_role("button", name="Try again").click()
        page.get_by_role("heading", name="Scores", level=1).wait_for()


class Renewed(Station):
    def test_a_session_that_ends_is_renewed_over_the_page(self):
        self.walk("Measures", self.renewed, self.owner.username)

    def renewed(self, page, name):
        page.get_by_role("button", name="Add a formula").click()
        page.get_by_label("Name", exact=True).fill("Spend a visit")
        page.context.clear_cookies(name="sortija_session")
        card = page.get_by_role("dialog", name="Sign in again")
        card.wait_for(timeout=30_000)  # the page asks what is new by itself
        self.assertEqual(card.get_by_label("Name").input_value(), name)
        card.get_by_label("Password").fill("something else")
        card.get_by_role("button", name="Sign in").click()
        card.get_by_role("alert").wait_for()
        self.accessible(page)
        card.get_by_label("Password").fill("a long enough word")
        card.get_by_role("button", name="Sign in").click()
        card.wait_for(state="detached")
        self.assertEqual(page.get_by_label("Name", exact=True).input_value(), "Spend a visit")
        page.keyboard.press("Escape")
        page.get_by_role("button", name=re.compile("^Signed in as")).wait_for()
        self.open_station(page, "Groups")
        page.get_by_role("button", name="Try 2 to 8 groups").wait_for()
        refused = re.compile("status of 40[13]")  # the session's end, and the wrong password
        self.troubles[:] = [t for t in self.troubles if not refused.search(t)]
