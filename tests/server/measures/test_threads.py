"""Every figure of the threads and of their choices again, from the customers' own values."""

import math

import numpy as np
from scipy import stats

from tests.core.measures.test_fences import by_definition
from tests.server.support import DemoCase


def bent(values, transform):
    if transform == "log":
        return np.copysign(np.log1p(np.abs(values)), values)
    return np.copysign(np.sqrt(np.abs(values)), values) if transform == "root" else values


def scaled(values, scale):
    if scale == "z":
        return stats.zscore(values)
    if scale == "range":
        return (values - values.min()) / (values.max() - values.min())
    if scale == "robust":
        q1, middle, q3 = np.percentile(values, [25, 50, 75])
        return (values - middle) / (q3 - q1 or values.std())
    return values


def fences(values):
    """Hubert & Vandervieren 2008, by the medcouple's own definition; where the middle half are
    alike there is nothing to measure by, and nobody lies beyond."""
    q1, q3 = np.percentile(values, [25, 75])
    if q1 == q3:
        return values.min(), values.max()
    mc = by_definition(values)
    down, up = (-4, 3) if mc >= 0 else (-3, 4)
    return q1 - 1.5 * math.exp(down * mc) * (q3 - q1), q3 + 1.5 * math.exp(up * mc) * (q3 - q1)


class Threads(DemoCase):
    def setUp(self):
        super().setUp()
        self.page = self.get("measures")
        self.threads = {t["name"]: t for t in self.page["threads"] if t["numbers"]}
        self.people = self.columns(["measure:recency"])["measure:recency"]

    def columns(self, fields):
        """Everyone's values by field, NaN where there is none."""
        told = np.array(list(self.everyone(*fields).values()), float)
        return dict(zip(fields, told.T, strict=True))

    def of_table(self, names):
        """Values of the customers with a purchase."""
        found = self.columns([self.threads[name]["field"] for name in names])
        bought = ~np.isnan(self.people)
        return {n: found[self.threads[n]["field"]][bought] for n in names}

    def test_each_thread_says_what_its_customers_have(self):
        names = list(self.threads)
        for start in range(0, len(names), 10):
            for name, values in self.of_table(names[start : start + 10]).items():
                with self.subTest(name):
                    self.says(self.threads[name]["numbers"], values)

    def says(self, numbers, values):
        there, figures = values[~np.isnan(values)], numbers["figures"]
        self.assertEqual(figures["count"], len(there))
        self.assertEqual(sum(figures["missing"].values()), len(values) - len(there))
        self.assertEqual(sum(numbers["shape"]), len(there))
        if len(there) == 0:
            self.assertIsNone(figures["median"])
            return
        self.assertEqual(figures["zeros"], int((there == 0).sum()))
        quartiles = np.percentile(there, [0, 25, 50, 75, 100])
        for key, wanted in zip(
            ("low", "quartile_1", "median", "quartile_3", "high"), quartiles, strict=True
        ):
            self.assertAlmostEqual(figures[key], wanted, 9, key)
        self.assertAlmostEqual(figures["mean"], there.mean(), 9)
        self.assertAlmostEqual(figures["sd"], there.std(), 9)
        if there.std() > 1e-9:
            self.assertAlmostEqual(figures["skew"], stats.skew(there), 6)
        low, high = fences(there)
        self.assertAlmostEqual(numbers["fences"]["low"], low, 6)
        self.assertAlmostEqual(numbers["fences"]["high"], high, 6)
        self.assertEqual(numbers["fences"]["below"], int((there < low - 1e-9).sum()))
        self.assertEqual(numbers["fences"]["above"], int((there > high + 1e-9).sum()))

    def test_what_a_choice_would_do_is_what_it_does(self):
        """Each option's figures by the definitions, and then the option chosen."""
        for name in ("monetary", "gap_mean"):
            values = self.of_table([name])[name]
            found = self.get(f"measure/{name}")
            for option in found["options"]:
                if option["steps"]["fill"] == "neighbours":
                    continue
                with self.subTest(name, step=option["step"], label=option["label"]):
                    self.foretells(option, values)
            for option in found["options"]:
                if option["label"] in ("2%", "at the fences", "robust", "median"):
                    with self.subTest(name, chosen=option["label"]):
                        self.chosen(name, option)

    def foretells(self, option, values):
        steps, touched = option["steps"], option["touched"]
        there = values[~np.isnan(values)]
        filled = {"median": np.median(there), "mode": stats.mode(there).mode}
        low, high = there.min(), there.max()
        if steps["fences"]:
            low, high = np.maximum(low, fences(there)[0]), np.minimum(high, fences(there)[1])
        elif steps["cap"]:
            low, high = np.percentile(there, [100 * steps["cap"], 100 - 100 * steps["cap"]])
        lacking = len(values) - len(there)
        fills = steps["fill"] in filled
        self.assertEqual(touched["filled"], lacking if fills else 0)
        self.assertEqual(touched["left_out"], 0 if fills else lacking)
        self.assertEqual(touched["raised"], int((there < low - 1e-9).sum()))
        self.assertEqual(touched["lowered"], int((there > high + 1e-9).sum()))
        if steps["scale"] == "rank":
            self.assertLess(abs(option["skew"]), 0.3)
            return
        # The constants are those of the values that are there; the filled ones are put in after.
        known = bent(np.clip(there, low, high), steps["transform"])
        after = scaled(known, steps["scale"])
        if fills:
            place = int(np.argmin(np.abs(there - filled[steps["fill"]])))
            if abs(there[place] - filled[steps["fill"]]) > 1e-12:
                return  # the median lies between two customers
            after = np.append(after, np.full(lacking, after[place]))
        self.assertAlmostEqual(option["low"], after.min(), 6)
        self.assertAlmostEqual(option["high"], after.max(), 6)
        self.assertAlmostEqual(option["skew"], stats.skew(after), 6)

    def chosen(self, name, option):
        self.send("put", f"measure/{name}", {"steps": option["steps"]})
        numbers = {t["name"]: t for t in self.get("measures")["threads"]}[name]["numbers"]
        self.assertEqual(numbers["steps"], option["steps"])
        self.assertEqual(numbers["touched"], option["touched"])
        self.assertAlmostEqual(numbers["prepared_skew"], option["skew"], 9)
        self.assertEqual([o["label"] for o in self.get(f"measure/{name}")["options"]
                          if o["chosen"] and o["step"] == option["step"]],
                         [option["label"]])  # fmt: skip
        self.send("put", f"measure/{name}", {"proposed": True})
        back = {t["name"]: t for t in self.get("measures")["threads"]}[name]["numbers"]
        self.assertEqual(back["steps"], back["proposed"])

    def test_the_window_s_money_balances_however_it_is_cut(self):
        for query, switches in (
            ({}, (True, False)), ({"to": "2025-12-31", "back": "3"}, (True,)),
            ({"to": "2026-05-31", "back": "2026-02-10"}, (False,)),
        ):  # fmt: skip
            for on in switches:
                self.send("put", "ledger/rules/returns", {"on": on})
                with self.subTest(query, returns_set_aside=on):
                    page = self.get("measures", **query)
                    balance = page["reconciliation"]
                    parts = ("table", "without_purchase", "without_customer")
                    self.assertEqual(balance["ledger"], sum(balance[part] for part in parts))
                    everyone = self.everyone("measure:monetary", **query)
                    spend = sum(money or 0.0 for (money,) in everyone.values())
                    self.assertAlmostEqual(spend, balance["table"] / 100, 4)
