"""Cells read as dates and times, in every usual writing."""

import unittest
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.parse_datetimes import read_moments
from sortija.core.ledger.parse_numbers import BAD, EMPTY, GOOD
from sortija.core.ledger.zones import zone_of

EPOCH = date(1970, 1, 1)


def moments(*cells, month_first=False, zone=None):
    days, seconds, state = read_moments(pa.array(cells, pa.string()), month_first, zone)
    return [
        (EPOCH + timedelta(days=int(d)), int(s)) if k == GOOD else {EMPTY: "empty", BAD: "bad"}[k]
        for d, s, k in zip(days, seconds, state, strict=True)
    ]


class Moments(unittest.TestCase):
    def test_orders(self):
        wanted = (date(2026, 3, 14), 0)
        self.assertEqual(
            moments("2026-03-14", "14/03/2026", "14.3.26", "20260314", "2026/3/14"), [wanted] * 5
        )
        self.assertEqual(moments("03/14/2026", month_first=True), [wanted])

    def test_times(self):
        self.assertEqual(
            moments("2026-03-14T10:22:31", "14/03/2026 10:22", "14/03/2026 1:05 pm",
                    "14/03/2026 12:05 am", "2026-03-14 10:22:31.250"),
            [(date(2026, 3, 14), s) for s in (37351, 37320, 47100, 300, 37351)],
        )  # fmt: skip

    def test_months_by_name(self):
        self.assertEqual(
            moments("14 Mar 2026", "Mar 14, 2026", "14th March 2026", "Sat 14-MAR-26",
                    "2026 mar 14", "March 14, 2026 1:05 PM"),
            [(date(2026, 3, 14), s) for s in (0, 0, 0, 0, 0, 47100)],
        )  # fmt: skip
        self.assertEqual(moments("14 Mag 2026", "14 Mar Apr", "March 2026"), ["bad"] * 3)

    def test_compact(self):
        self.assertEqual(
            moments("20260314102231", "20260314T102231", "20260314 1022"),
            [(date(2026, 3, 14), s) for s in (37351, 37351, 37320)],
        )

    def test_offsets_are_told_in_the_zone_and_others_stay(self):
        london = zone_of("Europe/London")
        self.assertEqual(
            moments("2026-07-14T23:30:00Z", "2026-07-14 23:30", "2026-01-14T23:30:00+00:00",
                    "2026-07-15T01:30:00.5+0200", "14/07/2026 18:30:00 -05:00", zone=london),
            [(date(2026, 7, 15), 1800), (date(2026, 7, 14), 84600), (date(2026, 1, 14), 84600),
             (date(2026, 7, 15), 1800), (date(2026, 7, 15), 1800)],
        )  # fmt: skip
        self.assertEqual(moments("2026-07-14T23:30:00Z"), [(date(2026, 7, 14), 84600)])
        self.assertEqual(moments("2026-07-14 10:00+1", "2026-07-14 10:00+01:0"), ["bad", "bad"])

    def test_what_is_no_date(self):
        self.assertEqual(
            moments("31/02/2025", "2025-13-01", "29/02/2025", "noon", "", "2025", "12:30",
                    "2025-01-01 25:00"),
            ["bad", "bad", "bad", "bad", "empty", "bad", "bad", "bad"],
        )  # fmt: skip

    @given(st.datetimes(datetime(1950, 1, 1), datetime(2150, 1, 1)))
    def test_every_day_of_the_calendar(self, moment):
        seconds = moment.hour * 3600 + moment.minute * 60 + moment.second
        for text in (f"{moment:%Y-%m-%d %H:%M:%S}", f"{moment:%d.%m.%Y %H:%M:%S}"):
            self.assertEqual(moments(text), [(moment.date(), seconds)])


class Zones(unittest.TestCase):
    @given(
        st.integers(631_152_000, 4_000_000_000),
        st.sampled_from(
            ["Europe/London", "America/New_York", "Asia/Kolkata", "Australia/Lord_Howe", "UTC"]
        ),
    )
    def test_as_the_library_says(self, second, name):
        told = datetime.fromtimestamp(second, ZoneInfo(name)).replace(tzinfo=UTC)
        local = zone_of(name).local(np.array([second]))
        self.assertEqual(int(local[0]), int(told.timestamp()))

    def test_the_hour_that_comes_twice_and_the_one_that_is_left_out(self):
        self.assertEqual(
            moments("2026-10-25T00:30:00Z", "2026-10-25T01:30:00Z", "2026-03-29T00:59:59Z",
                    "2026-03-29T01:00:00Z", zone=zone_of("Europe/London")),
            [(date(2026, 10, 25), 5400), (date(2026, 10, 25), 5400), (date(2026, 3, 29), 3599),
             (date(2026, 3, 29), 7200)],
        )  # fmt: skip

    def test_no_such_zone(self):
        with self.assertRaisesRegex(ValueError, "no time zone called Middle/Earth"):
            zone_of("Middle/Earth")


class TheQuickWayAndTheLong(unittest.TestCase):
    """Usual writings are read by a short cut; a blank between changes nothing but the way."""

    @given(st.text("0123456789-/.: T", min_size=10, max_size=19))
    def test_agree_on_anything(self, text):
        # Two blanks before the time take the cell the long way; between two letters one would
        # make two words of one.
        longer = f"{text[:10]} {text[10:]}"
        if text[10:11] in (" ", "T") and text[9:11] != "TT":
            for month_first in (False, True):
                self.assertEqual(
                    moments(text, month_first=month_first), moments(longer, month_first=month_first)
                )

    @given(st.datetimes(datetime(1900, 1, 1), datetime(2200, 1, 1)), st.booleans())
    def test_month_first_or_not(self, moment, month_first):
        written = f"{moment:%m/%d/%Y %H:%M}" if month_first else f"{moment:%d/%m/%Y %H:%M}"
        seconds = moment.hour * 3600 + moment.minute * 60
        self.assertEqual(moments(written, month_first=month_first), [(moment.date(), seconds)])


if __name__ == "__main__":
    unittest.main()
