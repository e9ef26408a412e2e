"""Returns and their sales, against a plain search line by line."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.ledger.returns import match_returns, return_bits, settle_returns
from sortija.core.ledger.rules import BIT

PIECE = 1000


def columns(lines):
    """Lines as below, with or without a second at their end → ordered columns and start."""
    lines = sorted(((*line, 0)[:9] for line in lines), key=lambda line: line[:3])
    names = ("owner", "day", "receipt", "item", "quantity", "money", "kind", "bits", "second")
    kinds = ("i8", "i4", "u8", "i4", "i8", "i8", "i1", "i4", "i4")
    parts = zip(*lines, strict=True) if lines else [()] * 9
    out = {n: np.array(v, k) for n, k, v in zip(names, kinds, parts, strict=True)}
    out["quantity"] = out["quantity"] * PIECE
    customers = int(out["owner"].max(initial=0)) + 1
    start = np.searchsorted(out["owner"], np.arange(customers + 1))
    return out, start


def plain(out, start):
    """The sale of each return and what is left of each sale, by trying every earlier line."""
    n = len(out["day"])
    sale = [-1] * n
    left = [
        int(out["quantity"][i])
        if out["kind"][i] == 0 and out["quantity"][i] > 0 and not out["bits"][i]
        else -1
        for i in range(n)
    ]

    def when(i):
        """Day and second of a line; without a time sales are early and returns late."""
        second = int(out["second"][i])
        return int(out["day"][i]), second or (86_399 if out["kind"][i] == 1 else 0)

    for c in range(len(start) - 1):
        mine = sorted(range(start[c], start[c + 1]), key=when)
        for i in mine:
            if out["kind"][i] != 1 or out["bits"][i]:
                continue
            wanted, best = abs(int(out["quantity"][i])), None
            for j in mine:
                same = out["receipt"][j] == out["receipt"][i]
                if when(j) > when(i) or (same and j > i):
                    continue
                if left[j] < 0 or out["item"][j] != out["item"][i] or left[j] < wanted:
                    continue
                whole = left[j] == wanted == out["quantity"][j]
                rank = (bool(same), bool(whole and not same), when(j), j)
                if best is None or rank > best:
                    best = rank
            if best is not None:
                sale[i] = best[-1]
                left[best[-1]] -= wanted
    return sale, left


LINE = st.tuples(
    st.integers(0, 2), st.integers(0, 6), st.integers(1, 3), st.integers(0, 2),
    st.sampled_from([1, 1, 2, 3]), st.just(100), st.sampled_from([0, 0, 1]),
    st.sampled_from([0, 0, 0, BIT["void"]]), st.sampled_from([0, 0, 32400, 36000, 61200]),
)  # fmt: skip


def matched(lines):
    out, start = columns(lines)
    return out, match_returns(start, *(out[n] for n in COLUMNS))


COLUMNS = ("day", "second", "receipt", "item", "quantity", "money", "kind", "bits")


class SameDay(unittest.TestCase):
    """A return on another receipt of the day it was bought on, whatever the receipts' digests."""

    def test_without_a_time_the_sale_comes_first(self):
        for sold, back in ((1, 2), (2, 1)):
            with self.subTest(receipt=sold):
                _, (sale, _) = matched(
                    [(0, 5, sold, 7, 1, 10, 0, 0), (0, 5, back, 7, 1, -10, 1, 0)]
                )
                self.assertEqual(sale.tolist(), [-1, 0] if sold == 1 else [1, -1])

    def test_the_time_of_day_tells_which_came_first(self):
        for sold, back in ((1, 2), (2, 1)):
            for hour, found in ((9, True), (12, True), (15, False)):
                lines = [(0, 5, sold, 7, 1, 10, 0, 0, hour * 3600),
                         (0, 5, back, 7, 1, -10, 1, 0, 12 * 3600)]  # fmt: skip
                _, (sale, _) = matched(lines)
                self.assertEqual((sale >= 0).any(), found, (sold, hour))

    def test_the_latest_sale_of_a_day_by_its_time(self):
        lines = [(0, 5, 3, 7, 1, 10, 0, 0, 9 * 3600), (0, 5, 1, 7, 1, 10, 0, 0, 17 * 3600),
                 (0, 9, 2, 7, 1, -10, 1, 0, 9 * 3600)]  # fmt: skip
        out, (sale, _) = matched(lines)
        self.assertEqual(out["receipt"][sale[2]], 1)

    def test_on_one_receipt_an_exchange_brings_back_what_was_bought_before(self):
        lines = [(0, 1, 1, 7, 1, 10, 0, 0), (0, 5, 2, 7, 1, -10, 1, 0), (0, 5, 2, 7, 1, 10, 0, 0)]
        _, (sale, _) = matched(lines)
        self.assertEqual(sale.tolist(), [-1, 0, -1])


