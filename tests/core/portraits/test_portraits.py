"""Profiles against SciPy's tests and brute force; names in plain words, never two alike."""

import unittest
from collections import namedtuple

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from sortija.core.portraits.apart import sets_apart
from sortija.core.portraits.kernels import ranked
from sortija.core.portraits.naming import MOST_NAME, Trait, propose_names, short_form
from sortija.core.portraits.profile import category_profile, numeric_profile


class Numeric(unittest.TestCase):
    def test_f_and_eta_squared(self):
        rng = np.random.default_rng(1)
        groups = rng.integers(0, 4, 800)
        values = rng.normal(groups * 0.3, 1)
        values[:20] = np.nan
        outside = groups.copy()
        outside[-10:] = 5  # not in any segment
        got = numeric_profile(values, outside, 4)
        samples = [values[(outside == g) & ~np.isnan(values)] for g in range(4)]
        wanted = stats.f_oneway(*samples)
        self.assertAlmostEqual(got.f, wanted.statistic)
        self.assertAlmostEqual(got.p, wanted.pvalue)
        everyone = np.concatenate(samples)
        between = sum(len(s) * (s.mean() - everyone.mean()) ** 2 for s in samples)
        self.assertAlmostEqual(got.eta_squared, between / ((everyone - everyone.mean()) ** 2).sum())
        self.assertAlmostEqual(
            got.deviations[2], (samples[2].mean() - everyone.mean()) / everyone.std()
        )
        for g in range(4):
            self.assertEqual(got.medians[g], np.median(samples[g]))
            self.assertAlmostEqual(got.means[g], samples[g].mean())
            self.assertAlmostEqual(got.sds[g], samples[g].std(ddof=1))
            np.testing.assert_allclose(got.quarters[g], np.quantile(samples[g], (0.25, 0.5, 0.75)))
        self.assertAlmostEqual(got.everyone_sd, everyone.std())
        self.assertAlmostEqual(got.skew, stats.skew(everyone))
        np.testing.assert_allclose(got.quartiles, np.quantile(everyone, (0.25, 0.5, 0.75)))
        np.testing.assert_allclose(got.tails, np.quantile(everyone, (0.005, 0.02, 0.9, 0.995)))

    def test_ranks_of_parts_that_are_each_in_order(self):
        """The very values that one order of all has: ties, signs, empty parts, far apart."""
        rng = np.random.default_rng(8)
        for kind in range(6):
            sizes = rng.integers(0, 40, 5)
            sizes[rng.integers(5)] += 1
            values = [
                rng.normal(size=sizes.sum()), rng.integers(-3, 3, sizes.sum()).astype(float),
                10.0 ** rng.integers(-300, 300, sizes.sum()), np.full(sizes.sum(), 0.1),
                1e308 * rng.choice([-1, 1], sizes.sum()),
                -(10.0 ** rng.integers(-9, 9, sizes.sum())),
            ][kind]  # fmt: skip
            ends = np.cumsum(sizes)
            for part in np.split(values, ends[:-1]):
                part.sort()
            ranks = np.arange(len(values))
            found = ranked(values, ends, ranks)
            self.assertEqual(found.tolist(), np.sort(values).tolist())

    def test_nothing_and_constants(self):
        empty = numeric_profile(np.full(5, np.nan), np.zeros(5, int), 2)
        self.assertTrue(np.isnan(empty.eta_squared))
        flat = numeric_profile(np.full(6, 2.0), np.array([0, 0, 0, 1, 1, 1]), 2)
        self.assertEqual(flat.deviations.tolist(), [0, 0])
        tenths = numeric_profile(np.full(3, 0.1), np.zeros(3, int), 1)  # whose mean is not 0.1
        self.assertEqual((tenths.everyone_sd, tenths.skew), (0.0, 0.0))


class Categorical(unittest.TestCase):
    def test_against_scipy(self):
        rng = np.random.default_rng(2)
        groups = rng.integers(0, 3, 900)
        codes = np.where(rng.random(900) < 0.5, groups + 1, rng.integers(0, 4, 900))
        got = category_profile(codes, 3, groups, 3)
        table = np.array(
            [[((groups == g) & (codes == c)).sum() for c in range(4)] for g in range(3)]
        )
        wanted = stats.chi2_contingency(table, correction=False)
        self.assertAlmostEqual(got.chi_squared, wanted.statistic)
        self.assertAlmostEqual(got.p, wanted.pvalue)
        self.assertAlmostEqual(got.index[1, 2], 100 * got.shares[1, 2] / got.everyone[2])
        self.assertEqual(got.telling.tolist(), [1, 2, 3])
        n, phi = 900, wanted.statistic / 900
        less = max(0, phi - 6 / 899) / (min(3 - 4 / 899, 4 - 9 / 899) - 1)
        self.assertAlmostEqual(got.v, np.sqrt(less))
        self.assertEqual(n, table.sum())

    def test_by_chance_there_is_nothing(self):
        rng = np.random.default_rng(3)
        got = category_profile(rng.integers(1, 4, 5000), 3, rng.integers(0, 4, 5000), 4)
        self.assertLess(got.v, 0.03)


Row = namedtuple("Row", "name label unit profile")
WORDS = ["recency", "frequency", "monetary", "tenure", "breadth", "share_season_spring"]
TRAITS = st.builds(
    Trait, st.sampled_from(WORDS), st.floats(-3, 3), st.sampled_from(["spring, share", "visits"])
)


