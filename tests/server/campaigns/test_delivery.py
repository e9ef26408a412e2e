"""Letters through the outbox to a real service, and what comes back from it."""

import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from unittest import mock

from django.db import connection
from django.utils import timezone

from sortija.server.campaigns import actions
from sortija.server.campaigns.delivery import outbox, push
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import (
    Block,
    Campaign,
    ContactEvent,
    Departure,
)
from sortija.server.jobs.models import Job
from sortija.server.ledger.models import Card, OptOut
from sortija.server.studies.models import Column, HistoryEntry, Membership
from sortija.server.studies.problems import Problem
from tests.server.campaigns.deliveries import TOKEN, DeliveryCase
from tests.server.campaigns.post_office import PostOffice
from tests.server.support import run_jobs


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
        # Nobody knows whether the first block was taken, so that a file could reach them again.
        self.send("post", f"{self.path}/list", {"kind": "csv"}, 400)
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
