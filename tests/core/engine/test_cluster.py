"""A cluster gives what threads give, to the bit, whatever becomes of its processes."""

from __future__ import annotations

import os
import threading
import time
import unittest
from dataclasses import fields, is_dataclass
from pathlib import Path
from unittest import mock

import numpy as np

from sortija.core.crossings.chance import chance_of
from sortija.core.crossings.redrawn import Inputs
from sortija.core.crossings.steadiness import steadiness_of
from sortija.core.crossings.yardsticks import ByCentres
from sortija.core.engine import CHUNK, ClusterError, Engine, Parts, chunk_bounds, engine_at
from sortija.core.engine import cluster as cluster_engine
from sortija.core.engine.cluster import Cluster
from sortija.core.groups.assignment import place
from sortija.core.groups.components import components_of
from sortija.core.groups.grouping import group
from sortija.core.groups.linkages import link
from sortija.core.groups.medoids import distance_matrix
from sortija.core.groups.neighbourhood import neighbourhood_of
from sortija.core.groups.null_models import gap_statistic, null_figures
from sortija.core.groups.recipe import Prepared, Recipe, prepare
from sortija.core.groups.sweep import sweep
from sortija.core.ledger.summaries import balance, visits
from sortija.core.lens.bins import bin_column
from sortija.core.lens.clauses import Clause
from sortija.core.lens.drawing import Chart, draw
from sortija.core.lens.evaluate import select
from sortija.core.measures.association import alike
from sortija.core.measures.derive import derive_series
from sortija.core.measures.describe import Axis
from sortija.core.measures.expected import expected_visits, fit_expected, rhythm_of
from sortija.core.measures.formula import evaluate, parse
from sortija.core.measures.formula.units import PLAIN
from sortija.core.measures.heldout import check_expected
from sortija.core.measures.preparation import Steps
from sortija.core.portraits.multiples import multiples
from sortija.core.portraits.rules import retell, steadiness
from sortija.core.progress import Stopped
from sortija.core.table import Column, Table
from tests.clusters import Processes
from tests.core.crossings.worlds import AFTER, BEFORE, MASK, SHAPING, grouping, log_of, world

ROWS = 2 * CHUNK + 1_000


def setUpModule():
    unittest.enterModuleContext(mock.patch.object(cluster_engine, "HERE_FIRST", 0.0))


def flat(found):
    """Everything that a result holds, arrays as their bytes."""
    if isinstance(found, np.ndarray):
        return found.dtype.str, found.shape, found.tobytes()
    if is_dataclass(found):
        return type(found).__name__, [flat(getattr(found, each.name)) for each in fields(found)]
    if isinstance(found, dict):
        return [(key, flat(value)) for key, value in found.items()]
    if isinstance(found, list | tuple):
        return [flat(each) for each in found]
    if isinstance(found, float):
        return np.float64(found).tobytes()
    return found if not callable(found) else None


def many_rows(categories=True):
    """More rows than two chunks hold: three clusters in three numbers, one category."""
    rng = np.random.default_rng(4)
    own = rng.integers(0, 3, ROWS)
    columns = [
        Column("x", "number", rng.normal(own * 3.0, 1.0)),
        Column("y", "number", rng.normal((own == 1) * 4.0, 1.0)),
        Column("z", "number", rng.gamma(2.0, 10.0, ROWS)),
    ]
    if categories:
        column = np.where(rng.random(ROWS) < 0.8, own + 1, 1).astype(np.int32)
        columns.append(Column("c", "category", column, "", ("a", "b", "d")))
    return Table(tuple(columns))


def recipe_of(table, **more):
    numeric = {c.name: Steps() for c in table if c.kind == "number"}
    categories = tuple(c.name for c in table if c.kind == "category")
    return Recipe(numeric, categories=categories, **more)


def many_customers():
    """A log of more customers than two chunks hold."""
    rng = np.random.default_rng(6)
    customer = rng.integers(0, ROWS, 4 * ROWS).astype(np.int32)
    day = rng.integers(19_600, 20_634, 4 * ROWS).astype(np.int32)
    return log_of(customer, day, rng.integers(100, 9_000, 4 * ROWS), ROWS)


