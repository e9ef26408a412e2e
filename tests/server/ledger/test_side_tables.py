"""Offers with their answers, districts, and a study without a log: in by the real door."""

import csv
from collections import Counter

from sortija.server.ledger.models import Card
from tests.server.support import MEMBERS, SMALL, DemoCase, ServerCase, run_jobs

WIDE = """card,spring_offer,autumn_offer
A,yes,no
B,no,
C,,yes
"""


class Demo(DemoCase):
    def bring(self, name):
        return self.bring_in((SMALL / name).read_text(), name)

    def test_every_file_of_the_demo_comes_in_without_a_click(self):
        roles = {name: self.bring(name) for name in
                 ("responses.csv", "offers.csv", "districts.geojson")}  # fmt: skip
        self.assertEqual({name: (i["role"], i["state"]) for name, i in roles.items()}, {
            "responses.csv": ("responses", "counted"), "offers.csv": ("offers", "counted"),
            "districts.geojson": ("areas", "counted"),
        })  # fmt: skip
        self.assertEqual(roles["offers.csv"]["report"]["told"]["O01"]["percent_off"], "10")

    def test_who_took_an_offer_narrows_the_lens(self):
        self.bring("responses.csv")
        with (SMALL / "responses.csv").open() as file:
            answers = [row for row in csv.DictReader(file) if row["offer"] == "O01"]
        took = Counter(row["used"] for row in answers)
        window = "lens?to=2026-06-30&back=all"
        for answer in ("yes", "no"):
            clause = {"field": "offer:O01", "values": [answer]}
            found = self.send("post", window, {"clauses": [clause]})["lens"]["customers"]
            self.assertEqual(found, took[answer])
        number = Card.objects.get(code=answers[0]["card"]).number
        told = {o["name"]: o["answer"] for o in self.get(f"customer/{number}")["offers"]}
        self.assertEqual(told["O01"], answers[0]["used"])

    def test_districts_find_their_trait(self):
        self.bring("districts.geojson")
        places = self.get("ledger/districts")
        self.assertEqual((places["trait"], len(places["areas"])), ("district", 14))
        with (SMALL / "members.csv").open() as file:
            living = Counter(row["district"] for row in csv.DictReader(file))
        self.assertEqual({a["code"]: a["customers"] for a in places["areas"]},
                         {a["code"]: living[a["code"]] for a in places["areas"]})  # fmt: skip
        self.assertTrue(all(area["households"] > 0 for area in places["areas"]))


class Small(ServerCase):
    def test_offers_as_columns_of_a_customer_table(self):
        self.bring_in(MEMBERS, "members.csv")
        upload = self.upload(WIDE, "wide.csv", part=1 << 20)
        intake = self.send("post", "intakes", {"upload": upload, "role": "members"}, 201)
        mapping = intake["mapping"]
        mapping["types"].update(spring_offer="offer", autumn_offer="offer")
        self.send("put", f"intakes/{intake['id']}", {"mapping": mapping})
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        told = {o["name"]: o["answer"] for o in self.get("customer/0")["offers"]}
        self.assertEqual(told, {"Spring offer": "yes", "Autumn offer": "no"})
        self.assertEqual([o["name"] for o in self.get("customer/1")["offers"]], ["Spring offer"])

    def test_a_study_without_a_log(self):
        intake = self.bring_in(MEMBERS, "members.csv")
        page = self.get("ledger")
        self.assertEqual((page["status"]["state"], page["steps"]), ("empty", None))
        self.assertEqual([i["id"] for i in page["intakes"]], [intake["id"]])
        self.assertEqual(self.get("customer/0")["name"], "A")
        self.assertEqual(self.get("ledger/districts")["areas"], [])

    def test_districts_that_cannot_be_counted(self):
        twice = (SMALL / "districts.geojson").read_text().replace('"0108"', '"0101"')
        intake = self.bring_in(twice, "districts.geojson")
        self.assertEqual(intake["state"], "failed")
        self.assertIn("Two districts are called 0101", intake["error"])
        self.assertEqual(self.get("ledger/districts")["areas"], [])
        upload = self.upload(MEMBERS, "gift.csv", part=1 << 20)
        self.send("post", "intakes", {"upload": upload, "role": "gift"}, 400)
