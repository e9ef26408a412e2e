"""Every figure of the sheet again, from the columns behind it and SciPy's textbook tests."""

from unittest import mock

import numpy as np
from scipy import stats

from sortija.core.groups.assignment import BORDER
from sortija.server.groups.models import Yardstick
from sortija.server.ledger.customers.traits import trait_column, traits_of
from sortija.server.measures import derivation
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.trail import default_window
from tests.server.support import DemoCase, run_jobs


class Sheet(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        self.adopt(4)
        self.page = self.get("portraits")
        self.made = measures_or_job(self.study, default_window(self.study))
        self.state = self.placed("placed").astype(int) - 1

    def placed(self, what):
        """A kept column of the placement at the window in view."""
        name = f"{what}:{Yardstick.objects.get().pk}"
        row = models.Column.objects.filter(name=name, window=self.made.window.key).last()
        return np.asarray(read_column(row).values)

    def test_every_figure_again(self):
        self.p = {}
        self.check_measures()
        self.check_axes()
        self.check_categories()
        self.check_heads()
        self.check_p()

    def check_p(self):
        """By Holm over all rows that did not shape the groups; the others have none."""
        rising = sorted(self.p.values())
        for row in [*self.page["numeric"], *self.page["categories"]]:
            if row["name"] in self.p:
                upto = [p for p in rising if p <= self.p[row["name"]]]
                wanted = min(1, max((len(rising) - n) * p for n, p in enumerate(upto)))
                self.assertAlmostEqual(row["p"], wanted)
            else:
                self.assertIsNone(row["p"])

    def parts(self, name):
        """A measure's values, segment by segment."""
        values = np.asarray(self.made.column(name).values)
        return [values[(self.state == g) & ~np.isnan(values)] for g in range(4)]

    def check_measures(self):
        self.assertGreater(len(self.page["numeric"]), 10)
        for row in self.page["numeric"]:
            parts = self.parts(row["name"])
            everyone = np.concatenate(parts)
            if len(everyone) == 0 or everyone.std() == 0:
                self.assertFalse(any(row["deviations"]))
                continue
            with self.subTest(row["name"]):
                self.assertAlmostEqual(row["everyone"], everyone.mean())
                np.testing.assert_allclose(row["means"], [part.mean() for part in parts])
                np.testing.assert_allclose(row["medians"], [np.median(part) for part in parts])
                away = (np.array(row["means"]) - everyone.mean()) / everyone.std()
                np.testing.assert_allclose(row["deviations"], away, atol=1e-9)
                between = sum(len(p) * (p.mean() - everyone.mean()) ** 2 for p in parts)
                share = between / ((everyone - everyone.mean()) ** 2).sum()
                self.assertAlmostEqual(row["eta_squared"], share)
                if not row["shaped"]:
                    self.p[row["name"]] = stats.f_oneway(*parts).pvalue
                for n, part in enumerate(parts):
                    around = stats.ttest_1samp(part, 0).confidence_interval(0.95)
                    half = (around.high - around.low) / 2
                    np.testing.assert_allclose(row["half_widths"][n], half, atol=1e-9)
                    lower, upper = np.quantile(part, (0.25, 0.75))
                    np.testing.assert_allclose(
                        [row["lower"][n], row["upper"][n]], [lower, upper], atol=1e-9
                    )
                self.assertEqual(row["counts"], [len(part) for part in parts])
                self.assertEqual(row["missing"], int((self.state < 4).sum()) - len(everyone))
                if row["name"] == "monetary":
                    sums = [part.sum() / everyone.sum() for part in parts]
                    np.testing.assert_allclose(row["totals"], sums)

    def check_axes(self):
        for row in self.page["numeric"]:
            inside = [(m, p) for m, p in zip(row["means"], row["places"], strict=True) if p]
            self.assertEqual(sorted(inside), sorted(inside, key=lambda pair: pair[1]))
            for mean, place in inside:
                low, high, at = row["low"], row["high"], mean
                if row["log"]:
                    low, high, at = (np.sign(v) * np.log1p(abs(v)) for v in (low, high, at))
                self.assertAlmostEqual(place, min(1, max(0, (at - low) / (high - low))))
        self.assertEqual({row["log"] for row in self.page["numeric"]}, {True, False})

    def check_categories(self):
        traits = {f"trait:{t.name}": t for t in traits_of(self.study, self.made.window.to)}
        self.assertGreater(len(self.page["categories"]), 2)
        for row in self.page["categories"]:
            column = trait_column(self.study, traits[row["name"]], self.made.size)
            inside = self.state < 4
            codes, groups = np.asarray(column.values)[inside], self.state[inside]
            table = np.array([
                [np.sum((groups == g) & (codes == level)) for level in range(len(row["levels"]))]
                for g in range(4)
            ])  # fmt: skip
            with self.subTest(row["name"]):
                self.assertEqual(row["levels"], ["not given", *column.levels])
                np.testing.assert_allclose(row["everyone"], table.sum(0) / table.sum())
                shares = table / table.sum(1, keepdims=True)
                np.testing.assert_allclose(row["shares"], shares)
                self.assertEqual(row["counts"], table.tolist())
                for g, level in ((0, 1), (3, len(row["levels"]) - 1)):
                    wilson = stats.binomtest(int(table[g, level]), int(table[g].sum()))
                    around = wilson.proportion_ci(method="wilson")
                    self.assertAlmostEqual(row["lows"][g][level], around.low)
                    self.assertAlmostEqual(row["highs"][g][level], around.high)
                for g, level in enumerate(row["telling"]):
                    ahead = shares[g] - row["everyone"]
                    # Of values that a tenth of the members have, the one most above everyone.
                    had = np.flatnonzero(shares[g] >= 0.1)
                    had = had[had > 0] if (had > 0).any() else np.arange(1, len(ahead))
                    self.assertEqual(ahead[level], ahead[had].max())
                    self.assertAlmostEqual(
                        row["index"][g], 100 * shares[g, level] / row["everyone"][level]
                    )
                if not row["shaped"]:
                    used = table[:, table.sum(0) > 0]
                    self.p[row["name"]] = stats.chi2_contingency(used, correction=False).pvalue

    def check_heads(self):
        distance, towards = self.placed("distance"), self.placed("rival").astype(int) - 1
        margin = self.placed("margin")
        cards = self.made.called(list(range(self.made.size)))
        for g, head in enumerate(self.page["segments"]):
            mine = np.flatnonzero(self.state == g)
            self.assertEqual(head["customers"], len(mine))
            self.assertEqual(head["money"], int(self.made.money[mine].sum()))
            nearest = sorted(mine, key=lambda n: (distance[n], n))[:3]
            self.assertEqual([t["card"] for t in head["typical"]], [cards[n] for n in nearest])
            names = [row["name"] for row in self.page["numeric"]]
            for typical, n in zip(head["typical"], nearest, strict=True):
                recency = typical["values"][names.index("recency")]
                self.assertEqual(recency, self.made.column("recency").values[n])
            hair = mine[margin[mine] < BORDER]
            rivals = np.bincount(towards[hair], minlength=4)
            self.assertEqual(head["border"], len(hair))
            self.assertEqual(head["border_towards_customers"], rivals.max())
            if len(hair):
                self.assertEqual(rivals[head["border_towards"] - 1], rivals.max())
                self.assertNotEqual(head["border_towards"] - 1, g)
        self.assertGreater(sum(head["border"] for head in self.page["segments"]), 0)
        for place, word in enumerate(("not yet", "left", "unplaced")):
            count = np.sum((self.state == 4 + place) & self.made.known)
            self.assertEqual(self.page["outside"][word], count)

    def test_a_job_that_makes_measures_places_everybody_too(self):
        """So that nobody waits for it who looks at the date."""
        with mock.patch.object(derivation, "INLINE_LINES", 0):
            self.assertEqual(self.get("portraits", to="2026-03-31")["status"]["state"], "working")
            run_jobs()
        there = models.Column.objects.filter(window__startswith="2026-03-31")
        names = set(there.values_list("name", flat=True))
        self.assertLessEqual({"recency", f"placed:{Yardstick.objects.get().pk}"}, names)

    def own(self, formula):
        """The study's own measure, made or made anew by this formula; its row of the sheet."""
        body = {"label": "Spend a visit", "formula": formula}
        rows = self.get("portraits")["numeric"]
        there = [row["name"] for row in rows if row["label"] == body["label"]]
        if there:
            self.send("put", f"own-measures/{there[0]}", body)
        else:
            self.send("post", "own-measures", body, 201)
        rows = self.get("portraits")["numeric"]
        return next(row for row in rows if row["label"] == body["label"])

    def test_another_formula_or_a_corrected_trait_shows_at_once(self):
        once = self.own("monetary / frequency")
        twice = self.own("2 * monetary / frequency")
        np.testing.assert_allclose(twice["means"], 2 * np.array(once["means"]))
        self.assertEqual(self.own("monetary / frequency"), once)

        def gardens():
            found = self.get("portraits")["categories"]
            return next(row for row in found if row["name"] == "trait:garden")

        before = gardens()
        first = self.get("customers")
        body = {"trait": "garden", "value": "moon"}
        self.assertNotIn("moon", before["levels"])
        self.send("post", f"customer/{first['numbers'][0]}/trait", body, 204)
        self.assertIn("moon", gardens()["levels"])

    def test_another_date_places_by_the_same_yardstick(self):
        other = self.get("portraits", to="2026-03-31")
        self.assertFalse(other["at_home"])
        self.assertTrue(self.page["at_home"])
        self.assertEqual(
            [s["name"] for s in other["segments"]], [s["name"] for s in self.page["segments"]]
        )
        self.assertNotEqual(
            [s["customers"] for s in other["segments"]],
            [s["customers"] for s in self.page["segments"]],
        )
        crossings = self.get("crossings", by="quarter")
        before = next(d for d in crossings["dates"] if d["to"] == "2026-03-31")
        self.assertEqual([s["customers"] for s in other["segments"]], before["counts"][:4])