class Names(unittest.TestCase):
    @given(st.lists(st.lists(TRAITS, max_size=5), min_size=1, max_size=12))
    def test_never_two_alike_and_short_enough(self, segments):
        proposals = propose_names(segments)
        names, short = [p[0].name for p in proposals], [p[0].short for p in proposals]
        self.assertEqual(len(set(names)), len(segments))
        self.assertEqual(len(set(short)), len(segments))
        self.assertTrue(all(1 <= len(s) <= 12 for s in short))
        self.assertTrue(all(len(p) <= 3 and all(q.reason for q in p) for p in proposals))

    def test_words_and_reasons(self):
        silent = [
            Trait("recency", 2.1, "days since last visit"),
            Trait("frequency", -1.0, "visits"),
        ]
        [[first, *_]] = propose_names([silent])
        self.assertEqual((first.name, first.short), ("Long-silent visitors", "Long-silent"))
        self.assertEqual(
            first.reason,
            "from days since last visit 2.1 SD above everyone and visits 1.0 SD below everyone",
        )
        self.assertEqual(propose_names([[]])[0][0].name, "Like everyone")

    def test_names_are_true_in_themselves(self):
        """Under everyone's aisles is not a single one; who buys little of pots is not potless."""
        few = Trait("breadth", -1.5, "departments visited", value=7.0)
        one = Trait("breadth", -1.5, "departments visited", value=1.0)
        self.assertEqual(propose_names([[few]])[0][0].name, "Narrower customers")
        self.assertEqual(propose_names([[one]])[0][0].name, "Single-aisle customers")
        for name, deviation, value, word in (
            ("recency", 1.5, 30.0, "Less recent"), ("recency", 1.5, 200.0, "Long-silent"),
            ("tenure", -1.5, 900.0, "Newer"), ("tenure", -1.5, 90.0, "New"),
            ("trend", -1.5, 0.2, "Less growing"), ("trend", -1.5, -0.4, "Fading"),
            ("weekend", 1.5, 0.3, "More weekend"), ("weekend", 1.5, 0.8, "Weekend"),
            ("share_department_pots", 1.5, 0.2, "More pots"),
            ("share_department_pots", 1.5, 0.7, "Pots"),
            ("share_department_pots", -1.5, 0.2, "Less pots"),
            ("share_department_pots", -1.5, 0.0, "Little-pots"),
        ):  # fmt: skip
            words = "Pots, share" if name.startswith("share") else name
            [[first, *_]] = propose_names([[Trait(name, deviation, words, value=value)]])
            self.assertTrue(first.name.startswith(f"{word} "), (first.name, word))
        # The word for people claims nothing either that is not so.
        both = [Trait("monetary", 2.0, "spend", value=900.0),
                Trait("recency", 1.0, "days since last visit", value=20.0)]  # fmt: skip
        self.assertNotIn("sleepers", " ".join(p.name for p in propose_names([both])[0]))

    def test_a_value_that_hardly_any_member_has_is_not_telling(self):
        # Level 3 is twice as common here as elsewhere, and still next to nobody's.
        groups = np.repeat([0, 1], [1000, 9000])
        codes = np.concatenate([
            np.repeat([1, 2, 3], [480, 500, 20]), np.repeat([1, 2, 3], [4400, 4600 - 90, 90]),
        ])  # fmt: skip
        got = category_profile(codes, 3, groups, 2)
        self.assertNotEqual(got.telling[0], 3)
        # Where nobody has any level much, the one that stands out most is told all the same.
        many = category_profile(np.arange(4000) % 40 + 1, 40, np.arange(4000) % 2, 2)
        self.assertTrue((many.telling > 0).all())

    def test_a_table_of_ten_with_three_numbers_has_true_names(self):
        """Whatever the numbers: a name says no more than that a mean and a median are higher."""
        labels, plain = ("Age", "VAT paid", "Household income of the year before the last"), 0
        for seed in range(60):
            rng = np.random.default_rng(seed)
            groups = rng.permutation(np.arange(10) % 3)
            table = rng.lognormal(groups[:, None] * rng.normal(0, 1, 3), 0.6, (10, 3))
            rows = [Row(f"trait:{n}", label, "", numeric_profile(table[:, n], groups, 3))
                    for n, label in enumerate(labels)]  # fmt: skip
            names = propose_names(sets_apart(rows, [], 3))
            self.assertEqual(len({p[0].name for p in names}), 3)
            for g, proposals in enumerate(names):
                for proposal in proposals:
                    self.assertLessEqual(len(proposal.name), MOST_NAME)
                    for words in proposal.name.split(", "):
                        side, _, what = words.lower().partition(" ")
                        if side not in ("higher", "lower"):
                            self.assertTrue(words.startswith("Like everyone"), words)
                            continue
                        plain += 1
                        stem = what.rstrip("…").rstrip(" 0123456789")
                        row = next(r for r in rows if r.label.lower().startswith(stem))
                        way = 1 if side == "higher" else -1
                        above = row.profile.means[g] - row.profile.everyone_mean
                        middle = row.profile.medians[g] - row.profile.quartiles[1]
                        self.assertGreater(way * above, 0)
                        self.assertGreaterEqual(way * middle, 0)
        self.assertGreater(plain, 200)

    def test_short_forms(self):
        self.assertEqual(short_form("Spring stockers"), "Spring")
        self.assertEqual(short_form("Unbelievablylongword"), "Unbelievably")
        self.assertEqual(short_form("Lower age, higher VAT"), "Lower age")
        self.assertEqual(short_form("Spring stockers", ["Spring"]), "stockers")


if __name__ == "__main__":
    unittest.main()
