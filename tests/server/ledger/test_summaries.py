"""Looks at the ledger and what they make of the lens, against plain Python on the same lines."""

import csv
from collections import Counter, defaultdict
from datetime import date, datetime, timedelta

from tests.server.support import DemoCase, ServerCase

EPOCH = date(1970, 1, 1)


def days(number):
    return EPOCH + timedelta(days=number)


class Plain(DemoCase):
    """The small demo; its counted lines are read back through the lines' file."""

    def lines_that_count(self):
        text = self.saved("ledger/lines/file?rule=counted")
        return list(csv.DictReader(text.splitlines()))

    def lens(self, field, values=("yes",)):
        clause = {"field": field, "values": list(values)}
        answer = self.send("post", "lens", {"clauses": [clause]})
        self.assertTrue(answer["ready"])
        return answer["lens"]["customers"]

    def test_every_look(self):
        rows, looks = self.lines_that_count(), self.get("ledger/summaries")
        hours = Counter()
        for row in rows:
            when = datetime.fromisoformat(f"{row['date']} {row['time']}")
            hours[when.weekday() * 24 + when.hour] += 1
        self.assertEqual(looks["hour_lines"], [hours[hour] for hour in range(168)])
        self.assertEqual(sum(looks["hour_money"]), self.get("ledger")["counted_total"])
        for column in looks["columns"]:
            by = defaultdict(float)
            for row in rows:
                by[row[column["column"]] or "none given"] += float(row["amount"])
            self.assertEqual(column["names"], len(by))
            top = {part["name"]: part["money"] for part in column["parts"] if part["number"] != -2}
            self.assertEqual(top, {name: round(by[name] * 100) for name in top})
            self.assertEqual(sum(p["money"] for p in column["parts"]),
                             round(sum(by.values()) * 100))  # fmt: skip
        firsts = self.firsts(rows)
        months = Counter((day.year, day.month) for day in firsts.values())
        newcomers = looks["newcomers"]
        self.assertTrue(all(
            (days(s), days(e + 1).day) == (days(s).replace(day=1), 1)
            for s, e in zip(newcomers["starts"], newcomers["ends"], strict=True)
        ))  # fmt: skip
        told = {
            (days(s).year, days(s).month): n
            for s, n in zip(newcomers["starts"], newcomers["customers"], strict=True)
            if n
        }
        self.assertEqual(told, dict(months))
        self.assertEqual(sum(looks["baskets"]["purchases"]), len(self.purchases(rows)))

    def purchases(self, rows):
        """(customer, date, receipt of the file) of purchases; receipts by site and till too."""
        return {
            (row["customer"], row["date"], row["time"], row["site"], row["channel"])
            for row in rows
            if row["customer"] and row["kind"] == "sale" and float(row["quantity"]) > 0
        }

    def firsts(self, rows):
        out = {}
        for customer, day, *_ in self.purchases(rows):
            when = date.fromisoformat(day)
            out[customer] = min(when, out.get(customer, when))
        return out

    def test_everything_narrows_the_lens(self):
        rows = self.lines_that_count()
        sold = [r for r in rows if r["customer"] and r["kind"] == "sale"]
        last = max(r["date"] for r in sold)
        month = f"{last[:7]}-01..{last}"

        def buyers(chosen):
            return len({r["customer"] for r in sold if chosen(r)})

        department, site = sold[0]["department"], sold[0]["site"]
        self.assertEqual(
            self.lens(f"bought:days={month}"), buyers(lambda r: r["date"] >= month[:10])
        )
        self.assertEqual(
            self.lens(f"bought:department={department}"),
            buyers(lambda r: r["department"] == department),
        )
        self.assertEqual(self.lens(f"bought:site={site}"), buyers(lambda r: r["site"] == site))
        self.assertEqual(
            self.lens("bought:hour=34"),  # Tuesday from ten
            buyers(lambda r: date.fromisoformat(r["date"]).weekday() == 1
                   and r["time"].startswith("10")),
        )  # fmt: skip
        firsts = self.firsts(rows)
        self.assertEqual(
            self.lens(f"began:days={month}"),
            sum(day >= date.fromisoformat(month[:10]) for day in firsts.values()),
        )
        baskets = defaultdict(float)
        for row in rows:
            place = (row["time"], row["site"], row["channel"])
            baskets[row["customer"], row["date"], *place] += float(row["amount"])
        large = {key[0] for key in self.purchases(rows) if baskets[key] >= 50}
        self.assertEqual(self.lens("bought:basket=50.."), len(large))
        returns = {r["customer"] for r in rows if r["kind"] == "return" and r["customer"]}
        self.assertGreater(len(returns), 0)
        self.assertEqual(self.lens("met:returns"), len(returns))
        everyone = self.send("post", "lens", {"clauses": []})["everyone"]["customers"]
        self.assertEqual(self.lens("met:returns", ["no"]), everyone - len(returns))

    def test_clauses_about_nothing(self):
        for field, status in (
            ("bought:department=Nowhere", 404), ("bought:hour=168", 404), ("met:nothing", 404),
            ("began:department=Seeds", 404), ("bought:days=soon", 400), ("bought:what=1", 404),
            ("bought:basket=..", 404), ("bought:basket=cheap", 404),
        ):  # fmt: skip
            with self.subTest(field):
                self.send(
                    "post", "lens", {"clauses": [{"field": field, "values": ["yes"]}]}, status
                )

    def test_waterlines_of_any_step_hold_the_same(self):
        pages = {step: self.get("ledger", step=step) for step in ("month", "week", "day")}
        totals = {step: page["counted_total"] for step, page in pages.items()}
        self.assertEqual(len(set(totals.values())), 1)
        for step in ("month", "week"):
            self.assertEqual(sum(pages[step]["steps"]["counted_money"]), totals[step])
        shown = pages["day"]["steps"]
        self.assertEqual(
            (len(shown["starts"]), shown["earlier"], shown["later"]), (92, True, False)
        )
        middle = shown["starts"][0]
        around = self.get("ledger", step="day", around=middle)["steps"]
        self.assertIn(middle, around["starts"][40:52])
        self.assertTrue(around["later"])
        self.get("ledger", status=400, step="year")

    def test_the_balance_is_that_of_the_measures(self):
        for window in ({"to": "2026-01-31", "back": "6"}, {"to": "2026-06-30", "back": "all"}):
            told = self.get("ledger", **window)["balance"]
            made = self.get("measures", **window)["reconciliation"]
            self.assertEqual(told["ledger"], made["ledger"])
            self.assertEqual(
                (told["with_purchase"], told["without_purchase"], told["without_customer"]),
                (made["table"], made["without_purchase"], made["without_customer"]),
            )


class Nothing(ServerCase):
    def test_without_a_log(self):
        self.get("ledger/summaries", status=404)

    def test_days_without_data(self):
        rows = ["receipt,card,sold_at,site,total"]
        for number in range(120):
            day = date(2026, 1, 1) + timedelta(days=number)
            if not date(2026, 2, 10) <= day <= date(2026, 2, 19):
                rows.append(f"{number},A{number % 9},{day} 10:00,North,5.00")
            if not date(2026, 3, 1) <= day <= date(2026, 3, 5) and number not in range(40, 50):
                rows.append(f"9{number},B{number % 9},{day} 11:00,South,5.00")
        self.assertEqual(self.bring_in("\n".join(rows), "log.csv")["state"], "counted")
        found = [(g["site"], str(days(g["first"])), str(days(g["last"])))
                 for g in self.get("ledger/summaries")["gaps"]]  # fmt: skip
        self.assertEqual(found, [("", "2026-02-10", "2026-02-19"),
                                 ("South", "2026-03-01", "2026-03-05")])  # fmt: skip
