"""Letters through the outbox to a real service, and what comes back from it."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from unittest import mock

from django.db import connection
from django.utils import timezone

from sortija.server.campaigns import actions
from sortija.server.campaigns.delivery import outbox, post, push
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import (
    Block,
    Campaign,
    ContactEvent,
    DeliveryService,
    Departure,
)
from sortija.server.jobs.models import Job
from sortija.server.ledger.models import Card, Correction, OptOut
from sortija.server.studies.models import Column, HistoryEntry, Membership
from sortija.server.studies.problems import Problem
from tests.server.campaigns.post_office import PostOffice, signed
from tests.server.support import DemoCase, run_jobs

PLAN = {"name": "Spring letter", "send_on": "2026-07-10", "read_on": "2026-08-20", "holdout": 0.25}
AWAY = {"field": "measure:recency", "ranges": [[30, None]]}
TOKEN = "a token of ours"


class DeliveryCase(DemoCase):
    once = DemoCase.four_groups

    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.object(push, "BLOCK", 20))
        self.enterContext(mock.patch.object(post, "PAUSES", (0.01,) * 12))
        self.row = self.send("post", "campaigns", {**PLAN, "clauses": [AWAY]}, 201)
        self.path = f"campaigns/{self.row['id']}"

    def drawn(self):
        self.send("post", f"{self.path}/draw")
        self.campaign = Campaign.objects.select_related("study").get()
        drawn = drawn_of(self.campaign)
        self.written = drawn.customers[~drawn.held].tolist()
        self.held = drawn.customers[drawn.held].tolist()

    def serve(self, wait=0, **more):
        """A service, and what the study has to know of it."""
        office = PostOffice(self, TOKEN, **more)
        self.known(office.url, wait)
        return office

    def known(self, url, wait=0, token=TOKEN):
        self.send(
            "put", "campaigns/delivery", {"url": url, "token": token, "wait_minutes": wait},
        )  # fmt: skip

    def due(self):
        """The time that it waits is over."""
        Departure.objects.update(goes_at=timezone.now() - timedelta(seconds=1))
        outbox.send_due()
        run_jobs()

    def left(self):
        return self.get(f"{self.path}/letters")["departures"][0]

    def tell(self, *events, status=200, **how):
        """What a service tells us; a reference, a kind and perhaps a moment each."""
        told = [
            {"reference": r, "kind": kind, "at": (at or ["2026-07-11T10:00:00Z"])[0]}
            for r, kind, *at in events
        ]
        secret = how.pop("secret", DeliveryService.objects.get().secret)
        body, headers = signed(secret, told, **how)
        return self.told(body, headers, status)

    def told(self, body, headers, status=200):
        self.client.logout()
        answer = self.client.post(
            f"/api/delivery/{self.study.pk}/events", body, content_type="application/json",
            headers=headers,
        )  # fmt: skip
        self.client.force_login(self.owner)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def references(self):
        number = Departure.objects.get(way="service").pk
        return [f"{number}-{customer}" for customer in self.written]


class Leaving(DeliveryCase):
    def test_what_waits_can_be_stopped_and_leaves_when_its_time_has_come(self):
        office = self.serve(wait=10)
        self.send("post", f"{self.path}/outbox", {}, 400)  # nothing is drawn
        self.drawn()
        before = timezone.now()
        self.send("post", f"{self.path}/outbox", {}, 201)
        [row] = self.get("campaigns")["outbox"]
        self.assertEqual((row["state"], row["total"], row["sent"]), ("waiting", len(self.written),
                                                                     0))  # fmt: skip
        goes = datetime.fromisoformat(row["goes_at"]) - before
        self.assertAlmostEqual(goes.total_seconds(), 600, delta=20)
        outbox.send_due()
        run_jobs()
        self.assertEqual(office.counts()["letters"], 0)
        self.send("post", f"{self.path}/outbox", {}, 400)
        self.send("post", "history/undo")
        self.assertEqual(self.left()["state"], "stopped")
        self.send("post", "history/redo", status=409)
        self.send("post", f"{self.path}/outbox", {}, 201)
        self.send("delete", self.path, status=409)
        reader = self.person("rita")
        Membership.objects.create(study=self.study, person=reader, role="reader")
        stopped = self.send(
            "post", f"{self.path}/outbox/stop", client=self.signed_in(reader),
        )["departures"][0]  # fmt: skip
        self.assertEqual((stopped["state"], stopped["sent"]), ("stopped", 0))
        self.due()
        self.assertEqual(office.counts()["letters"], 0)
        self.assertEqual(Campaign.objects.get().state, Campaign.DRAWN)
        self.send("post", f"{self.path}/outbox", {}, 201)
        self.due()
        self.assertEqual(office.counts()["letters"], len(self.written))
        left = self.left()
        self.assertEqual((left["state"], left["sent"], left["unknown"]),
                         ("gone", len(self.written), 0))  # fmt: skip
        self.assertEqual(Campaign.objects.get().state, Campaign.HANDED)
        self.send("post", f"{self.path}/outbox/stop", status=400)
        self.send("post", f"{self.path}/outbox", {}, 400)
        self.send("post", f"{self.path}/list", {"kind": "csv"}, 400)
        told = [entry.words for entry in HistoryEntry.objects.order_by("id")]
        for words in ("Put the list", "Stopped the list", "Handed over the list"):
            self.assertTrue(any(each.startswith(words) for each in told), words)
        self.assertFalse(any(TOKEN in each for each in told))

    def test_everybody_once_through_outages_before_and_after_a_batch_is_taken(self):
        office = self.serve(trouble=0.6)
        self.drawn()
        self.send("post", f"{self.path}/outbox", {}, 201)
        run_jobs()
        self.assertEqual(office.counts()["letters"], len(self.written))
        self.assertEqual(office.counts()["twice"], 0)
        rows = [row for block in Block.objects.order_by("number") for row in block.rows]
        self.assertEqual([row[0] for row in rows], self.written)
        cards = dict(Card.objects.values_list("number", "code"))
        self.assertTrue(all(row[1] == cards[row[0]] for row in rows))
        self.assertFalse(set(self.held) & {row[0] for row in rows})

    def test_stopped_in_the_middle_the_rest_goes_later_and_nobody_twice(self):
        office = self.serve()
        self.drawn()
        real, sent = push.post_batch, []

        def some(service, key, body, pause):
            sent.append(key)
            if len(sent) == 3:
                row = Departure.objects.get()
                self.assertEqual(row.state, Departure.GOING)
                self.send("post", f"{self.path}/outbox/stop")
            return real(service, key, body, pause)

        self.send("post", f"{self.path}/outbox", {}, 201)
        with mock.patch.object(push, "post_batch", some):
            run_jobs()
        left = self.left()
        self.assertEqual((left["state"], left["sent"]), ("stopped", 60))
        self.assertEqual(office.counts()["letters"], 60)
        self.send("post", f"{self.path}/outbox", {}, 201)
        run_jobs()
        self.assertEqual(self.left()["sent"], len(self.written))
        self.assertEqual(office.counts(), {**office.counts(), "letters": len(self.written),
                                           "twice": 0})  # fmt: skip

    def test_a_service_that_is_away_or_refuses_is_a_sentence_and_loses_nothing(self):
        self.known("http://127.0.0.1:9")
        self.drawn()
        self.send("post", f"{self.path}/outbox", {}, 201)
        run_jobs()
        left = self.left()
        self.assertEqual((left["state"], left["sent"], left["unknown"]), ("stopped", 0, 20))
        self.assertIn("is away: it cannot be reached", left["trouble"])
        office = PostOffice(self, "another token")
        self.known(office.url)
        self.send("post", f"{self.path}/outbox", {}, 201)
        run_jobs()
        self.assertIn("401 (This token is not known here)", self.left()["trouble"])
        self.assertEqual(set(Job.objects.filter(kind=outbox.PUSH).values_list("state", flat=True)),
                         {Job.FAILED})  # fmt: skip
        self.known(office.url, token="another token")
        self.send("post", f"{self.path}/outbox", {}, 201)
        run_jobs()
        self.assertEqual(self.left()["state"], "gone")
        self.assertEqual(office.counts()["letters"], len(self.written))

    def test_what_the_service_does_not_take_is_listed(self):
        self.serve()
        self.drawn()
        two = self.written[3:5]
        Card.objects.filter(number__in=two).update(address="nowhere")
        self.send("post", f"{self.path}/outbox", {}, 201)
        run_jobs()
        left = self.left()
        self.assertEqual(left["sent"], len(self.written) - 2)
        self.assertEqual([(r["customer"], r["why"]) for r in left["refused"]],
                         [(number, "no such address") for number in two])  # fmt: skip

    def test_who_opts_out_after_the_draw_is_not_written_to_and_stays_in_the_arm(self):
        office = self.serve()
        self.drawn()
        gone = self.written[5]
        self.opt_out(gone)
        self.send("post", f"{self.path}/outbox", {}, 201)
        run_jobs()
        self.assertEqual(office.counts()["letters"], len(self.written) - 1)
        self.assertEqual(self.left()["passed_over"], 1)
        drawn = drawn_of(Campaign.objects.get())
        self.assertIn(gone, drawn.customers[~drawn.held].tolist())

    def opt_out(self, customer):
        OptOut.objects.create(study=self.study, card=customer, at=timezone.now(), words="by phone")

    def test_a_file_and_the_service_never_both(self):
        self.serve()
        self.drawn()
        asked = {"kind": "csv", "columns": ["measure:recency", "trait:garden"]}
        export = self.send("post", f"{self.path}/list", asked, 201)
        run_jobs()
        answer = self.client.get(self.url(f"exports/{export['id']}/file")).getvalue().decode()
        head, *lines = answer.splitlines()
        self.assertEqual(head.split(",")[:3], ["card", "address", "segment"])
        self.assertEqual(len(head.split(",")), 5)
        self.assertEqual(len(lines), len(self.written))
        told = self.everyone("measure:recency", "trait:garden")
        for line in lines:
            card, _, _, recency, garden = line.split(",")
            self.assertEqual((float(recency), garden or None), told[card])
        refused = self.send("post", f"{self.path}/outbox", {}, 400)
        self.assertIn("left as a file", refused["detail"])
        left = self.left()
        again = self.saved(f"{self.path}/left/{left['id']}")
        self.assertEqual(again, answer)
        self.send("post", f"{self.path}/list", {"columns": ["measure:nothing"]}, 404)

    def test_a_list_of_pseudonyms_names_no_card_and_its_answers_are_understood(self):
        self.drawn()
        export = self.send("post", f"{self.path}/list", {"pseudonyms": True}, 201)
        run_jobs()
        answer = self.client.get(self.url(f"exports/{export['id']}/file")).getvalue().decode()
        head, *lines = answer.splitlines()
        self.assertEqual(head, "pseudonym,address,segment")
        names = [line.split(",")[0] for line in lines]
        self.assertEqual(len(set(names)), len(self.written))
        self.assertFalse(set(names) & set(Card.objects.values_list("code", flat=True)))
        text = "who,what\n" + "".join(f"{name},opened\n" for name in names[:3])
        upload = self.upload(text, "answers.csv", part=1 << 20)
        look = self.send("post", f"{self.path}/responses", {"upload": upload})
        self.assertEqual((look["mapping"]["by"], look["found"]), ("pseudonym", 3))
        asked = {"upload": upload, "mapping": look["mapping"]}
        self.assertEqual(self.send("put", f"{self.path}/responses", asked)["told"]["taken"], 3)
        told = ContactEvent.objects.order_by("customer").values_list("customer", flat=True)
        self.assertEqual(list(told), self.written[:3])

    def at_once(self, change):
        """Two people do the same at the same moment; what came of each."""
        both = threading.Barrier(2)

        def do(_):
            both.wait()
            try:
                change()
                return "done"
            except Problem as problem:
                return problem.detail
            finally:
                connection.close()

        with ThreadPoolExecutor(2) as pool:
            return sorted(pool.map(do, range(2)))

    def test_two_people_at_once(self):
        office = self.serve()
        campaign = Campaign.objects.select_related("study").get()
        seen = campaign.revision
        told = self.at_once(lambda: actions.draw(campaign, self.owner, seen))
        self.assertEqual(told.count("done"), 1, told)
        self.assertEqual(Column.objects.filter(name="campaign arms").count(), 1)
        campaign.refresh_from_db()
        told = self.at_once(lambda: outbox.put(campaign, self.owner, campaign.revision))
        self.assertEqual(told.count("done"), 1, told)
        run_jobs()
        written = self.get("campaigns")["campaigns"][0]["written"]
        self.assertEqual(office.counts(), {**office.counts(), "letters": written, "twice": 0})

    def test_only_owners_set_the_service_and_see_its_secret(self):
        self.serve()
        analyst = self.person("anna")
        Membership.objects.create(study=self.study, person=analyst, role="analyst")
        client = self.signed_in(analyst)
        told = self.get("campaigns/delivery", client=client)
        self.assertEqual((told["secret"], told["has_token"]), ("", True))
        self.assertNotIn(TOKEN, str(told))
        self.assertTrue(self.get("campaigns/delivery")["secret"].startswith("whsec_"))
        self.send("put", "campaigns/delivery", {"url": ""}, 403, client)
        for url in ("ftp://example.org", "example.org", "http://"):
            self.send("put", "campaigns/delivery", {"url": url}, 400)


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