class Same(unittest.TestCase):
    """Every heavy step, on threads and on 1, 2 and 4 workers."""

    #: Made of the same steps as others, hundreds of times: on 4 workers only.
    LONG = ("of_held_out",)

    @classmethod
    def setUpClass(cls):
        cls.table, cls.log = many_rows(), many_customers()
        cls.rows = prepare(cls.table, recipe_of(cls.table))
        cls.few = prepare(cls.table.taken(np.arange(900)), recipe_of(cls.table))
        cls.year = world(9_000, 5, 3)  # more customers than a block of a draw
        cls.names = sorted(n for n in dir(cls) if n.startswith("of_"))
        threads = Engine(2)
        cls.plain = {name: flat(getattr(cls, name)(threads)) for name in cls.names}
        threads.release()

    def test_bits(self):
        cluster = Processes(1)
        self.addCleanup(cluster.end)
        # The same engine all along: what is written to arrays that stay with workers shows.
        engine = Cluster(cluster.address)
        self.addCleanup(engine.release)
        for more in (0, 1, 2):
            if more:
                cluster.grow(more)
            for name in self.names:
                if name in self.LONG and more != 2:
                    continue
                with self.subTest(name, workers=len(cluster.workers)):
                    self.assertEqual(flat(getattr(self, name)(engine)), self.plain[name])

    @classmethod
    def of_derive(cls, engine):
        joined = np.where(np.arange(ROWS) % 3, np.nan, 19_500.0)
        return derive_series(cls.log, [BEFORE, AFTER], MASK, 2, None, joined, engine)

    @classmethod
    def of_ledger(cls, engine):
        return visits(cls.log, MASK, engine), balance(cls.log, MASK, 19_700, 20_400, engine)

    @classmethod
    def of_expected(cls, engine):
        found = rhythm_of(cls.log, MASK, 20_600, engine)
        model = fit_expected(found, engine)
        return found, model, expected_visits(model, found, 13.0, engine)

    @classmethod
    def of_held_out(cls, engine):
        return check_expected(cls.log, MASK, AFTER.last_day, 19_600, engine)

    @classmethod
    def of_formula(cls, engine):
        columns = {c.name: np.asarray(c.values) for c in cls.table if c.kind == "number"}
        return evaluate(parse("log(z) + x / y", dict.fromkeys(columns, PLAIN)), columns, engine)

    @classmethod
    def of_alike(cls, engine):
        return alike(tuple(cls.table), rank=True, engine=engine)

    @classmethod
    def of_lens(cls, engine):
        known, money = np.arange(ROWS) % 11 > 0, np.arange(ROWS)
        clauses = [
            Clause("m:x", ranges=((0.0, 4.0),)),
            Clause("m:c", values=("a", "b"), negated=True),
        ]
        columns = {(f"m:{c.name}", ""): c for c in cls.table}
        found = select(clauses, columns, known, money, engine)
        return found, draw(found, [Chart(f"m:{c.name}", bin_column(c)) for c in cls.table], engine)

    @classmethod
    def of_group(cls, engine):
        return group(cls.rows, 4, recipe_of(cls.table, starts=4), engine)

    @classmethod
    def of_sweep(cls, engine):
        return list(sweep(cls.rows, [1, 2, 3], recipe_of(cls.table, starts=3), engine))

    @classmethod
    def of_methods(cls, engine):
        apart = recipe_of(cls.table, distance="gower", method="k-medoids", starts=3)
        gower = prepare(cls.table.taken(np.arange(600)), apart)
        tree = link(cls.few, "average", engine)
        return group(gower, 3, apart, engine), distance_matrix(cls.few, engine), tree

    @classmethod
    def of_nulls(cls, engine):
        recipe = recipe_of(cls.table, starts=2)
        own = ([0.3, 0.3], [0.1, 0.1])
        return (
            null_figures(cls.few, [2, 3], recipe, engine, own=own),
            gap_statistic(cls.few, [1, 2, 3], recipe, engine),
        )

    @classmethod
    def of_place(cls, engine):
        fit = group(cls.few, 3, recipe_of(cls.table))
        there = np.ones(ROWS, np.bool_)
        return place(cls.table, cls.few.preparation, fit.centres, there, there, engine)

    @classmethod
    def of_maps(cls, engine):
        found = components_of(cls.rows, 3, engine)
        some = Prepared(
            cls.rows.preparation, cls.rows.numbers[:, :21_000].copy(),
            cls.rows.codes[:, :21_000].copy(), np.arange(21_000),
        )  # fmt: skip
        return found, found.scores(cls.rows, engine), neighbourhood_of(some, 5, engine)

    @classmethod
    def of_portraits(cls, engine):
        groups = (np.asarray(cls.table["x"].values) > 2).astype(np.int32)
        columns, x, y = list(cls.table)[1:], cls.table["y"].values, cls.table["z"].values
        axes = Axis(-4.0, 8.0, False), Axis(0.0, 90.0, False)
        return (
            retell(columns, groups, 2, engine=engine), steadiness(columns, groups, 2, 5, engine),
            multiples(np.asarray(x), np.asarray(y), groups, 2, axes, engine=engine),
        )  # fmt: skip

    @classmethod
    def of_crossings(cls, engine):
        by = ByCentres(*grouping(cls.year, 3))
        inputs = Inputs(cls.year.log, BEFORE, AFTER, MASK, 2, frozenset((*SHAPING, "silence")))
        return chance_of(inputs, by, 6, engine=engine), steadiness_of(
            inputs, [by], 3, engine=engine
        )


