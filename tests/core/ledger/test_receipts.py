"""Runs of lines, and receipts that came twice, against plain Python."""

import unittest
from itertools import groupby
from unittest.mock import patch

import numpy as np

from sortija.core.ledger import receipts
from sortija.core.ledger.receipts import RunCutter, find_runs, repeated


def _log(seed, lines=600):
    """Receipt keys that repeat and stand together now and then, and digests near the top."""
    rng = np.random.default_rng(seed)
    key = np.repeat(rng.integers(1, 30, lines), rng.integers(1, 6, lines))[:lines]
    content = rng.integers(0, 2**64 - 1, lines, np.uint64, endpoint=True)
    return key.astype(np.uint64), content


def _plain(key, content):
    """(key, sum of digests modulo 2**64, lines) of every run."""
    out, start = [], 0
    for value, group in groupby(key.tolist()):
        lines = len(list(group))
        out.append((value, sum(content[start : start + lines].tolist()) % 2**64, lines))
        start += lines
    return out


def _tuples(runs):
    return list(zip(runs.key.tolist(), runs.content.tolist(), runs.count.tolist(), strict=True))


class Cutting(unittest.TestCase):
    def test_at_once(self):
        key, content = _log(1)
        self.assertEqual(_tuples(find_runs(key, content)), _plain(key, content))

    def test_no_lines(self):
        self.assertEqual(len(find_runs(np.zeros(0, np.uint64), np.zeros(0, np.uint64))), 0)
        self.assertEqual(len(RunCutter().close()), 0)

    def test_batches_give_what_the_whole_gives(self):
        for seed in range(20):
            key, content = _log(seed)
            cuts = np.sort(np.random.default_rng(seed).choice(np.arange(1, 600), 25, False))
            cutter, numbers, found = RunCutter(), [], []
            for part in np.split(np.arange(600), cuts):
                number, whole = cutter.add(key[part], content[part])
                numbers.extend(number.tolist())
                found.extend(_tuples(whole))
            found.extend(_tuples(cutter.close()))
            wanted = _plain(key, content)
            self.assertEqual(found, wanted)
            self.assertEqual(
                numbers, [n for n, (_, _, lines) in enumerate(wanted) for _ in range(lines)]
            )

    def test_a_receipt_longer_than_several_batches(self):
        cutter = RunCutter()
        one = np.ones(3, np.uint64)
        for _ in range(4):
            number, whole = cutter.add(one, one)
            self.assertEqual((number.tolist(), len(whole)), ([0, 0, 0], 0))
        self.assertEqual(_tuples(cutter.close()), [(1, 12, 12)])


class Repeated(unittest.TestCase):
    def _check(self, key, content, pieces=1):
        seen, wanted = set(), []
        for pair in zip(key.tolist(), content.tolist(), strict=True):
            wanted.append(pair in seen)
            seen.add(pair)
        cut = list(zip(np.array_split(key, pieces), np.array_split(content, pieces), strict=True))
        self.assertEqual(repeated(lambda: cut, len(key)).tolist(), wanted)

    def test_against_a_plain_set(self):
        rng = np.random.default_rng(3)
        key, content = rng.integers(0, 30, 400, np.uint64), rng.integers(0, 3, 400, np.uint64)
        self._check(key, content)
        self._check(key, content, pieces=7)

    def test_in_several_parts(self):
        rng = np.random.default_rng(4)
        key, content = rng.integers(0, 900, 5000, np.uint64), rng.integers(0, 2, 5000, np.uint64)
        with patch.object(receipts, "PART_RUNS", 700):
            self._check(key, content, pieces=5)

    def test_one_key_with_many_contents_fills_no_table(self):
        rng = np.random.default_rng(5)
        key, content = np.zeros(3000, np.uint64), rng.integers(0, 2**63, 3000, np.uint64)
        with patch.object(receipts, "PART_RUNS", 500):
            self._check(np.concatenate([key, key]), np.concatenate([content, content]), pieces=3)

    def test_none(self):
        self.assertEqual(len(repeated(lambda: [], 0)), 0)


class Many(unittest.TestCase):
    def test_three_million_receipts_of_one_line(self):
        """As a web shop writes them; a thousand come a second time, others change a line."""
        count, again = 3_000_000, 1000
        rng = np.random.default_rng(8)
        key = np.arange(1, count + 1, dtype=np.uint64) * np.uint64(0x9E3779B97F4A7C15)
        content = rng.integers(0, 2**63, count).astype(np.uint64)
        key = np.concatenate([key, key[:again], key[:again]])
        content = np.concatenate([content, content[:again], content[:again] + np.uint64(1)])
        cutter, pieces = RunCutter(), []
        for first in range(0, len(key), 1 << 16):
            part = slice(first, first + (1 << 16))
            numbers, whole = cutter.add(key[part], content[part])
            self.assertEqual(int(numbers[0]), first)
            pieces.append((whole.key, whole.content))
        last = cutter.close()
        pieces.append((last.key, last.content))
        marked = repeated(lambda: pieces, len(key))
        self.assertEqual(np.flatnonzero(marked).tolist(), list(range(count, count + again)))


if __name__ == "__main__":
    unittest.main()
