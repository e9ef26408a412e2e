"""k-means and k-prototypes against SciPy, brute force and the properties of the definition."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.cluster.vq import kmeans2

from sortija.core.engine import CHUNK, Engine
from sortija.core.groups import lloyd as lloyd_module
from sortija.core.groups.lloyd import Centres, lloyd, nearest_centres, tidy
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.groups.seeding import seed_centres
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table
from tests.core.groups.support import brute_force, centres_of, rows_of

SEEDS = st.integers(0, 2**32 - 1)


def cloud(seed, m=300, d=3, q=0, k=4):
    rng = np.random.default_rng(seed)
    middle = rng.normal(0, 4, (k, d))
    who = rng.integers(0, k, m)
    numbers = middle[who] + rng.normal(0, 1, (m, d))
    codes = np.where(rng.random((m, q)) < 0.7, who[:, None] % 3 + 1, rng.integers(1, 4, (m, q)))
    return rows_of(numbers, codes, [0.8] * q), rng


class AgainstSciPy(unittest.TestCase):
    def test_same_starts_same_groups(self):
        for seed in range(8):
            rows, rng = cloud(seed, m=2000, d=5)
            start = rows.numbers.T[rng.choice(2000, 6, replace=False)]
            fit = lloyd(rows, centres_of(start))
            centres, labels = kmeans2(rows.numbers.T.copy(), start.copy(), iter=200, minit="matrix")
            cost = ((rows.numbers.T - centres[labels]) ** 2).sum()
            self.assertTrue(fit.settled)
            self.assertLess(abs(fit.cost - cost) / cost, 1e-5)
            self.assertGreater((fit.labels == labels).mean(), 0.999)


class LeavingOut(unittest.TestCase):
    """Passes that leave rows out give what passes over all rows give, to the bit."""

    def alike(self, rows, start, most_passes=300):
        engine = Engine(2)
        self.addCleanup(engine.release)
        with mock.patch.object(lloyd_module, "CHANGING", -1.0):
            whole = lloyd(rows, start, engine, most_passes)
        for few in (0.0, 1.0):  # each pass by all threads, or by one
            with mock.patch.multiple(lloyd_module, CHANGING=1.0, FEW=few):
                found = lloyd(rows, start, engine, most_passes)
            np.testing.assert_array_equal(found.labels, whole.labels)
            np.testing.assert_array_equal(found.centres.numbers, whole.centres.numbers)
            np.testing.assert_array_equal(found.centres.modes, whole.centres.modes)
            self.assertEqual(found.counts.tolist(), whole.counts.tolist())
            self.assertEqual((found.cost, found.passes, found.settled),
                             (whole.cost, whole.passes, whole.settled))  # fmt: skip
        return whole

    def test_clouds(self):
        passes = []
        for seed, (d, q, k) in enumerate([(1, 0, 3), (2, 0, 5), (8, 0, 6), (9, 2, 4), (0, 3, 5)]):
            rows, _ = cloud(seed, m=2 * CHUNK + 77, d=d, q=q, k=k)
            with self.subTest(d=d, q=q, k=k):
                first = centres_of(rows.numbers[:, :k].T, rows.codes[:, :k].T)  # a poor start
                passes.append(self.alike(rows, first).passes)
        self.assertGreater(min(passes), 2)
        self.assertGreater(max(passes), 9)

    def test_rows_as_near_to_two_centres(self):
        rng = np.random.default_rng(3)
        grid = rng.integers(0, 6, (CHUNK + 5_000, 2))
        rows = rows_of(grid, rng.integers(1, 3, (len(grid), 1)), [1.0])
        self.alike(
            rows, centres_of([[0, 0], [0, 0], [2, 2], [4, 2], [5, 5]], [[1], [2], [1], [1], [2]])
        )

    def test_far_out_and_hardly_apart(self):
        rng = np.random.default_rng(4)
        numbers = 1e5 + rng.normal(0, 0.05, (CHUNK + 9_000, 3))  # as coarse as float32 is there
        numbers[::5_000] *= 50
        rows = rows_of(numbers)
        self.alike(rows, centres_of(numbers[[0, 1, 2, 7]]))

    def test_an_emptied_group_starts_anew(self):
        rng = np.random.default_rng(5)
        numbers = rng.normal(0, 1, (CHUNK + 1_000, 2))
        fit = self.alike(rows_of(numbers), centres_of([[0, 0], [0.5, 0], [90, 90], [0, 0.5]]))
        self.assertGreater(fit.counts.min(), 0)

    def test_one_group_and_cut_off_passes(self):
        rows, rng = cloud(6, m=CHUNK + 10, d=3)
        self.alike(rows, seed_centres(rows, 1, rng))
        for most in (1, 2, 5):
            self.alike(rows, seed_centres(rows, 5, np.random.default_rng(7)), most)

    def test_most_rows_are_left_out_in_the_end(self):
        rows, _ = cloud(8, m=CHUNK * 2, d=4)
        chunks = lloyd_module._Chunks(rows, 4, Engine(1))
        centres = centres_of(rows.numbers.T[:4])
        for _ in range(12):
            done = chunks.step(centres)
            centres = lloyd_module._moved(done, centres)
        chunks.step_bounded(centres, centres, False)
        untouched = rows.numbers.copy()
        rows.numbers[:] = np.nan  # whoever is looked at now is lost
        done = chunks.step_bounded(centres, centres, True)
        self.assertLess(done.changed, 0.02 * len(rows))
        rows.numbers[:] = untouched


class AgainstBruteForce(unittest.TestCase):
    @settings(max_examples=40)
    @given(SEEDS, st.integers(0, 3))
    def test_every_row_is_with_its_nearest_centre(self, seed, q):
        rows, rng = cloud(seed, q=q)
        fit = lloyd(rows, seed_centres(rows, 4, rng))
        distance = brute_force(rows, fit.centres)
        own = distance[np.arange(len(rows)), fit.labels]
        self.assertTrue((own <= distance.min(axis=1) + 1e-3).all())
        self.assertAlmostEqual(fit.cost, own.sum(), delta=1e-3 * own.sum())
        self.assertEqual(fit.counts.tolist(), np.bincount(fit.labels, minlength=4).tolist())

    @settings(max_examples=40)
    @given(SEEDS)
    def test_centres_are_means_and_modes(self, seed):
        rows, rng = cloud(seed, q=2)
        fit = lloyd(rows, seed_centres(rows, 3, rng))
        for group in range(3):
            mine = fit.labels == group
            np.testing.assert_allclose(
                fit.centres.numbers[group], rows.numbers[:, mine].mean(axis=1), atol=1e-4
            )
            for a in range(2):
                counts = np.bincount(rows.codes[a, mine])
                self.assertEqual(counts[fit.centres.modes[group, a]], counts.max())

    def test_margins_from_the_definition(self):
        rows, rng = cloud(5, q=2)
        centres = lloyd(rows, seed_centres(rows, 4, rng)).centres
        placed = nearest_centres(rows, centres)
        distance = brute_force(rows, centres)
        middle = rows_of(centres.numbers, centres.modes, [0.8] * 2)
        apart = brute_force(middle, centres)
        for row in range(len(rows)):
            own = int(distance[row].argmin())
            others = {
                s: (distance[row, s] - distance[row, own]) / apart[s, own]
                for s in range(4) if s != own
            }  # fmt: skip
            self.assertEqual(placed.labels[row], own)
            self.assertAlmostEqual(placed.margin[row], min(others.values()), places=3)
            self.assertAlmostEqual(others[int(placed.rival[row])], min(others.values()), places=3)
        at_centres = nearest_centres(middle, centres)
        np.testing.assert_allclose(at_centres.margin, 1.0, atol=1e-4)


class Properties(unittest.TestCase):
    """From given starts, as the definition has it."""

    @settings(max_examples=30)
    @given(SEEDS)
    def test_permuting_rows(self, seed):
        rows, rng = cloud(seed, q=1)
        start = seed_centres(rows, 3, rng)
        order = rng.permutation(len(rows))
        fit, other = lloyd(rows, start), lloyd(rows.take(order), start)
        np.testing.assert_array_equal(fit.labels[order], other.labels)

    @settings(max_examples=30)
    @given(SEEDS)
    def test_duplicating_every_row_doubles_the_cost(self, seed):
        rows, rng = cloud(seed, q=1)
        start = seed_centres(rows, 3, rng)
        twice = rows.take(np.repeat(np.arange(len(rows)), 2))
        fit, other = lloyd(rows, start), lloyd(twice, start)
        np.testing.assert_array_equal(np.repeat(fit.labels, 2), other.labels)
        self.assertAlmostEqual(other.cost, 2 * fit.cost, delta=1e-6 * fit.cost)

    @settings(max_examples=30)
    @given(SEEDS)
    def test_relabelling_categories(self, seed):
        rows, rng = cloud(seed, q=1)
        start = seed_centres(rows, 3, rng)
        names = np.array([0, 3, 1, 2], np.uint8)
        renamed = rows_of(rows.numbers.T, names[rows.codes.T], [0.8])
        fit = lloyd(rows, start)
        other = lloyd(renamed, Centres(start.numbers, names[start.modes]))
        # Ties between modes go to the lowest code, which renaming may change; costs do not.
        if (fit.labels == other.labels).all():
            self.assertAlmostEqual(fit.cost, other.cost, delta=1e-6 * fit.cost)
        self.assertLess(abs(fit.cost - other.cost) / fit.cost, 0.2)

    @settings(max_examples=20)
    @given(SEEDS, st.floats(0.01, 100))
    def test_without_scaling_a_column_times_s_with_weight_by_s_squared(self, seed, s):
        rng = np.random.default_rng(seed)
        x, y = rng.normal(size=200), rng.normal(3, 2, 200)
        none = {"x": Steps(scale="none"), "y": Steps(scale="none")}
        fits = []
        for factor in (1.0, s):
            table = Table((Column("x", "number", x * factor), Column("y", "number", y)))
            recipe = Recipe(none, weights={"x": 1 / factor**2}, method="k-means")
            rows = prepare(table, recipe)
            fits.append(lloyd(rows, centres_of(rows.numbers[:, :3].T)))
        np.testing.assert_array_equal(fits[0].labels, fits[1].labels)
        self.assertAlmostEqual(fits[0].cost, fits[1].cost, delta=1e-4 * fits[0].cost)

    @settings(max_examples=20)
    @given(SEEDS)
    def test_a_constant_column_changes_nothing(self, seed):
        rows, rng = cloud(seed)
        start = seed_centres(rows, 3, rng)
        wider = rows_of(np.c_[rows.numbers.T, np.full(len(rows), 7.0)])
        other = lloyd(wider, centres_of(np.c_[start.numbers, np.full(3, 7.0)]))
        np.testing.assert_array_equal(lloyd(rows, start).labels, other.labels)

    def test_same_bits_on_1_2_and_8_threads(self):
        rng = np.random.default_rng(4)
        rows = rows_of(rng.normal(size=(300_000, 4)), rng.integers(1, 4, (300_000, 2)), [0.5, 0.7])
        start = seed_centres(rows, 5, np.random.default_rng(1))
        fits = []
        for threads in (1, 2, 8):
            engine = Engine(threads)
            fits.append(lloyd(rows, start, engine, most_passes=12))
            engine.release()
        for fit in fits[1:]:
            self.assertEqual(fit.cost, fits[0].cost)
            np.testing.assert_array_equal(fit.labels, fits[0].labels)
            np.testing.assert_array_equal(fit.centres.numbers, fits[0].centres.numbers)

    def test_an_emptied_group_starts_again_at_the_farthest_point(self):
        rows = rows_of([[0.0], [0.1], [0.2], [10.0], [50.0]])
        fit = lloyd(rows, centres_of([[0.1], [30.0], [900.0]]))
        self.assertTrue((fit.counts > 0).all())
        self.assertEqual(len({int(fit.labels[i]) for i in (0, 3, 4)}), 3)
        alike = lloyd(rows_of([[1.0]] * 4), centres_of([[1.0], [9.0]]))
        self.assertEqual(alike.counts.tolist(), [4, 0])

    def test_ties_go_to_the_lowest_number(self):
        fit = lloyd(rows_of([[0.0], [2.0], [1.0]]), centres_of([[0.0], [2.0]]), most_passes=1)
        self.assertEqual(fit.labels.tolist(), [0, 1, 0])

    def test_tidy_numbers_groups_by_size(self):
        rows, rng = cloud(9, q=1)
        fit = lloyd(rows, seed_centres(rows, 4, rng))
        neat = tidy(fit)
        self.assertEqual(neat.counts.tolist(), sorted(fit.counts.tolist(), reverse=True))
        np.testing.assert_array_equal(nearest_centres(rows, neat.centres).labels, neat.labels)

    def test_seeding_spreads_and_refuses_too_few(self):
        rows = rows_of([[0.0]] * 50 + [[100.0]] * 50)
        for seed in range(20):
            picks = seed_centres(rows, 2, np.random.default_rng(seed)).numbers.ravel()
            self.assertEqual(sorted(picks.tolist()), [0.0, 100.0])
        self.assertEqual(len(seed_centres(rows_of([[1.0]] * 3), 3, np.random.default_rng(0))), 3)
        with self.assertRaisesRegex(ValueError, "cannot make 4 groups"):
            seed_centres(rows_of([[1.0]] * 3), 4, np.random.default_rng(0))


if __name__ == "__main__":
    unittest.main()