def slow(item):
    time.sleep(0.3)
    return item * item


class Lost(unittest.TestCase):
    """Processes that go in the middle."""

    def setUp(self):
        self.cluster = Processes(2)
        self.addCleanup(self.cluster.end)
        self.told = []
        self.engine = Cluster(self.cluster.address, lambda *words: self.told.append(words))
        self.addCleanup(self.engine.release)

    def test_a_killed_worker_changes_nothing_but_the_time(self):
        values, out = np.arange(400_000.0), np.zeros(400_000)
        bounds = chunk_bounds(400_000)

        def add(here):
            time.sleep(0.3)
            out[slice(*here)] += values[slice(*here)] + values.sum()
            return here

        timer = threading.Timer(0.6, self.cluster.kill_worker)
        timer.start()
        found = self.engine.map(
            add, bounds,
            lambda here: Parts([(values, slice(*here))], changes=[(out, slice(*here))]),
        )  # fmt: skip
        timer.join()
        self.assertEqual(found, bounds)
        # Each item was sent its part of the values, and zeros for the rest.
        want = [values[slice(*here)] + values[slice(*here)].sum() for here in bounds]
        np.testing.assert_array_equal(out, np.concatenate(want))

    def test_every_worker_may_go_where_another_comes(self):
        values = np.arange(100_000)
        timer = threading.Timer(0.5, self._replace_all)
        timer.start()
        found = self.engine.map(lambda item: slow(item) + int(values.sum()), range(12))
        timer.join()
        self.assertEqual(found, [item * item + int(values.sum()) for item in range(12)])

    def _replace_all(self):
        self.cluster.kill_worker()
        self.cluster.kill_worker()
        time.sleep(3)
        self.cluster.grow(1)

    def test_a_scheduler_that_goes_is_told_and_waited_for(self):
        def restart():
            self.cluster.kill_scheduler()
            time.sleep(2)
            self.cluster.restart_scheduler()
            self.cluster.grow(2)

        timer = threading.Timer(0.5, restart)
        timer.start()
        found = self.engine.map(slow, range(16))
        timer.join()
        self.assertEqual(found, [item * item for item in range(16)])
        self.assertIn(f"waiting for the cluster at {self.cluster.address}",
                      {words for words, _, _ in self.told})  # fmt: skip


