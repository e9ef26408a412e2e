"""One's own password, and the list of where one is signed in."""

from datetime import timedelta
from unittest.mock import patch

from django.conf import settings
from django.utils import timezone
from rest_framework.test import APIClient

from sortija.server.accounts.models import SignedIn
from sortija.server.accounts.sessions import browser_words
from tests.server.support import ServerCase

OLD, NEW = "a long enough word", "sand over old stones"
FIREFOX = "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0"
PHONE = "Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) Version/18.0 Safari/604.1"


class OwnAccount(ServerCase):
    def come_in(self, agent, password=OLD, status=200):
        client = APIClient(headers={"User-Agent": agent})
        given = {"name": "iris", "password": password}
        answer = client.post("/api/session", given, format="json")
        self.assertEqual(answer.status_code, status, answer.content)
        client.get("/api/studies")
        return client

    def listed(self, client):
        return client.get("/api/sign-ins").json()["sign_ins"]

    def test_each_browser_is_listed_and_can_be_ended(self):
        desk, phone = self.come_in(FIREFOX), self.come_in(PHONE)
        told = {row["browser"]: row for row in self.listed(desk)}
        self.assertEqual(set(told), {"Firefox on Linux", "Safari on iPhone"})
        self.assertTrue(told["Firefox on Linux"]["own"])
        self.assertFalse(told["Safari on iPhone"]["own"])
        olga = self.signed_in(self.person("olga"))
        theirs = told["Safari on iPhone"]["id"]
        self.assertEqual(olga.delete(f"/api/sign-ins/{theirs}").status_code, 404)
        self.assertEqual(phone.get("/api/studies").status_code, 200)
        self.assertEqual(desk.delete(f"/api/sign-ins/{theirs}").status_code, 204)
        self.assertEqual(phone.get("/api/studies").status_code, 401)
        self.assertEqual(desk.delete(f"/api/sign-ins/{theirs}").status_code, 404)
        self.assertEqual([row["own"] for row in self.listed(desk)], [True])

    def test_all_others_end_at_once_and_signing_out_leaves_the_list(self):
        desk, phone, third = (self.come_in(agent) for agent in (FIREFOX, PHONE, "curl/8"))
        self.assertEqual(desk.delete("/api/sign-ins").json(), {"ended": 2})
        for gone in (phone, third):
            self.assertEqual(gone.get("/api/studies").status_code, 401)
        self.assertEqual(len(self.listed(desk)), 1)
        desk.delete("/api/session")
        self.assertFalse(SignedIn.objects.exists())

    def test_another_password_ends_the_sign_ins_by_the_old_one(self):
        desk, phone = self.come_in(FIREFOX), self.come_in(PHONE)
        change = {"present": "not this one", "wanted": NEW}
        self.assertEqual(desk.put("/api/password", change, format="json").status_code, 403)
        weak = {"present": OLD, "wanted": "password12"}
        self.assertEqual(desk.put("/api/password", weak, format="json").status_code, 400)
        change = {"present": OLD, "wanted": NEW}
        answer = desk.put("/api/password", change, format="json")
        self.assertEqual(answer.json(), {"ended": 1})
        self.assertEqual(desk.get("/api/studies").status_code, 200)  # who changed it stays in
        self.assertEqual([row["own"] for row in self.listed(desk)], [True])
        self.assertEqual(phone.get("/api/studies").status_code, 401)
        self.come_in(FIREFOX, OLD, 403)
        self.come_in(FIREFOX, NEW)

    def test_requests_on_their_way_while_the_password_changes_are_answered(self):
        desk = self.come_in(FIREFOX)
        former = APIClient()
        key = settings.SESSION_COOKIE_NAME
        former.cookies[key] = desk.cookies[key].value
        desk.put("/api/password", {"present": OLD, "wanted": NEW}, format="json")
        self.assertNotEqual(desk.cookies[key].value, former.cookies[key].value)
        answer = former.get("/api/studies")  # by another tab, say, with the key it still had
        self.assertEqual(answer.status_code, 200)
        self.assertNotIn(key, answer.cookies)  # the new key's cookie stays
        self.assertEqual([row["own"] for row in self.listed(desk)], [True])
        with patch("django.utils.timezone.now", return_value=timezone.now() + timedelta(minutes=1)):
            self.assertEqual(former.get("/api/studies").status_code, 401)
            self.assertEqual(desk.get("/api/studies").status_code, 200)

    def test_wrong_present_passwords_are_slowed_down(self):
        desk = self.come_in(FIREFOX)
        change = {"present": "not this one", "wanted": NEW}
        codes = [desk.put("/api/password", change, format="json").status_code for _ in range(6)]
        self.assertIn(429, codes)

    def test_browsers_in_words(self):
        edge = "Mozilla/5.0 (Windows NT 10.0) AppleWebKit Chrome/130.0 Safari/537.36 Edg/130.0"
        self.assertEqual(browser_words(edge), "Edge on Windows")
        self.assertEqual(browser_words(""), "another program")
