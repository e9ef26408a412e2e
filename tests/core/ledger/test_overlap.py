"""Files that lie over one another, against sets."""

import unittest
from unittest.mock import patch

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger import overlap
from sortija.core.ledger.overlap import OVERLAPS, Replaced, overlapping

FILES = st.lists(
    st.tuples(st.lists(st.integers(0, 25), max_size=20), st.sampled_from(OVERLAPS)), max_size=5
)


def asked(files):
    pieces = [
        lambda keys=keys: [np.array(keys[:7], np.uint64), np.array(keys[7:], np.uint64)]
        for keys, _ in files
    ]
    return overlapping(pieces, [len(keys) for keys, _ in files], [choice for _, choice in files])


class Overlaps(unittest.TestCase):
    @given(FILES)
    def test_against_sets(self, files):
        for number, (known, gives_way) in enumerate(asked(files)):
            keys, choice = files[number]
            for place, key in enumerate(keys):
                before = any(key in other for other, _ in files[:number])
                taken = any(c == "replace" and key in o for o, c in files[number + 1 :])
                self.assertEqual(known[place], before)
                self.assertEqual(gives_way[place], taken or (choice == "skip" and before))

    def test_in_parts_as_at_once(self):
        rng = np.random.default_rng(4)
        files = [(rng.integers(0, 3000, 900).tolist(), c) for c in ("both", "replace", "skip")]
        whole = asked(files)
        with patch.object(overlap, "PART_KEYS", 100):
            parted = asked(files)
        for one, other in zip(whole, parted, strict=True):
            np.testing.assert_array_equal(one, other)


class Days(unittest.TestCase):
    def test_days_within_give_way_at_the_same_shops_only(self):
        new = Replaced.by(np.array([1, 2, 1], np.int16), np.array([10, 13, -1], np.int32))
        site = np.array([1, 1, 1, 1, 2, 3, 1], np.int16)
        day = np.array([9, 10, 11, 13, 12, 12, -1], np.int32)
        self.assertEqual(np.flatnonzero(new.takes(site, day)).tolist(), [2, 4])

    def test_batches_together(self):
        one = Replaced.by(np.array([1], np.int16), np.array([5], np.int32))
        two = Replaced.by(np.array([4, 1], np.int16), np.array([9, 7], np.int32))
        none = Replaced.by(np.array([1], np.int16), np.array([-1], np.int32))
        for whole in (one.together(two), none.together(one.together(two)),
                      two.together(one).together(none)):  # fmt: skip
            self.assertEqual((whole.sites.tolist(), whole.after, whole.before), ([1, 4], 5, 9))
        self.assertFalse(none.takes(np.array([1], np.int16), np.array([3], np.int32)).any())


if __name__ == "__main__":
    unittest.main()