class Through(unittest.TestCase):
    """What comes back, and what does not."""

    @classmethod
    def setUpClass(cls):
        cls.cluster = Processes(2)
        cls.addClassCleanup(cls.cluster.end)
        cls.engine = Cluster(cls.cluster.address)
        cls.addClassCleanup(cls.engine.release)

    def test_stopped_within_a_second(self):
        ends = time.monotonic() + 1.0

        def told(done):
            if time.monotonic() > ends:
                raise Stopped

        with self.assertRaises(Stopped):
            self.engine.map(slow, range(100), told=told)
        self.assertLess(time.monotonic() - ends, 1.0)
        self.assertEqual(self.engine.map(abs, [-1, -2]), [1, 2])

    def test_told_how_far(self):
        told = []
        self.engine.map(slow, range(8), told=told.append)
        self.assertEqual(told, sorted(told))
        self.assertGreater(len(set(told)), 2)

    def test_what_fails_there_fails_here(self):
        with self.assertRaisesRegex(ZeroDivisionError, "division"):
            self.engine.map(lambda x: 1 / x, [1, 0, 2])
        with self.assertRaisesRegex(FileNotFoundError, "nowhere"):
            self.engine.map(lambda name: Path(name).read_text(), ["nowhere", "nowhere"])

    def test_a_function_that_writes_elsewhere_is_seen(self):
        out = np.zeros(200_000)

        def write(place):
            out[place] = 1.0

        self.engine.map(write, range(4))
        self.assertEqual(out.sum(), 0)  # workers have arrays of their own

    def test_only_arrays_that_lie_by_rows_are_written_to(self):
        turned = np.zeros((30, 20)).T
        with self.assertRaisesRegex(ValueError, "lie by rows"):
            self.engine.map(print, range(3), lambda n: Parts(writes=[(turned, n)]))

    def test_an_engine_that_comes_along_works_by_itself(self):
        def inner(engine):
            return engine.map(abs, [-1, -2])

        engine = self.engine
        self.assertEqual(engine.map(lambda _: inner(engine), range(3)), [[1, 2]] * 3)

    def test_other_versions_are_refused(self):
        from sortija.core.engine import batches

        batches.versions, before = lambda: ("Sortija 0", *before()[1:]), batches.versions
        self.addCleanup(setattr, batches, "versions", before)
        with self.assertRaisesRegex(ClusterError, r"runs Sortija \w+ \(here Sortija 0\)"):
            self.engine.map(abs, range(3))


class HereFirst(unittest.TestCase):
    """What takes a moment never leaves; what takes long begins here, too."""

    def setUp(self):
        self.enterContext(mock.patch.object(cluster_engine, "HERE_FIRST", 0.25))

    def test_a_moment(self):
        self.assertEqual(Cluster("tcp://127.0.0.1:9").map(abs, range(-3, 0)), [3, 2, 1])

    def test_longer(self):
        cluster = Processes(1)
        self.addCleanup(cluster.end)
        engine = Cluster(cluster.address)
        self.addCleanup(engine.release)
        told, out = [], np.zeros(12)

        def who(item):
            time.sleep(0.2)
            out[item] += item
            return item, os.getpid()

        found = engine.map(who, range(12), lambda n: Parts(changes=[(out, n)]), told.append)
        self.assertEqual([item for item, _ in found], list(range(12)))
        here = [pid == os.getpid() for _, pid in found]
        self.assertEqual(here, sorted(here, reverse=True))
        self.assertEqual(len(set(here)), 2)
        self.assertEqual(told, sorted(told))
        np.testing.assert_array_equal(out, np.arange(12))


class Nobody(unittest.TestCase):
    def test_no_scheduler(self):
        with self.assertRaisesRegex(ClusterError, "does not answer. Start its scheduler"):
            Cluster("tcp://127.0.0.1:9", patience=0.1).map(abs, range(2))

    def test_no_address(self):
        with self.assertRaisesRegex(ClusterError, "is no address of a Dask scheduler"):
            Cluster("somewhere://else", patience=0.1).map(abs, range(2))

    def test_no_workers(self):
        cluster = Processes(0)
        self.addCleanup(cluster.end)
        engine = Cluster(cluster.address, patience=0.5)
        self.addCleanup(engine.release)
        with self.assertRaisesRegex(ClusterError, "has no workers"):
            engine.map(abs, range(2))

    def test_without_an_address_there_are_threads(self):
        self.assertIs(type(engine_at()), Engine)
        self.assertIsInstance(engine_at("tcp://127.0.0.1:9"), Cluster)