class Matching(unittest.TestCase):
    @settings(max_examples=300)
    @given(st.lists(LINE, max_size=40), st.integers(0, 2**32))
    def test_the_best_earlier_sale(self, lines, seed):
        rng = np.random.default_rng(seed)  # besides what is told shortly, long lists of anything
        draws = [[rng.integers(0, n) for n in (2, 5, 3, 2, 3, 2, 3)] for _ in range(30)]
        lines = [*lines, *(
            (c, day, r, item, 1 + pieces // 2, 100, kind, 0, (0, 32400, 61200)[time])
            for c, day, r, item, pieces, kind, time in draws
        )]  # fmt: skip
        out, start = columns([(c, d, 3 * d + r, *rest) for c, d, r, *rest in lines])
        got, left = match_returns(start, *(out[n] for n in COLUMNS))
        wanted, kept = plain(out, start)
        self.assertEqual(got.tolist(), wanted)
        self.assertEqual(left.tolist(), kept)

    def test_without_items_the_amount_tells(self):
        out, start = columns([
            (0, 1, 1, -1, 1, 500, 0, 0), (0, 2, 2, -1, 1, 800, 0, 0), (0, 3, 3, -1, 1, 300, 0, 0),
            (0, 4, 4, -1, 1, -500, 1, 0), (0, 5, 5, -1, 1, -900, 1, 0),
        ])  # fmt: skip
        got, _ = match_returns(start, *(out[n] for n in COLUMNS))
        self.assertEqual(got.tolist(), [-1, -1, -1, 0, -1])

    def test_no_lines(self):
        out, start = columns([])
        self.assertEqual(len(settle_returns(out, start, True)["bits"]), 0)


def told(lines, on_sale_day=False):
    out, start = columns(lines)
    return settle_returns(out, start, on_sale_day)


class Bits(unittest.TestCase):
    def test_a_purchase_wholly_returned_and_one_in_part(self):
        got = told([
            (0, 1, 1, 7, 1, 100, 0, 0), (0, 1, 1, 8, 2, 100, 0, 0),  # both come back
            (0, 2, 2, 7, 1, 100, 0, 0), (0, 2, 2, 9, 1, 100, 0, 0),  # one of them stays
            (0, 5, 3, 7, 1, -100, 1, 0), (0, 6, 4, 8, 2, -100, 1, 0), (0, 6, 4, 7, 1, -100, 1, 0),
        ])  # fmt: skip
        back = BIT["returned"]
        self.assertEqual(got["bits"].tolist(), [back, back, 0, 0, 0, back, back])

    def test_returns_of_what_was_never_bought(self):
        got = told([
            (0, 1, 1, 7, 1, 100, 0, 0), (1, 2, 2, 7, 1, -100, 1, 0), (0, 3, 3, 7, 2, -200, 1, 0),
            (0, 2, 2, 7, 1, -30, 1, BIT["negative"]),
        ])  # fmt: skip
        # Two pieces come back of one that was bought, and a coupon brings no goods.
        lone = BIT["unmatched"]
        self.assertEqual(got["bits"].tolist(), [0, BIT["negative"], lone, lone])

    def test_equal_receipt_numbers_of_two_customers_stay_apart(self):
        got = told([
            (0, 1, 1, 7, 1, 100, 0, 0), (1, 1, 1, 7, 1, 100, 0, 0), (1, 1, 1, 7, 1, -100, 1, 0),
        ])  # fmt: skip
        self.assertEqual(got["bits"].tolist(), [0, BIT["returned"], BIT["returned"]])


class SaleDay(unittest.TestCase):
    def test_a_return_is_told_with_its_sale(self):
        got = told([
            (0, 1, 1, 7, 1, 100, 0, 0), (0, 4, 2, 8, 1, 50, 0, 0), (0, 9, 3, 7, 1, -100, 1, 0),
            (0, 9, 3, 6, 1, -20, 1, 0),
        ], on_sale_day=True)  # fmt: skip
        self.assertEqual(got["day"].tolist(), [1, 1, 4, 9])
        self.assertEqual(got["receipt"].tolist(), [1, 1, 2, 3])
        self.assertEqual(got["money"].tolist(), [100, -100, 50, -20])

    def test_money_stays_the_same(self):
        lines = [(c, d, d + 1, d % 3, 1, 100 + d, int(d % 4 == 3), 0) for c in (0, 1)
                 for d in range(12)]  # fmt: skip
        own, sale = told(lines), told(lines, on_sale_day=True)
        self.assertEqual(own["money"].sum(), sale["money"].sum())
        self.assertEqual(np.bincount(own["owner"]).tolist(), np.bincount(sale["owner"]).tolist())
        self.assertTrue((np.diff(sale["day"])[np.diff(sale["owner"]) == 0] >= 0).all())


class Coupons(unittest.TestCase):
    def test_money_back_without_goods_takes_no_sale_back(self):
        out, start = columns([(0, 1, 1, 7, 1, 100, 0, 0), (0, 2, 2, 7, 1, -30, 1, BIT["negative"])])
        sale, left = match_returns(start, *(out[n] for n in COLUMNS))
        self.assertEqual((sale.tolist(), left.tolist()), ([-1, -1], [PIECE, -1]))
        bits = return_bits(start, out["day"], out["receipt"], out["kind"], out["bits"], sale, left)
        self.assertEqual(bits.tolist(), [0, BIT["negative"]])


if __name__ == "__main__":
    unittest.main()
