"""What comes back from a delivery service: signed calls, files, opt-outs; what is on record."""

import time
from datetime import UTC, datetime

from django.utils import timezone

from sortija.server.campaigns.models import (
    Block,
    ContactEvent,
    DeliveryService,
)
from sortija.server.ledger.models import Card, Correction, OptOut
from tests.server.campaigns.deliveries import AWAY, PLAN, DeliveryCase
from tests.server.campaigns.post_office import signed
from tests.server.support import run_jobs


class ComingBack(DeliveryCase):
    def setUp(self):
        super().setUp()
        self.serve()
        self.drawn()
        self.send("post", f"{self.path}/outbox", {}, 201)
        run_jobs()

    def counts(self):
        return {c["kind"]: c["customers"] for c in self.get(f"{self.path}/letters")["counts"]}

    def test_each_kind_once_a_customer_and_a_replay_changes_nothing(self):
        one, two, three = self.references()[:3]
        told = self.tell((one, "delivered"), (two, "delivered"), (one, "opened"), (one, "opened"))
        self.assertEqual((told["taken"], told["known"]), (3, 1))
        body, headers = signed(
            DeliveryService.objects.get().secret,
            [{"reference": three, "kind": "bounced", "at": "2026-07-11T10:00:00Z"}],
        )
        self.assertEqual(self.told(body, headers)["taken"], 1)
        self.assertEqual(self.told(body, headers), {**self.told(body, headers), "taken": 0})
        self.assertEqual(self.counts(), {"delivered": 2, "bounced": 1, "opened": 1, "clicked": 0,
                                         "replied": 0, "opted out": 0})  # fmt: skip
        lens = {"clauses": [{"field": f"letter:{self.row['id']}:delivered", "values": ["yes"]}]}
        self.assertEqual(self.send("post", "lens", lens)["lens"]["customers"], 2)
        lens = {"clauses": [{"field": f"letter:{self.row['id']}:delivered", "values": ["no"]}]}
        self.assertEqual(self.send("post", "lens", lens)["lens"]["customers"],
                         len(self.written) - 2)  # fmt: skip

    def test_what_is_not_signed_with_our_secret_lately_is_refused(self):
        one = self.references()[0]
        self.tell((one, "opened"), secret="whsec_AAAA", status=401)
        self.tell((one, "opened"), at=int(time.time()) - 400, status=401)
        self.tell((one, "opened"), at=int(time.time()) + 400, status=401)
        body, headers = signed(
            DeliveryService.objects.get().secret,
            [{"reference": one, "kind": "opened", "at": "2026-07-11T10:00:00Z"}],
        )
        self.told(body.replace(b"opened", b"opted out"), headers, 401)
        self.told(body, {}, 401)
        self.told(b"", {}, 401)
        self.tell((one, "vanished"), status=400)
        self.tell(("x-1", "opened"), status=400)
        self.tell((one, "opened", "yesterday"), status=400)
        self.tell((one, "opened", "2026-07-11T10:00:00"), status=400)
        self.assertEqual(ContactEvent.objects.count(), 0)

    def test_who_was_not_written_to_has_no_events(self):
        number = self.references()[0].partition("-")[0]
        held = f"{number}-{self.held[0]}"
        told = self.tell((held, "opened"), ("999999-1", "opened"), (f"{number}-99999", "opened"))
        self.assertEqual((told["taken"], told["not_written"]), (0, 3))

    def consent(self, customer):
        told = self.get(f"customer/{customer}")["traits"]
        return next(t for t in told if t["key"] == "mail_consent")

    def test_an_opt_out_takes_consent_away_everywhere_until_it_is_given_again(self):
        gone = self.written[0]
        name = Card.objects.get(number=gone).code
        lens = {"clauses": [{"field": "trait:mail_consent", "values": ["yes"]}]}
        before = self.send("post", "lens", lens)["lens"]["customers"]
        told = self.tell((self.references()[0], "opted out", "2026-07-12T08:00:00Z"))
        self.assertEqual(told["opted_out"], 1)
        self.assertEqual(self.send("post", "lens", lens)["lens"]["customers"], before - 1)
        self.assertEqual(self.everyone("trait:mail_consent")[name], ("no",))
        trait = self.consent(gone)
        self.assertEqual(trait["now"], "no")
        self.assertEqual(trait["corrected"][0], {
            "value": "no", "person": "the customer, after Spring letter", "day": "2026-07-12",
        })  # fmt: skip
        self.assertEqual(self.get(f"campaigns/customer/{gone}")["opted_out"], "2026-07-12")
        plan = {**PLAN, "name": "Later", "send_on": "2026-10-01", "read_on": "2026-11-01"}
        later = self.send("post", "campaigns", {**plan, "clauses": [AWAY]}, 201)
        away = later["fell_away"]["no consent"] - self.row["fell_away"]["no consent"]
        self.assertEqual(away, 1)
        self.send("post", f"customer/{gone}/trait", {"trait": "mail_consent", "value": "yes"}, 204)
        self.assertEqual(self.consent(gone)["now"], "yes")
        self.tell((self.references()[0], "opted out", "2026-07-12T08:00:00Z"))  # told again
        self.assertEqual(self.consent(gone)["now"], "yes")
        self.send("post", "history/undo")
        self.assertEqual(self.consent(gone)["now"], "no")
        self.assertEqual(Correction.objects.filter(held=True).count(), 0)

    def test_one_can_ask_of_a_customer_why_and_where_it_was_written_to(self):
        customer = self.written[0]
        self.tell((self.references()[0], "delivered"), (self.references()[0], "opened"))
        [row] = self.get(f"campaigns/customer/{customer}")["campaigns"]
        self.assertEqual(row["sent_to"], Card.objects.get(number=customer).address)
        self.assertEqual(row["left_on"], timezone.localdate().isoformat())
        self.assertEqual(row["became"], ["delivered", "opened"])
        [row] = self.get(f"campaigns/customer/{self.held[0]}")["campaigns"]
        self.assertEqual((row["sent_to"], row["left_on"], row["became"]), ("", "", []))

    def test_an_erased_person_is_in_no_row_that_left_and_in_no_event(self):
        customer = self.written[0]
        self.tell((self.references()[0], "opted out"))
        self.send("delete", f"customer/{customer}", status=204)
        rows = [row for block in Block.objects.all() for row in block.rows]
        self.assertEqual(next(row for row in rows if row[0] == customer)[1:], ["", "", ""])
        self.assertFalse(ContactEvent.objects.filter(customer=customer).exists())
        self.assertFalse(OptOut.objects.filter(card=customer).exists())
        left = self.left()
        lines = self.saved(f"{self.path}/left/{left['id']}").splitlines()
        self.assertEqual(len(lines) - 1, len(self.written) - 1)

    def file(self, text):
        upload = self.upload(text, "answers.csv", part=1 << 20)
        return upload, self.send("post", f"{self.path}/responses", {"upload": upload})

    def test_a_file_of_responses_is_mapped_taken_and_remembered(self):
        rows = Card.objects.filter(number__in=self.written[:4]).order_by("number")
        addresses = [row.address for row in rows]
        self.assertTrue(all(addresses))
        text = "mail;status;moment\n" + "".join(
            f"{address.upper()};{status};{moment}\n"
            for address, status, moment in zip(
                addresses, ("OPEN", "hard_bounce", "unsubscribed", "queued"),
                ("11/07/2026 10:00", "11/07/2026 10:01", "12.07.2026", "12.07.2026"), strict=True,
            )
        ) + "nobody@example.org;OPEN;11/07/2026\n" + f"{addresses[0]};OPEN;never\n"  # fmt: skip
        upload, look = self.file(text)
        self.assertEqual(look["mapping"], {
            "who": "mail", "by": "address", "what": "status", "when": "moment", "all_are": "",
            "month_first": False,
            "values": {"OPEN": "opened", "hard_bounce": "bounced", "queued": "",
                       "unsubscribed": "opted out"},
        })  # fmt: skip
        self.assertFalse(look["remembered"])
        look["mapping"]["values"]["queued"] = "delivered"
        told = self.send(
            "put", f"{self.path}/responses", {"upload": upload, "mapping": look["mapping"]},
        )  # fmt: skip
        self.assertEqual((told["told"]["taken"], told["told"]["opted_out"]), (4, 1))
        self.assertEqual(
            [(row["reason"], row["rows"], row["first"]) for row in told["unread"]],
            [("nobody whom this campaign wrote to", 1, "nobody@example.org"),
             ("no date", 1, "never")],
        )  # fmt: skip
        event = ContactEvent.objects.get(kind="opened")
        self.assertEqual(event.at, datetime(2026, 7, 11, 10, 0, tzinfo=UTC))
        upload, look = self.file(text)
        self.assertTrue(look["remembered"])
        self.assertEqual(look["mapping"]["values"]["queued"], "delivered")
        told = self.send(
            "put", f"{self.path}/responses", {"upload": upload, "mapping": look["mapping"]},
        )  # fmt: skip
        self.assertEqual((told["told"]["taken"], told["told"]["known"]), (0, 4))

    def test_files_that_cannot_be_used_change_nothing(self):
        upload, look = self.file("a,b\n1,2\n")
        mapping = {**look["mapping"], "who": "a", "all_are": "opened"}
        for wrong in (
            {**mapping, "who": "c"}, {**mapping, "who": ""}, {**mapping, "all_are": "lost"},
            {**mapping, "all_are": ""}, mapping,
        ):  # fmt: skip
            self.send("put", f"{self.path}/responses", {"upload": upload, "mapping": wrong}, 400)
        self.send("post", f"{self.path}/responses", {"upload": 999_999}, 404)
        upload = self.upload(b"\x00\x01\x02" * 50, "picture.png", part=1 << 20)
        self.send("post", f"{self.path}/responses", {"upload": upload}, 400)
        self.assertEqual(ContactEvent.objects.count(), 0)
