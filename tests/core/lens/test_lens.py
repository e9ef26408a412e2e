"""The lens against a plain evaluation, customer by customer."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.engine import Engine
from sortija.core.lens.bins import NO_BIN, bin_column
from sortija.core.lens.clauses import Clause, ClauseError, canonical, digest
from sortija.core.lens.drawing import Chart, count_everyone, draw, redraw
from sortija.core.lens.evaluate import members, select, without
from sortija.core.table import Column

N = 300
RNG = np.random.default_rng(11)
SPEND = Column("spend", "number", np.where(RNG.random(N) < 0.1, np.nan, RNG.gamma(1, 50, N)))
VISITS = Column("visits", "number", RNG.integers(0, 30, N).astype(float))
GARDEN = Column("garden", "category", RNG.integers(0, 4, N).astype(np.int32), "", ("a", "b", "c"))
COLUMNS = {("m:spend", ""): SPEND, ("m:visits", ""): VISITS, ("t:garden", ""): GARDEN}
KNOWN = RNG.random(N) < 0.95
MONEY = RNG.integers(-100, 10_000, N)

END = st.one_of(st.none(), st.integers(0, 100).map(float))


def proper(pair):
    return pair[0] is None or pair[1] is None or pair[0] < pair[1]


NUMERIC = st.builds(
    Clause,
    field=st.sampled_from(["m:spend", "m:visits"]),
    values=st.sampled_from([(), ("missing",)]),
    ranges=st.lists(st.tuples(END, END).filter(proper), min_size=1, max_size=3).map(tuple),
    negated=st.booleans(),
)
PICKED = st.builds(
    Clause,
    field=st.just("t:garden"),
    values=st.lists(
        st.sampled_from(["a", "b", "c", "gone", "missing"]), min_size=1, unique=True
    ).map(tuple),
    negated=st.booleans(),
)
LENS = st.lists(st.one_of(NUMERIC, PICKED), max_size=3, unique_by=lambda c: c.field)


def holds(clause, row):
    column = COLUMNS[clause.field, ""]
    value = column.values[row]
    if column.kind == "category":
        level = "missing" if value == 0 else column.levels[value - 1]
        inside = level in clause.values
    else:
        inside = np.isnan(value) and "missing" in clause.values
        for low, high in clause.ranges:
            above, below = low is None or value >= low, high is None or value < high
            inside |= above and below and not np.isnan(value)
    return bool(inside) != clause.negated


class AgainstPlainPython(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(LENS)
    def test_totals_and_bars(self, clauses):
        selection = select(clauses, COLUMNS, KNOWN, MONEY)
        inside = [r for r in range(N) if KNOWN[r] and all(holds(c, r) for c in clauses)]
        self.assertEqual(selection.lens.customers, len(inside))
        self.assertEqual(selection.lens.money, int(sum(MONEY[r] for r in inside)))
        self.assertEqual(members(selection).tolist(), inside)
        self.assertEqual(selection.everyone.customers, int(KNOWN.sum()))
        for (field, _), column in COLUMNS.items():
            bins = bin_column(column)
            [bars] = draw(selection, [Chart(field, bins)])
            # A chart's bars are drawn without its own clause.
            others = [c for c in clauses if c.field != field]
            rows = [r for r in range(N) if KNOWN[r] and all(holds(c, r) for c in others)]
            wanted = np.bincount(bins.codes[rows], minlength=256)
            np.testing.assert_array_equal(bars.lens, wanted[: bins.count])
            self.assertEqual(bars.lens_missing, wanted[NO_BIN])
        for place in range(len(clauses)):
            others = clauses[:place] + clauses[place + 1 :]
            rows = [r for r in range(N) if KNOWN[r] and all(holds(c, r) for c in others)]
            self.assertEqual(without(selection, place, MONEY).customers, len(rows))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(LENS, min_size=2, max_size=6), st.integers(0, 2**6))
    def test_bars_moved_from_those_of_the_lens_before_are_those_drawn_anew(self, lenses, gaps):
        charts = [Chart(field, bin_column(column)) for (field, _), column in COLUMNS.items()]
        everyone = [count_everyone(chart.bins, KNOWN) for chart in charts]
        last = None
        for turn, clauses in enumerate(lenses):
            # Now and then a chart is not on the screen, or its column is made anew.
            shown = [n for n in range(len(charts)) if (gaps >> (n + turn) % 7) % 2 == 0]
            if turn % 3 == 2:
                charts[0] = Chart(charts[0].field, bin_column(COLUMNS[charts[0].field, ""]))
            asked = [charts[n] for n in shown]
            selection = select(clauses, COLUMNS, KNOWN, MONEY)
            bars, last = redraw(selection, asked, [everyone[n] for n in shown], last)
            for one, other in zip(bars, draw(selection, asked), strict=True):
                np.testing.assert_array_equal(one.lens, other.lens)
                np.testing.assert_array_equal(one.everyone, other.everyone)
                self.assertEqual(one.lens_missing, other.lens_missing)

    def test_few_in_and_out_move_the_bars_by_themselves(self):
        n = 200_000
        values = np.random.default_rng(2).random(n)
        columns = {("m:x", ""): Column("x", "number", values)}
        chart = Chart("m:y", bin_column(Column("y", "number", np.roll(values, 1))))
        known, money = np.ones(n, bool), np.arange(n)
        everyone, last, engine = [count_everyone(chart.bins, known)], None, Engine(2)
        self.addCleanup(engine.release)
        for high in (0.5, 0.51, 0.52, 0.2):
            selection = select([Clause("m:x", ranges=((0.1, high),))], columns, known, money)
            [bars], last = redraw(selection, [chart], everyone, last, engine)
            inside = (values >= 0.1) & (values < high)
            wanted = np.bincount(chart.bins.codes[inside], minlength=256)
            np.testing.assert_array_equal(bars.lens, wanted[: chart.bins.count])

    def test_many_chunks_and_threads_agree(self):
        n = 200_000
        values = np.random.default_rng(2).random(n)
        columns = {("m:x", ""): Column("x", "number", values)}
        clause = Clause("m:x", ranges=((0.25, 0.5),))
        known, money = np.ones(n, bool), np.arange(n)
        for threads in (1, 4):
            engine = Engine(threads)
            selection = select([clause], columns, known, money, engine)
            inside = (values >= 0.25) & (values < 0.5)
            self.assertEqual(selection.lens.customers, int(inside.sum()))
            self.assertEqual(selection.lens.money, int(money[inside].sum()))
            engine.release()


class Clauses(unittest.TestCase):
    def test_order_does_not_change_the_name_of_a_lens(self):
        a, b = Clause("m:x", ranges=((None, 3.0), (5.0, None))), Clause("t:y", values=("q", "p"))
        c, d = Clause("t:y", values=("p", "q")), Clause("m:x", ranges=((5.0, None), (None, 3.0)))
        self.assertEqual(digest([a, b]), digest([c, d]))
        self.assertNotEqual(digest([a]), digest([Clause("m:x", ranges=((None, 3.0),))]))

    def test_json_brings_the_same_back(self):
        clause = Clause("m:x", ("missing",), ((None, 3.0),), True, "2026-06-30:12")
        self.assertEqual(Clause.from_json(clause.as_json()), clause)

    def test_what_cannot_be_asked(self):
        for make, words in (
            (lambda: Clause("x", values=("a",)), "no field"),
            (lambda: Clause("m:x"), "picks nothing"),
            (lambda: Clause("m:x", ranges=((3.0, 3.0),)), "ends before"),
            (lambda: Clause("m:x", ranges=((float("nan"), None),)), "without a number"),
            (lambda: Clause.from_json({"values": ["a"]}), "has a field"),
            (lambda: canonical([Clause("m:x", (v,)) for v in "ab"]), "one clause per field"),
        ):  # fmt: skip
            with self.assertRaisesRegex(ClauseError, words):
                make()
        with self.assertRaisesRegex(ClauseError, "not ranges"):
            select([Clause("t:garden", ranges=((1.0, 2.0),))], COLUMNS, KNOWN, MONEY)


class BarEdges(unittest.TestCase):
    def test_every_value_is_in_the_bar_whose_edges_hold_it(self):
        for column in (SPEND, VISITS):
            bins = bin_column(column)
            for value, code in zip(column.values, bins.codes, strict=True):
                if np.isnan(value):
                    self.assertEqual(code, NO_BIN)
                    continue
                low, high = bins.edges[code], bins.edges[code + 1]
                self.assertTrue(code == 0 or value >= low)
                self.assertTrue(code == bins.count - 1 or value < high)
            self.assertEqual(list(bins.edges), sorted(set(bins.edges)))
            self.assertLessEqual(bins.count, 40)

    def test_constant_and_empty_columns(self):
        for values in (np.full(5, 7.0), np.full(5, np.nan), np.zeros(5)):
            bins = bin_column(Column("x", "number", values))
            self.assertGreaterEqual(bins.count, 1)


if __name__ == "__main__":
    unittest.main()
