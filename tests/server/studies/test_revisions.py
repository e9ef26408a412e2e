"""No change is lost: every write of what can be changed says which revision it is of."""

from sortija.server.groups.models import Segment, Yardstick
from sortija.server.ledger.models import Card
from tests.server.addresses import addresses
from tests.server.seen import SEEN, seen
from tests.server.support import DemoCase

#: Writes that need none, and why.
FREE = {
    "put studies/<int:study>/uploads/<int:upload>/parts": "bytes at an offset that is checked",
    "delete studies/<int:study>/customer/<int:customer>": "an erased person stays erased",
    "delete studies/<int:study>/invitations/<int:invitation>": "open or gone",
    "post studies/<int:study>/campaigns/<int:campaign>/outbox/stop": "whatever was seen of it",
    "post delivery/<int:study>/events": "told by a service; it only adds",
    "put studies/<int:study>/campaigns/<int:campaign>/responses": "only adds",
    "delete session": "nobody else's",
    "delete sign-ins": "nobody else's",
    "delete sign-ins/<int:sign_in>": "nobody else's",
    "put password": "proved by the present one",
    "put studies/<int:study>/currency": "sent with the present one",
    "put studies/<int:study>/dock": "nobody else's",
    "post studies/<int:study>/history/undo": "one's own last change, if it still stands",
    "post studies/<int:study>/history/redo": "one's own last change, if it still stands",
    "post studies/<int:study>/jobs/<int:job>/cancel": "runs or has ended",
    "post studies/<int:study>/intakes/<int:intake>/columns": "another review beside the file",
    **dict.fromkeys(
        (
            f"post {path}"
            for path in (
                "session",
                "links/look",
                "links/use",
                "links/accept",
                "studies",
                *(
                    f"studies/<int:study>/{rest}"
                    for rest in (
                        "invitations",
                        "groups/place",
                        "ledger/own/try",
                        "lens",
                        "kept",
                        "exports",
                        "sheets",
                        "ledger/lines/file",
                        "uploads",
                        "intakes",
                        "attachments",
                        "attachments/<int:attachment>/look",
                        "formula",
                        "groups/run",
                        "groups/<int:grouping>/open",
                        "groups/merges",
                        "groups/proposals",
                        "groups/<int:grouping>/neighbourhood",
                        "campaigns",
                        "campaigns/standing",
                        "campaigns/past",
                        "campaigns/<int:campaign>/copy",
                        "campaigns/<int:campaign>/left/<int:departure>",
                        "campaigns/<int:campaign>/responses",
                        "watches",
                        "jobs/<int:job>/again",
                    )
                ),
            )
        ),
        "makes something, or only asks",
    ),
}
PLAN = {"name": "Spring", "send_on": "2026-07-01", "read_on": "2026-08-01", "holdout": 0.2}
JUNK = ("*", 'W/"1"', '"1", "2"', "²", '"x"', '"-1"', '"')


