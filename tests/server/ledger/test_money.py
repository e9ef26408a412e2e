"""Money keeps its decimals: whoever named the columns, whichever file brings how many."""

from sortija.server.ledger.models import Intake
from sortija.server.studies.models import Study
from tests.server.support import LOG, ServerCase, run_jobs

#: Headings that no English guess knows; decimal comma, day first, semicolons.
FOREIGN = """Bon;Kunde;Belegtag;Filiale;Warengruppe;Menge;Betr. EUR
1;K-7;13.01.2026;Nord;Samen;1;6,48
1;K-7;13.01.2026;Nord;Erde;2;1.204,10
2;K-8;05.02.2026;Nord;Samen;1;0,52
3;K-7;28.02.2026;Süd;Erde;1;-6,48
"""
COLUMNS = {
    "customer": "Kunde", "receipt": "Bon", "moment": "Belegtag", "site": "Filiale",
    "department": "Warengruppe", "quantity": "Menge", "money": "Betr. EUR",
}  # fmt: skip
FINER = """receipt,card,sold_at,site,channel,item,department,qty,price,total,kind
20,A,2026-06-21 10:00,North,till,101,Seeds,1,1.234,1.234,sale
21,B,2026-06-22 10:00,North,till,101,Seeds,1,0.0015,0.0015,sale
"""


class Decimals(ServerCase):
    def review(self, text, name):
        upload = self.upload(text, name, part=1 << 20)
        return self.send("post", "intakes", {"upload": upload, "role": "log"}, 201)

    def map(self, intake, **mapping):
        changed = {**intake["mapping"], **mapping}
        return self.send("put", f"intakes/{intake['id']}", {"mapping": changed})

    def count(self, intake):
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        self.assertEqual(self.get(f"intakes/{intake['id']}")["state"], "counted")

    def counted(self):
        """(decimals of the study, its money that counts, in units of those)."""
        return Study.objects.get().scale, self.get("ledger")["counted_total"]

    def amounts(self):
        lines = self.get("ledger/lines")["lines"]
        return sorted(line["money"] for line in lines)

    def test_a_column_named_by_hand_is_read_with_its_decimals(self):
        intake = self.review(FOREIGN, "bons.csv")
        self.assertNotIn("money", intake["mapping"]["roles"])
        named = self.map(intake, roles=COLUMNS)
        self.assertEqual(named["mapping"]["decimal_comma"], True)
        self.assertIs(named["mapping"]["month_first"], False)
        read = next(c["read"] for c in named["columns"] if c["role"] == "money")
        self.assertEqual(read, ["6.48", "1,204.10", "0.52", "-6.48"])
        self.count(named)
        self.assertEqual(self.counted(), (2, 120462))
        self.assertEqual(self.amounts(), [-648, 52, 648, 120410])
        spend = self.everyone("measure:monetary")
        self.assertEqual(spend, {"K-7": (1204.10,), "K-8": (0.52,)})

    def test_decimal_comma_decides_what_three_digits_behind_a_mark_are(self):
        text = "bon;kunde;date;Betrag\n1;a;13.01.2026;6,482\n2;b;14.01.2026;1,250\n"
        intake = self.review(text, "bons.csv")
        roles = {"receipt": "bon", "customer": "kunde", "moment": "date", "money": "Betrag"}
        named = self.map(intake, roles=roles)
        self.assertEqual(named["columns"][3]["read"], ["6,482", "1,250"])
        as_decimals = self.map(named, decimal_comma=True)
        self.assertEqual(as_decimals["columns"][3]["read"], ["6.482", "1.250"])
        self.count(as_decimals)
        self.assertEqual(self.counted(), (3, 7732))

    def test_columns_changed_afterwards_bring_their_decimals(self):
        text = LOG.replace(",5.50,sale", ",5.507,sale").replace("total", "n2")
        intake = self.review(text, "log.csv")
        roles = {k: c for k, c in intake["mapping"]["roles"].items() if k != "money"}
        priced = {k: c for k, c in roles.items() if k != "price"}
        self.count(self.map(intake, roles={**priced, "money": "price"}))
        self.assertEqual(self.counted()[0], 2)
        again = self.send("post", f"intakes/{intake['id']}/columns", status=201)
        self.count(self.map(again, roles={**roles, "money": "n2"}))
        scale, money = self.counted()
        self.assertEqual((scale, money), (3, 50000 + 2 * 5507))

    def test_a_finer_file_widens_every_amount_exactly_and_undoing_it_narrows_again(self):
        self.bring_in(LOG, "log.csv")
        before, people = self.counted(), self.everyone("measure:monetary")
        amounts = self.amounts()
        finer = self.bring_in(FINER, "finer.csv")
        self.assertEqual(self.counted(), (4, before[1] * 100 + 12340 + 15))
        self.assertEqual(self.amounts(), sorted([*(100 * a for a in amounts), 12340, 15]))
        now = self.everyone("measure:monetary")
        self.assertAlmostEqual(now["A"][0] - people["A"][0], 1.234, places=12)
        self.assertAlmostEqual(now["B"][0] - people["B"][0], 0.0015, places=12)
        self.assertEqual(now["C"], people["C"])
        self.send("delete", f"intakes/{finer['id']}", status=204)
        run_jobs()
        self.assertEqual(self.counted(), before)
        self.assertEqual(self.everyone("measure:monetary"), people)

    def test_decimals_behind_the_first_rows_are_not_rounded(self):
        head = LOG.splitlines()[0]
        early = [f"{n},A,2026-01-10 10:00,North,till,101,Seeds,1,1,{n},sale" for n in range(3000)]
        late = "9001,A,2026-01-11 10:00,North,till,101,Seeds,1,1,0.125,sale"
        intake = self.bring_in("\n".join([head, *early, late, ""]), "long.csv")
        self.assertEqual(Intake.objects.get(pk=intake["id"]).scale, 3)
        self.assertEqual(self.counted(), (3, sum(range(3000)) * 1000 + 125))
