"""Who gets in, and to what."""

import re
from datetime import timedelta

from django.utils import timezone
from rest_framework.test import APIClient

from sortija.server.accounts.models import Person, SignInLink
from sortija.server.campaigns.delivery.service import new_secret
from sortija.server.campaigns.models import DeliveryService
from tests.server.addresses import addresses
from tests.server.campaigns.post_office import signed
from tests.server.support import ServerCase

PASSWORD = "moss and gravel"


class Doors(ServerCase):
    def test_every_address_but_the_door_needs_a_signed_in_person(self):
        stranger = APIClient()
        open_doors = {
            "api/session", "api/links/look", "api/links/use", "api/health",
            "api/delivery/<int:study>/events",  # to whoever signs with the study's secret
        }  # fmt: skip
        behind = [route for route, _ in addresses() if route.startswith("api/")]
        self.assertGreater(len(behind), 80)
        for route in behind:
            if route in open_doors:
                continue
            route = re.sub(r"<str:\w+>", "x", re.sub(r"<int:\w+>", "1", route))
            self.assertNotIn("<", route)
            self.assertIn(stranger.get(f"/{route}").status_code, (401, 403), route)
            if route == "api/schema":
                continue
            for method in (stranger.post, stranger.put, stranger.delete):
                self.assertIn(method(f"/{route}").status_code, (401, 403), route)

    def test_a_delivery_service_needs_the_secret_of_a_study_that_is_there(self):
        stranger = APIClient()
        DeliveryService.objects.create(study=self.study, secret=new_secret(), url="")
        for study in (self.study.pk, 999):
            body, headers = signed(new_secret(), [])
            answer = stranger.post(f"/api/delivery/{study}/events", body, headers=headers,
                                   content_type="application/json")  # fmt: skip
            self.assertEqual(answer.status_code, 401)
            # Nobody learns which studies there are.
            self.assertIn("The signature does not fit", answer.json()["detail"])

    def test_studies_belong_to_their_people(self):
        other = self.signed_in(self.person("olga"))
        for path in ("trail", "ledger", "measures", "pulse", "history", "fields"):
            self.get(path, 404, client=other)
        self.send("post", "lens", {}, 404, client=other)
        self.assertEqual(other.get("/api/studies").json()["studies"], [])

    def test_a_reader_looks_and_does_not_change(self):
        self.both_files()
        reader = self.person("rita")
        self.study.members.create(person=reader, role="reader")
        rita = self.signed_in(reader)
        self.get("ledger", client=rita)
        problem = self.send("put", "ledger/rules/void", {"on": False}, 403, client=rita)
        self.assertIn("You are a reader", problem["detail"])
        self.send("post", "uploads", {"name": "x", "size": 1}, 403, client=rita)
        self.send("post", "invitations", {"role": "owner"}, 403, client=rita)

    def test_changes_from_another_site_are_refused(self):
        client = APIClient(enforce_csrf_checks=True)
        client.force_login(self.owner)
        response = client.put(self.url("ledger/rules/void"), {"on": False}, format="json")
        self.assertEqual(response.status_code, 403)


class Links(ServerCase):
    def use(self, token, **body):
        return APIClient().post(
            "/api/links/use", {"token": token, "password": PASSWORD, **body}, format="json"
        )

    def test_a_link_works_once(self):
        _, token = SignInLink.make(Person.objects.create(username="ada"))
        look = APIClient().post("/api/links/look", {"token": token}, format="json")
        self.assertEqual(look.json(), {"name": "ada", "invitation": False, "by": ""})
        self.assertEqual(self.use(token).json()["name"], "ada")
        self.assertEqual(self.use(token).status_code, 404)
        entry = {"name": "ada", "password": PASSWORD}
        self.assertEqual(APIClient().post("/api/session", entry, format="json").status_code, 200)
        wrong = {"name": "ada", "password": "something else"}
        self.assertEqual(APIClient().post("/api/session", wrong, format="json").status_code, 403)

    def test_only_the_hash_is_kept(self):
        link, token = SignInLink.make(self.owner)
        self.assertNotIn(token, str(SignInLink.objects.values().get(pk=link.pk)))

    def test_a_link_has_its_time(self):
        link, token = SignInLink.make(self.owner)
        SignInLink.objects.update(expires_at=timezone.now() - timedelta(seconds=1))
        self.assertEqual(self.use(token).status_code, 404)
        self.assertIsNone(SignInLink.objects.get(pk=link.pk).used_at)

    def test_a_weak_password_does_not_use_the_link_up(self):
        _, token = SignInLink.make(self.owner)
        weak = APIClient().post(
            "/api/links/use", {"token": token, "password": "password"}, format="json"
        )
        self.assertEqual(weak.status_code, 400)
        self.assertEqual(self.use(token).status_code, 200)

    def test_an_invitation_makes_a_member(self):
        invitation = self.send("post", "invitations", {"role": "analyst"}, 201)
        token = invitation["path"].partition("#")[2]
        self.assertEqual(self.use(token, name="iris").status_code, 400)  # taken
        self.assertEqual(self.use(token, name="noor").status_code, 200)
        self.assertEqual(self.study.members.get(person__username="noor").role, "analyst")
        self.send("post", "invitations", {"role": "queen"}, 400)
