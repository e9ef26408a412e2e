"""Guessing passwords takes ever longer; nobody is signed in from elsewhere."""

from datetime import timedelta
from unittest import mock

from django.core.management import call_command
from django.test import override_settings
from django.utils import timezone
from rest_framework.test import APIClient

from sortija.server import page
from sortija.server.accounts import pauses
from sortija.server.accounts.models import SignInPause
from tests.server.support import ServerCase

RIGHT = "a long enough word"


class Guessing(ServerCase):
    def sign_in(self, password, name="iris", **extra):
        body = {"name": name, "password": password}
        return APIClient().post("/api/session", body, format="json", **extra)

    def test_each_wrong_password_beyond_the_third_doubles_the_pause(self):
        for _ in range(pauses.FREE):
            self.assertEqual(self.sign_in("wrong").status_code, 403)
        wanted = 1
        for _ in range(12):
            self.assertEqual(self.sign_in("wrong").status_code, 403)
            left = SignInPause.objects.get().until - timezone.now()
            self.assertAlmostEqual(left.total_seconds(), min(wanted, pauses.LONGEST), delta=1)
            refused = self.sign_in(RIGHT)  # also the right one waits
            self.assertEqual(refused.status_code, 429)
            self.assertIn("Try again in", refused.json()["detail"])
            self.assertEqual(self.sign_in(RIGHT, REMOTE_ADDR="10.1.2.3").status_code, 200)
            SignInPause.objects.update(until=timezone.now() - timedelta(seconds=1))
            wanted *= 2
        self.assertEqual(self.sign_in(RIGHT).status_code, 200)
        self.assertFalse(SignInPause.objects.exists())

    def test_neither_names_nor_addresses_are_kept(self):
        self.sign_in("wrong")
        self.assertNotIn("iris", str(SignInPause.objects.values().get()))

    def test_so_many_at_once(self):
        with mock.patch.object(pauses, "_few") as few:
            few.acquire.return_value = False
            self.assertEqual(self.sign_in(RIGHT).status_code, 503)
            few.release.assert_not_called()

    def test_pages_of_other_sites_sign_nobody_in(self):
        for extra in ({"HTTP_ORIGIN": "https://evil.example"}, {"HTTP_ORIGIN": "null"},
                      {"HTTP_SEC_FETCH_SITE": "cross-site"}):  # fmt: skip
            self.assertEqual(self.sign_in(RIGHT, **extra).status_code, 403, extra)
        own = {"HTTP_ORIGIN": "http://testserver", "HTTP_SEC_FETCH_SITE": "same-origin"}
        self.assertEqual(self.sign_in(RIGHT, **own).status_code, 200)
        form = APIClient().post("/api/session", {"name": "iris", "password": RIGHT})
        self.assertEqual(form.status_code, 415)

    def test_sign_ins_stand_in_the_log(self):
        with self.assertLogs("sortija.server.accounts", "INFO") as told:
            self.sign_in("wrong")
            self.sign_in(RIGHT)
        self.assertIn("refused from 127.0.0.1", told.output[0])
        self.assertIn(f"person {self.owner.pk} signed in", told.output[1])

    def test_who_walks_away_is_signed_out(self):
        client = APIClient()
        client.post("/api/session", {"name": "iris", "password": RIGHT}, format="json")
        session = client.session
        with mock.patch("sortija.server.accounts.idle.time.time", return_value=2e9):
            client.get("/api/studies")
        self.assertEqual(client.session["seen"], 2_000_000_000)
        self.assertEqual(client.get("/api/session").json()["name"], "iris")
        with mock.patch("django.utils.timezone.now", return_value=timezone.now() + timedelta(1)):
            self.assertEqual(client.get("/api/session").json()["name"], "")
        self.assertTrue(session.session_key)


class OtherDoors(ServerCase):
    def test_policy_reports_are_few_short_and_on_one_line(self):
        page._reports.clear()
        with self.assertLogs("sortija.server.page", "ERROR") as told:
            for _ in range(page.MOST_REPORTS + 20):
                body = b"x\nERROR forged: line" + b"y" * 5000
                self.client.post("/policy-report", body, content_type="application/csp-report")
        self.assertEqual(len(told.output), page.MOST_REPORTS)
        self.assertTrue(all("\n" not in line and len(line) < 2200 for line in told.output))
        large = b"x" * 50_000
        answer = self.client.post("/policy-report", large, content_type="application/csp-report")
        self.assertEqual(answer.status_code, 413)
        page._reports.clear()

    def test_nothing_but_built_files_under_static(self):
        for path in ("/static/rest_framework/css/default.css", "/static/admin/css/base.css",
                     "/static/.vite/../../package.json"):  # fmt: skip
            self.assertEqual(APIClient().get(path).status_code, 404, path)

    @override_settings(SECURE_HSTS_SECONDS=31536000)
    def test_only_https_from_then_on(self):
        from django.test import Client

        answer = Client().get("/sign-in", secure=True)
        self.assertIn("max-age=31536000", answer.headers.get("Strict-Transport-Security", ""))

    def test_the_schema_is_for_people_who_are_signed_in(self):
        self.assertIn(APIClient().get("/api/schema").status_code, (401, 403))
        self.assertEqual(self.client.get("/api/schema").status_code, 200)
        call_command("check")
