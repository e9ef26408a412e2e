"""Odd input in bodies, headers and queries ends in a sentence, signed in or not."""

import json

from rest_framework.test import APIClient

from tests.server.support import ServerCase

ODD = ["²", "\x00", "a\x00b", "\ud800", "9" * 40, str(2**70), "-1", "1e400", "NaN", "x" * 5000,
       "../../etc/passwd", "'; DROP TABLE x; --", "\u202e", "🜚" * 300, "[]", "null"]  # fmt: skip
#: Addresses with the parameters that they read.
LOOKS = {
    "trail": ("to", "back"), "measures": ("to", "back", "lens", "beside", "of"),
    "series": ("step", "shares"), "crossings": ("by", "back"),
    "crossings/why": ("step", "origin", "target"), "customers": ("first", "fields", "order"),
    "scores/worth": ("months",), "ledger": ("step", "around", "preview"),
    "ledger/lines": ("after", "rule"), "groups/balance": ("k",), "portraits": ("to",),
}  # fmt: skip
WRITES = {
    "ledger/rules/void": {"on": True}, "groups/recipe": {"numeric": ["recency"], "seed": 1},
    "measure/recency": {"role": "shapes"}, "ledger/staff": {"patterns": ["x"]},
}  # fmt: skip


class Odd(ServerCase):
    def check(self, response, what):
        self.assertLess(response.status_code, 500, f"{what}: {response.content[:300]}")
        if response.status_code >= 400:
            kind = response.headers["Content-Type"]
            self.assertIn("application/problem+json", kind, what)
            told = json.loads(response.content)
            self.assertTrue(told["detail"].strip(), what)

    def test_in_addresses(self):
        self.both_files()
        stranger = APIClient()
        for path, names in LOOKS.items():
            for name in names:
                for odd in ODD:
                    odd = odd.encode("utf-8", "surrogatepass")
                    self.check(self.client.get(self.url(path), {name: odd}), (path, name, odd))
                self.check(stranger.get(self.url(path), {name: ODD[1]}), (path, name))
        for odd in ("²", "9" * 40, "x" * 3000):
            self.check(self.client.get(f"/api/studies/{odd}/trail"), odd)
            self.check(self.client.get(self.url(f"lens/{odd}")), odd)
            self.check(self.client.get(f"/api/{odd}"), odd)

    def test_in_bodies(self):
        self.both_files()
        deep = "[" * 100_000
        for path, body in WRITES.items():
            texts = [deep, "{", '"\\ud800"', "1e999", '{"a":' * 50_000, "\x00", "ÿ", "null", "[]"]
            for name in body:
                for odd in ODD:
                    texts.append(json.dumps({**body, name: odd}))
                texts += [
                    json.dumps({**body, name: v}) for v in (2**70, -(2**70), [[[]]], {}, None)
                ]
            for text in texts:
                for method in (self.client.put, self.client.post):
                    raw = text.encode("utf-8", "surrogatepass")
                    response = method(self.url(path), raw, content_type="application/json")
                    self.check(response, (path, text[:80]))

    def test_in_names_that_are_kept(self):
        for odd in ODD:
            for path, body in (
                ("/api/studies", {"name": odd}),
                ("/api/session", {"name": odd, "password": odd}),
                ("/api/links/look", {"token": odd}),
                (self.url("uploads"), {"name": odd, "size": 10}),
                (self.url("kept"), {"name": odd, "kind": "rule", "clauses": []}),
            ):
                text = json.dumps(body).encode()
                for client in (self.client, APIClient()):
                    response = client.post(path, text, content_type="application/json")
                    self.check(response, (path, odd))

    def test_in_headers(self):
        self.both_files()
        for odd in ("²", "*", 'W/"3"', '"1", "2"', "-1", "9" * 40, "junk", '"'):
            response = self.client.put(
                self.url("ledger/rules/void"), {"on": True}, format="json",
                HTTP_IF_MATCH=odd.encode().decode("latin-1"),
            )  # fmt: skip
            self.assertEqual(response.status_code, 400, odd)
            self.assertIn("If-Match", response.json()["detail"])
        for name in ("HTTP_COOKIE", "HTTP_ACCEPT", "HTTP_X_CSRFTOKEN"):
            for odd in ("\x00", "sortija_session=\x00", "²" * 2000):
                self.check(self.client.get(self.url("trail"), **{name: odd}), (name, odd))

    def test_what_nobody_foresaw_is_told_in_a_sentence(self):
        from unittest import mock

        with (
            mock.patch("sortija.server.studies.api.facts", side_effect=RuntimeError("boom")),
            self.assertLogs("sortija.server.studies.problems", "ERROR"),
        ):
            response = APIClient(raise_request_exception=False)
            response.force_login(self.owner)
            told = response.get(self.url("trail"))
        self.assertEqual(told.status_code, 500)
        self.assertIn("did not foresee", json.loads(told.content)["detail"])
        self.assertNotIn("boom", told.content.decode())
