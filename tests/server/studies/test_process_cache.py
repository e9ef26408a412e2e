"""What a process remembers stays within its room, and is what was asked for."""

import gc
import tempfile
import unittest
import weakref
from pathlib import Path
from unittest import mock

import numpy as np
from cachetools import LRUCache

from sortija.server.studies import process_cache
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered, size_of

ROOM = 100_000


class ProcessCache(unittest.TestCase):
    def setUp(self):
        self.room = LRUCache(ROOM, size_of)
        self.enterContext(mock.patch.object(process_cache, "_cache", self.room))
        self.asked = []

        @remembered
        def zeros(count, salt=0):
            self.asked.append(count)
            return np.zeros(count)

        self.zeros = zeros

    def test_the_same_is_worked_out_once(self):
        first = self.zeros(10)
        self.assertIs(self.zeros(10), first)
        self.zeros(11)
        self.assertEqual(self.asked, [10, 11])
        self.zeros.cache_clear()
        self.zeros(10)
        self.assertEqual(self.asked, [10, 11, 10])

    def test_memory_is_bounded_and_the_longest_unasked_goes_first(self):
        for count in (5000, 5001, 5000, 5002):  # 40 kB each
            self.zeros(count)
            self.assertLessEqual(self.room.currsize, ROOM)
        self.assertEqual(self.asked, [5000, 5001, 5002])
        self.zeros(5000)
        self.assertEqual(self.asked, [5000, 5001, 5002])
        self.zeros(5001)
        self.assertEqual(self.asked[-1], 5001)

    def test_what_is_larger_than_the_room_is_worked_out_each_time(self):
        small = self.zeros(10)
        self.assertEqual(len(self.zeros(50_000)), 50_000)
        self.zeros(50_000)
        self.assertEqual(self.asked, [10, 50_000, 50_000])
        self.assertIs(self.zeros(10), small)

    def test_functions_do_not_mix_and_keys_hold_nothing_else(self):
        class Heavy:
            pass

        @remembered
        def named(keyed):
            return f"of {keyed.key}"

        heavy = Heavy()
        self.assertEqual(named(Keyed(10, heavy)), "of 10")
        self.assertEqual(len(self.zeros(10)), 10)
        gone = weakref.ref(heavy)
        del heavy
        gc.collect()
        self.assertIsNone(gone())
        self.assertEqual(named(Keyed(10, None)), "of 10")

    def test_mapped_files_count_for_nothing(self):
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "values.npy"
        np.save(path, np.zeros(100_000))
        mapped = np.load(path, mmap_mode="r").view(np.ndarray)[10:]
        self.assertLess(size_of(mapped), 1000)
        self.assertGreater(size_of(np.array(mapped)), 700_000)
        self.assertGreater(size_of({"a": [np.zeros(1000), "text"]}), 8000)
