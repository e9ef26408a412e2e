"""The demo's delivery service: a batch counts once, and letters do what its guide says they do."""

import csv
import io
import tempfile
import unittest
from datetime import date
from pathlib import Path

import numpy as np

from sortija.demo.delivery.letters import events_of
from sortija.demo.delivery.purchases import next_log
from sortija.demo.delivery.store import Store, Written
from sortija.demo.files import CAMPAIGN_EFFECT, draw_people

SENT, READ = date(2026, 8, 15), date(2026, 9, 26)
MEMBERS, SEED = 6000, 4107


def batch(*addresses):
    return {
        "campaign": {"reference": "7", "send_on": str(SENT), "read_on": str(READ)},
        "messages": [
            {"reference": f"3-{n}", "card": f"M-{n + 1:06d}", "address": address}
            for n, address in enumerate(addresses)
        ],
    }  # fmt: skip


class Taking(unittest.TestCase):
    def setUp(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.store = Store(folder / "post.sqlite3")

    def test_a_batch_that_comes_again_is_answered_and_not_delivered_again(self):
        sent = batch("a@example.org", "", "nowhere")
        answer = self.store.take("k", sent)
        self.assertEqual(answer, {"taken": 1, "refused": [
            {"reference": "3-1", "why": "no address"},
            {"reference": "3-2", "why": "no such address"},
        ]})  # fmt: skip
        self.assertEqual(self.store.take("k", sent), answer)
        self.assertEqual(self.store.counts()["letters"], 1)
        self.store.take("other", sent)
        self.assertEqual(self.store.counts()["twice"], 1)  # it does not forgive another key

    def test_a_broken_batch_leaves_nothing(self):
        broken = batch("a@example.org")
        broken["messages"].append({})
        with self.assertRaises(KeyError):
            self.store.take("k", broken)
        self.assertEqual(self.store.counts()["letters"], 0)

    def test_events_come_in_the_shares_that_the_guide_says(self):
        told = [list(events_of(f"3-{n}", SENT)) for n in range(20_000)]
        count = {}
        for events in told:
            self.assertEqual(events, sorted(events, key=lambda each: each[1]))
            for kind, _ in events:
                count[kind] = count.get(kind, 0) + 1
        self.assertAlmostEqual(count["bounced"] / 20_000, 0.02, delta=0.004)
        self.assertAlmostEqual(count["opened"] / count["delivered"], 0.42, delta=0.015)
        self.assertAlmostEqual(count["clicked"] / count["opened"], 0.2, delta=0.02)
        self.assertAlmostEqual(count["opted out"] / count["opened"], 0.015, delta=0.006)


class GoingOn(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.people = draw_people(MEMBERS, SEED)

    def came(self, written, through=date(2026, 9, 30)):
        """Cards that bought after the day of sending, by the day of reading."""
        out = set()
        log = next_log(self.people, SEED, written, through).decode()
        for row in csv.DictReader(io.StringIO(log), delimiter=";"):
            text = row["sold_at"][:10]
            if text == "31/02/2025":  # a broken cell, as logs have them
                continue
            day = date.fromisoformat(
                text if text[4] == "-" else f"{text[6:]}-{text[3:5]}-{text[:2]}"
            )
            if SENT < day <= READ and row["kind"] == "sale":
                out.add(row["card"])
        return out

    def test_eight_in_a_hundred_more_of_those_written_to(self):
        gaps = []
        for first in range(0, 3000, 600):
            cards = [f"M-{n + 1:06d}" for n in range(first, first + 600)]
            written = [Written(c, f"{first}-{c}", "7", SENT, READ) for c in cards]
            with_letters, without = self.came(written), self.came([])
            gaps.append((len(with_letters & set(cards)) - len(without & set(cards))) / 600)
            others = (with_letters ^ without) - set(cards)  # a voided receipt here or there
            self.assertLess(len(others), 0.03 * len(without))
        # Five draws of about 48 of 600 each.
        self.assertAlmostEqual(float(np.mean(gaps)), CAMPAIGN_EFFECT, delta=0.015)

    def test_the_same_letters_give_the_same_bytes_and_later_months_come_after(self):
        short = next_log(self.people, SEED, [], date(2026, 7, 31))
        whole = next_log(self.people, SEED, [], date(2026, 8, 31))
        self.assertTrue(whole.startswith(short))
        self.assertEqual(whole, next_log(self.people, SEED, [], date(2026, 8, 1)))
        for day in (date(2026, 6, 30), date(2029, 1, 1)):
            with self.assertRaises(ValueError):
                next_log(self.people, SEED, [], day)


if __name__ == "__main__":
    unittest.main()
