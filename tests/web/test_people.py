"""Who works on a study, and one's own account, in the browser."""

import re

from sortija.server.studies.models import Membership
from tests.web.support import PASSWORD, BrowserCase


class People(BrowserCase):
    def test_invited_made_an_analyst_and_removed(self):
        self.run_in_browser(self.colleagues, self.key(self.owner), self.person("olga").username)
        self.assertEqual(self.troubles, [])
        roles = Membership.objects.values_list("person__username", "role")
        self.assertEqual(set(roles), {("iris", "owner"), ("noor", "analyst")})

    def open(self, page, entry):
        page.get_by_role("button", name=re.compile("^Signed in as")).click()
        page.get_by_role("menuitem", name=entry).click()
        return page.get_by_role("dialog")

    def invite(self, card, role):
        card.get_by_label("Who comes in as").select_option(role)
        card.get_by_role("button", name="Make a link").click()
        link = card.get_by_label("Link of the invitation")
        link.wait_for()
        return link.input_value()

    def colleagues(self, key, known):
        page = self.page
        self.come_in(page, key)
        card = self.open(page, "People of this study")
        first = self.invite(card, "reader")
        # Somebody new makes an account; the link then works no more.
        other = self.new_page()
        other.goto(first)
        other.get_by_role("heading", name="iris invites you").wait_for()
        other.get_by_label("Your name").fill("noor")
        other.get_by_label("Choose a password").fill(PASSWORD)
        other.get_by_role("button", name="Set password and sign in").click()
        other.wait_for_url("**/study/**")
        # Somebody who has an account signs in with it.
        card.get_by_role("button", name="Make a link").click()
        page.wait_for_function(
            "old => document.querySelector('[aria-label^=\"Link of\"]').value !== old", arg=first
        )
        second = card.get_by_label("Link of the invitation").input_value()
        third = self.new_page()
        third.goto(second)
        third.get_by_label("I have an account").check()
        third.get_by_label("Name").fill(known)
        third.get_by_label("Password").fill("a long enough word")
        third.get_by_role("button", name="Sign in and join").click()
        third.wait_for_url("**/study/**")
        # An invitation that is not wanted any more is revoked.
        page.keyboard.press("Escape")
        card = self.open(page, "People of this study")
        card.get_by_role("listitem").filter(has_text=known).wait_for()
        card.get_by_role("button", name="Make a link").click()
        card.get_by_role("button", name="Revoke").click()
        page.get_by_text("The invitation is revoked").wait_for()
        card.get_by_label("Role of noor").select_option("analyst")
        page.get_by_text("noor is now an analyst.").wait_for()
        third.context.close()  # what it asks for next would be refused
        row = card.get_by_role("listitem").filter(has_text=known)
        row.get_by_role("button", name="Remove").click()
        row.get_by_role("button", name="Really?").click()
        page.get_by_text(f"{known} is no longer in this study.").wait_for()


class Account(BrowserCase):
    def test_another_password_and_signed_out_elsewhere(self):
        link = self.link(self.owner)
        self.run_in_browser(self.account, link)
        self.owner.refresh_from_db()
        self.assertTrue(self.owner.check_password("sand over old stones"))

    def account(self, link):
        page, other = self.page, self.new_page()
        self.use_link(page, link)
        other.goto("/sign-in")
        other.get_by_label("Name").fill("iris")
        other.get_by_label("Password").fill(PASSWORD)
        other.get_by_role("button", name="Sign in").click()
        other.wait_for_url("**/study/**")
        page.get_by_role("button", name=re.compile("^Signed in as")).click()
        page.get_by_role("menuitem", name="Your account").click()
        card = page.get_by_role("dialog")
        card.get_by_text("Chrome on Linux").nth(1).wait_for()
        card.get_by_label("Current password").fill("something else")
        card.get_by_label("New password").fill("sand over old stones")
        card.get_by_role("button", name="Change password").click()
        card.get_by_role("alert").get_by_text("not your current password").wait_for()
        card.get_by_label("Current password").fill(PASSWORD)
        card.get_by_role("button", name="Change password").click()
        page.get_by_text("Your password is changed. One other sign-in ended.").wait_for()
        other.goto("/")
        other.get_by_role("heading", name="Sign in").wait_for()
        page.reload()
        page.get_by_role("button", name=re.compile("^Signed in as")).wait_for()
