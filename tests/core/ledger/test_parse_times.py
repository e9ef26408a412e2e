"""Times of the day in the ways in which tills write them."""

import random
import unittest

import pyarrow as pa

from sortija.core.ledger.parse_numbers import BAD, EMPTY, GOOD
from sortija.core.ledger.parse_times import read_times


def clock(*texts):
    seconds, state = read_times(pa.array(texts))
    words = {BAD: "bad", EMPTY: "empty"}
    return [
        f"{s // 3600:02d}:{s // 60 % 60:02d}:{s % 60:02d}" if e == GOOD else words[int(e)]
        for s, e in zip(seconds.tolist(), state.tolist(), strict=True)
    ]


class Times(unittest.TestCase):
    def test_each_way_of_writing(self):
        for text, wanted in (
            ("9:05", "09:05:00"), (" 09:05:33 ", "09:05:33"), ("9.05", "09:05:00"),
            ("9h05", "09:05:00"), ("14u30", "14:30:00"), ("0905", "09:05:00"), ("905", "09:05:00"),
            ("90533", "09:05:33"), ("9:05 PM", "21:05:00"), ("12:10 a.m.", "00:10:00"),
            ("12:10pm", "12:10:00"), ("14:30 Uhr", "14:30:00"), ("10:30:15.250", "10:30:15"),
            ("30.12.1899 14:30:00", "14:30:00"), ("1899-12-31 08:01", "08:01:00"),
            ("00:00", "00:00:00"), ("23:59:60", "23:59:59"),
        ):  # fmt: skip
            self.assertEqual(clock(text), [wanted], text)

    def test_what_is_no_time(self):
        texts = (
            "25:00",
            "9:75",
            "noon",
            "12345678",
            "1.234,50",
            "9:5",
            "-",
            "2460",
            "1:2:3:4:5:6:7:8",
        )
        self.assertEqual(clock(*texts), ["bad"] * len(texts))
        self.assertEqual(clock("", "  "), ["empty", "empty"])

    def test_every_minute_comes_back_as_it_was_written(self):
        minutes = range(24 * 60)
        for pattern in ("{:02d}:{:02d}", "{:02d}{:02d}", "{}h{:02d}"):
            texts = [pattern.format(*divmod(minute, 60)) for minute in minutes]
            seconds, state = read_times(pa.array(texts))
            self.assertEqual(seconds.tolist(), [60 * minute for minute in minutes])
            self.assertFalse(state.any())

    def test_any_text_is_read_or_refused(self):
        rng = random.Random(5)
        texts = [
            "".join(rng.choices("0123456789:. hapmUé", k=rng.randrange(12))) for _ in range(3000)
        ]
        seconds, state = read_times(pa.array(texts))
        self.assertTrue(((seconds >= 0) & (seconds < 86_400)).all())
        self.assertTrue((seconds[state != GOOD] == 0).all())


if __name__ == "__main__":
    unittest.main()
