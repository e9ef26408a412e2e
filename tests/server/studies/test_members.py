"""Who works on a study: roles changed and ended, invitations listed, accepted and revoked."""

from rest_framework.test import APIClient

from tests.server.support import ServerCase


class Members(ServerCase):
    def setUp(self):
        super().setUp()
        self.rita = self.person("rita")
        self.study.members.create(person=self.rita, role="reader")

    def rows(self, client=None):
        return {row["name"]: row for row in self.get("members", client=client)["members"]}

    def invite(self, role="analyst"):
        return self.send("post", "invitations", {"role": role}, 201)["path"].partition("#")[2]

    def accept(self, client, token):
        return client.post("/api/links/accept", {"token": token}, format="json")

    def test_an_owner_changes_roles_and_takes_that_back(self):
        rita = self.signed_in(self.rita)
        row = self.rows()["rita"]
        self.send("put", f"members/{row['id']}", {"role": "owner"}, 403, client=rita)
        self.send("put", f"members/{row['id']}", {"role": "queen"}, 400)
        now = self.send("put", f"members/{row['id']}", {"role": "analyst"})
        self.assertEqual((now["role"], now["revision"]), ("analyst", 2))
        self.send("put", "ledger/rules/void", {"on": False}, client=rita)
        self.send("post", "history/undo")
        self.send("put", "ledger/rules/void", {"on": True}, 403, client=rita)

    def test_two_owners_do_not_overwrite_each_other(self):
        row = self.rows()["rita"]
        seen = {"If-Match": f'"{row["revision"]}"'}
        self.send("put", f"members/{row['id']}", {"role": "analyst"}, **seen)
        self.send("put", f"members/{row['id']}", {"role": "owner"}, 409, **seen)
        self.assertEqual(self.rows()["rita"]["role"], "analyst")

    def test_a_study_keeps_an_owner(self):
        me = self.rows()["iris"]
        self.assertTrue(me["own"])
        self.send("put", f"members/{me['id']}", {"role": "reader"}, 400)
        self.send("delete", f"members/{me['id']}", status=400)
        row = self.rows()["rita"]
        self.send("put", f"members/{row['id']}", {"role": "owner"})
        self.send("delete", f"members/{me['id']}", status=204)
        self.get("members", 404)
        # What an owner did who is one no longer is not theirs to take back.
        self.send("post", "history/undo", status=404)

    def test_who_is_removed_is_out_at_once_and_may_leave_alone(self):
        rita, olga = self.signed_in(self.rita), self.person("olga")
        self.study.members.create(person=olga, role="reader")
        theirs = self.rows()["olga"]["id"]
        self.send("delete", f"members/{theirs}", status=403, client=rita)
        self.send("delete", f"members/{theirs}", status=204)
        self.get("trail", 404, client=self.signed_in(olga))
        own = self.rows(rita)["rita"]["id"]
        self.send("delete", f"members/{own}", status=204, client=rita)
        self.get("trail", 404, client=rita)

    def test_somebody_with_an_account_accepts_without_a_second_one(self):
        olga = self.signed_in(self.person("olga"))
        token = self.invite("analyst")
        self.assertEqual(self.accept(APIClient(), token).status_code, 401)
        self.assertEqual(self.accept(olga, token).json(), {"study": self.study.pk})
        self.assertEqual(self.rows()["olga"]["role"], "analyst")
        self.assertEqual(self.accept(self.signed_in(self.rita), token).status_code, 404)
        # Invited once more: a role is raised, never lowered.
        self.accept(olga, self.invite("reader"))
        self.assertEqual(self.rows()["olga"]["role"], "analyst")
        self.accept(olga, self.invite("owner"))
        self.assertEqual(self.rows()["olga"]["role"], "owner")

    def test_a_sign_in_link_is_no_invitation(self):
        from sortija.server.accounts.models import SignInLink

        _, token = SignInLink.make(self.rita)
        self.assertEqual(self.accept(self.signed_in(self.rita), token).status_code, 404)
        look = APIClient().post("/api/links/look", {"token": token}, format="json")
        self.assertEqual(look.json()["name"], "rita")

    def test_open_invitations_are_listed_for_owners_and_revoked(self):
        token = self.invite("reader")
        (listed,) = self.get("members")["invitations"]
        self.assertEqual((listed["role"], listed["by"]), ("reader", "iris"))
        rita = self.signed_in(self.rita)
        self.assertEqual(self.get("members", client=rita)["invitations"], [])
        self.send("delete", f"invitations/{listed['id']}", status=403, client=rita)
        self.send("delete", f"invitations/{listed['id']}", status=204)
        self.assertEqual(self.accept(rita, token).status_code, 404)
        self.send("delete", f"invitations/{listed['id']}", status=404)
        self.invite()
        self.assertEqual(len(self.get("members")["invitations"]), 1)
