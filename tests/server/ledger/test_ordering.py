"""Several files, chosen over one another at random, against a plain reading of them all."""

import random
import shutil
from collections import Counter
from datetime import date, timedelta
from unittest import mock

from sortija.server.jobs.models import Job
from sortija.server.ledger.models import Intake
from sortija.server.ledger.rules import actions
from sortija.server.ledger.store.ledger import ledger_of
from tests.server.support import DemoCase, ServerCase, run_jobs

HEAD = "receipt,card,sold_at,shop,item,department,qty,total\n"
CHOICES = ("both", "skip", "replace")


def random_files(seed):
    """Three exports that overlap: receipts (number, shop, day) → lines (item, card, pence)."""
    rng = random.Random(seed)
    world = {}
    for number in range(60):
        day = date(2026, 3, 1) + timedelta(days=rng.randrange(40))
        key = (str(number), rng.choice(["North", "South"]), day)
        world[key] = [
            (f"I{rng.randrange(5)}", rng.choice("ABCDE"), rng.randint(1, 90) * 10)
            for _ in range(rng.randint(1, 3))
        ]
    files = []
    for first, length in ((0, 22), (12, 20), (24, 16)):
        begin = date(2026, 3, 1) + timedelta(days=first)
        held = {
            key: list(lines) for key, lines in world.items()
            if begin <= key[2] < begin + timedelta(days=length) and rng.random() < 0.9
        }  # fmt: skip
        for key in rng.sample(sorted(held), min(4, len(held))):  # corrected since
            item, card, pence = held[key][0]
            held[key][0] = (item, card, pence + 5)
        files.append(held)
    return files


def as_text(receipts):
    rows = []
    for (number, shop, day), lines in sorted(receipts.items(), key=lambda r: (r[0][2], r[0])):
        rows += [
            f"{number},{card},{day},{shop},{item},Seeds,1,{pence / 100:.2f}"
            for item, card, pence in lines
        ]
    return HEAD + "\n".join(rows) + "\n"


def counted(files, choices):
    """(counted pence, lines that gave way), straight from what the choices mean."""
    gone = [set() for _ in files]
    for place, (mine, choice) in enumerate(zip(files, choices, strict=True)):
        for key in mine:
            if choice == "skip" and any(key in other for other in files[:place]):
                gone[place].add(key)
        days = [key[2] for key in mine]
        shops = {key[1] for key in mine}
        for earlier in range(place if choice == "replace" else 0):
            for key in files[earlier]:
                within = key[1] in shops and min(days) < key[2] < max(days)
                if key in mine or within:
                    gone[earlier].add(key)
    seen, pence, lines = set(), 0, 0
    for mine, given in zip(files, gone, strict=True):
        for key, receipt in sorted(mine.items(), key=lambda r: (r[0][2], r[0])):
            mark = (key, tuple(sorted(receipt)))
            if key in given:
                lines += len(receipt)
            elif mark not in seen:
                seen.add(mark)
                pence += sum(each for _, _, each in receipt)
    return pence, lines


class Overlapping(ServerCase):
    def bring(self, files):
        intakes = [self.bring_in(as_text(f), f"f{n}.csv") for n, f in enumerate(files)]
        self.assertEqual({i["state"] for i in intakes}, {"counted"})
        return intakes

    def test_any_choice_for_any_file(self):
        for seed in (1, 2, 3):
            files = random_files(seed)
            intakes = self.bring(files)
            rng = random.Random(seed)
            for _ in range(5):
                choices = ["both", rng.choice(CHOICES), rng.choice(CHOICES)]
                for intake, choice in zip(intakes, choices, strict=True):
                    path = f"intakes/{intake['id']}/overlap"
                    self.send("put", path, {"choice": choice})
                with self.subTest(seed=seed, choices=choices):
                    pence, lines = counted(files, choices)
                    page = self.get("ledger")
                    rules = {rule["key"]: rule for rule in page["rules"]}
                    self.assertEqual(page["counted_total"], pence)
                    self.assertEqual(rules["superseded"]["lines"], lines)
            for intake in intakes:
                self.send("delete", f"intakes/{intake['id']}", status=204)

    def test_receipts_known_before_are_counted_file_by_file(self):
        files = random_files(9)
        self.bring(files)
        told = {i["name"]: i["known_receipts"] for i in self.get("ledger")["intakes"]}
        for place, mine in enumerate(files):
            known = sum(any(key in other for other in files[:place]) for key in mine)
            self.assertEqual(told[f"f{place}.csv"], known)

    def test_customers_of_a_rule_are_those_with_such_a_line(self):
        files = random_files(4)
        intakes = self.bring(files)
        self.send("put", f"intakes/{intakes[1]['id']}/overlap", {"choice": "skip"})
        gone = self.get("ledger/lines", rule="superseded")["lines"]
        rule = next(r for r in self.get("ledger")["rules"] if r["key"] == "superseded")
        self.assertLess(len(gone), 100)
        self.assertEqual(rule["customers"], len({row["card"] for row in gone}))
        self.assertEqual(rule["money"], sum(row["money"] for row in gone))
        by_file = Counter(row["intake"] for row in gone)
        self.assertEqual(set(by_file), {intakes[1]["id"]})
        self.assertEqual(Intake.objects.get(pk=intakes[1]["id"]).overlap, "skip")


class Older(DemoCase):
    def test_a_page_at_any_date_has_lines_put_in_order_that_lost_theirs(self):
        # As after an upgrade that keeps them elsewhere: all that a page asks first is its trail.
        shutil.rmtree(ledger_of(self.study).folder)
        with mock.patch.object(actions, "INLINE_LINES", 0):  # as a large log: by a job
            self.get("trail", to="2026-03-31", back="12")
        self.assertEqual(Job.objects.filter(kind="ledger.order", state=Job.WAITING).count(), 1)
        run_jobs()
        self.assertTrue(ledger_of(self.study).built)
        self.assertEqual(self.get("measures", to="2026-03-31")["status"]["state"], "whole")