class Revisions(DemoCase):
    def writes(self):
        """(method, route, address of something that is there, body) of every such write."""
        self.adopt()
        first, second = Segment.objects.all()[:2]
        one, other = Card.objects.order_by("number")[:2]
        group, lens = first.yardstick.grouping_id, {"field": "measure:recency", "ranges": [[1, 60]]}
        campaign = self.send("post", "campaigns", {**PLAN, "clauses": [lens]}, 201)["id"]
        self.send("post", "campaigns/standing", {"share": 0.03}, 201)
        small = {"rule": "at most", "number": 9}
        sign = {"kind": "sign", "clauses": [lens], **small}
        watch = self.send("post", "watches", sign, 201)["id"]
        kept = self.send("post", "kept", {"name": "All", "clauses": [lens]}, 201)["id"]
        mine = {"label": "Mine", "formula": "recency + 1"}
        own = self.send("post", "own-measures", mine, 201)["own"]["name"]
        self.send("put", "measures", {"keep_as": "Winter"})
        self.send("post", "portraits/book", status=201, **{"If-Match": "0"})
        rule = {"name": "Pots", "column": "department", "words": ["Pots"]}
        self.send("post", "ledger/own", rule)
        self.send("post", f"customer/{one.number}/cards", {"code": other.code})
        upload = self.upload("card,plan\nA,gold\n", "more.csv")
        intake = self.send("post", "intakes", {"upload": upload, "role": "members"}, 201)
        file = f"intakes/{intake['id']}"
        attached = self.study.attachments.create(url="/logs").pk
        member = self.study.members.create(person=self.person("rita"), role="reader").pk
        another = {"label": "Another", "formula": "recency + 2"}
        recipe = self.get("groups")["recipe"]["draft"]
        return [
            ("put", "ledger/rules/<str:rule>", "ledger/rules/void", {"on": False}),
            ("put", "ledger/staff", "ledger/staff", {"patterns": ["S*"]}),
            ("put", "ledger/returns", "ledger/returns", {"told": "sale day"}),
            ("put", "ledger/rates", "ledger/rates", {"departments": {}, "rest": 0.3}),
            ("post", "ledger/own", "ledger/own", {**rule, "name": "Pans"}),
            ("delete", "ledger/own/<int:slot>", "ledger/own/0", None),
            ("post", "customer/<int:customer>/cards", "customer/5/cards", {"code": one.code}),
            ("post", "cards/apart", "cards/apart", {"code": other.code}),
            ("put", "measure/<str:name>", "measure/recency", {"role": "out"}),
            ("put", "measures", "measures", {"preset": "ranks"}),
            ("delete", "preparations/<str:name>", "preparations/Winter", None),
            ("post", "own-measures", "own-measures", another),
            ("put", "own-measures/<str:name>", f"own-measures/{own}", another),
            ("delete", "own-measures/<str:name>", f"own-measures/{own}", None),
            ("put", "scores/recipe", "scores/recipe", self.get("scores")["draft"]),
            ("put", "groups/recipe", "groups/recipe", {**recipe, "seed": 9}),
            ("post", "groups/adopt", "groups/adopt", {"grouping": group}),
            ("post", "groups/take-up", "groups/take-up", {"yardstick": Yardstick.objects.get().pk}),
            ("post", "groups/swap", "groups/swap", {"first": first.pk, "second": second.pk}),
            ("post", "ladder", "ladder", None),
            ("patch", "groups/kept/<int:grouping>", f"groups/kept/{group}", {"note": "Ours."}),
            ("put", "portraits/segments/<int:segment>", f"portraits/segments/{first.pk}",
             {"name": "Gardeners"}),
            ("post", "portraits/book", "portraits/book", None),
            ("put", "portraits/book", "portraits/book", {"part": "1.do", "text": "Write."}),
            ("put", "traits/<str:trait>/words", "traits/garden/words", {"words": {"yard": "x"}}),
            ("put", "kept/<int:kept>", f"kept/{kept}", {"name": "Everybody"}),
            ("delete", "kept/<int:kept>", f"kept/{kept}", None),
            ("put", "campaigns/<int:campaign>", f"campaigns/{campaign}", PLAN),
            ("post", "campaigns/<int:campaign>/draw", f"campaigns/{campaign}/draw", None),
            ("delete", "campaigns/<int:campaign>", f"campaigns/{campaign}", None),
            ("put", "campaigns/<int:campaign>/costs", f"campaigns/{campaign}/costs",
             {"contact": 0.5}),
            ("put", "campaigns/<int:campaign>/move", f"campaigns/{campaign}/move", {"days": 7}),
            ("put", "campaigns/do-not-contact", "campaigns/do-not-contact", {"kept": None}),
            ("delete", "campaigns/standing", "campaigns/standing", None),
            ("put", "watches/<int:watch>", f"watches/{watch}", {"name": "Few", **small}),
            ("delete", "watches/<int:watch>", f"watches/{watch}", None),
            ("put", "members/<int:member>", f"members/{member}", {"role": "analyst"}),
            ("delete", "members/<int:member>", f"members/{member}", None),
            ("post", "campaigns/<int:campaign>/outbox", f"campaigns/{campaign}/outbox", {}),
            ("put", "campaigns/delivery", "campaigns/delivery", {"url": ""}),
            ("post", "campaigns/<int:campaign>/list", f"campaigns/{campaign}/list", None),
            ("post", "customer/<int:customer>/trait", "customer/5/trait",
             {"trait": "garden", "value": "yard"}),
            ("put", "intakes/<int:intake>", file, {"mapping": intake["mapping"]}),
            ("put", "intakes/<int:intake>/overlap", f"{file}/overlap", {"choice": "skip"}),
            ("put", "intakes/<int:intake>/role", f"{file}/role", {"role": "log"}),
            ("put", "intakes/<int:intake>/encoding", f"{file}/encoding", {"encoding": "cp1252"}),
            ("post", "intakes/<int:intake>/count", f"{file}/count", None),
            ("post", "intakes/<int:intake>/apart", f"{file}/apart", None),
            ("delete", "intakes/<int:intake>", file, None),
            ("delete", "attachments/<int:attachment>", f"attachments/{attached}", None),
        ]  # fmt: skip

    def check(self, write, given, status):
        method, _, path, body = write
        headers = {} if given is None else {"If-Match": given.encode().decode("latin-1")}
        with self.subTest(write=f"{method} {path}", given=given):
            answer = getattr(self.client, method)(
                self.url(path), body, format="json", headers=headers
            )
            self.assertEqual(answer.status_code, status, answer.content[:400])
            return answer.json()["detail"]

    def test_a_change_is_of_the_revision_that_was_seen(self):
        writes = self.writes()
        for write in writes:
            self.assertIn("If-Match", self.check(write, None, 428) or "If-Match")
            for junk in JUNK:
                self.assertIn("If-Match", self.check(write, junk, 400) or "If-Match")
            self.check(write, f'"{seen(self.study, write[2]) + 1000}"', 409)

    def test_every_write_is_among_them(self):
        listed = {f"{method} studies/<int:study>/{route}" for method, route, *_ in self.writes()}
        there = {
            f"{method} {route.removeprefix('api/')}"
            for route, view in addresses()
            for method in ("post", "put", "patch", "delete")
            if hasattr(getattr(view, "cls", None), method)
        }
        self.assertGreater(len(there), 50)
        self.assertEqual(there - set(FREE) - listed, set())
        self.assertTrue(SEEN)
