"""From a till's text to measures: midnights, clock changes, voids and returns, by hand."""

import tempfile
import unittest
from collections import defaultdict
from datetime import date, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from statistics import fmean, median
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.calendar import day_number
from sortija.core.formats.delimited import DelimitedFile, sniff
from sortija.core.ledger.assemble import assemble
from sortija.core.ledger.lines import LineReader
from sortija.core.ledger.mapping import LogMapping
from sortija.core.ledger.rules import default_rules, mask_of
from sortija.core.ledger.zones import zone_of
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.window import Window

LONDON = ZoneInfo("Europe/London")
HEAD = "receipt,card,sold_at,department,qty,total,kind\n"
ROLES = {"receipt": "receipt", "customer": "card", "moment": "sold_at", "department": "department",
         "quantity": "qty", "money": "total", "kind": "kind"}  # fmt: skip
#: Midnights, month ends of every length, and both nights on which clocks change.
NIGHTS = [datetime(2026, 3, 29, 1), datetime(2025, 10, 26, 1), datetime(2026, 2, 28, 23, 59),
          datetime(2026, 1, 1), datetime(2026, 4, 30, 23, 59), datetime(2025, 12, 31, 23),
          datetime(2024, 2, 29, 12), datetime(2026, 6, 30, 23, 59)]  # fmt: skip
ROW = st.tuples(
    st.sampled_from(["A", "B", ""]),
    st.sampled_from(NIGHTS),
    st.integers(-180, 180),  # minutes beside the night
    st.sampled_from(["", "Z", "+02:00", "-05:00"]),
    st.sampled_from(["Seeds", "Pots"]),
    st.sampled_from(["sale", "sale", "sale", "return", "void"]),
    st.integers(1, 5000),
)


def text_of(rows):
    lines = []
    for number, (card, night, minutes, offset, department, kind, pence) in enumerate(rows):
        moment = night + timedelta(minutes=minutes)
        sign = "-" if kind == "return" else ""
        lines.append(
            f"R{number},{card},{moment:%Y-%m-%dT%H:%M:%S}{offset},{department},{sign}1,"
            f"{sign}{pence / 100:.2f},{kind}"
        )
    return HEAD + "\n".join(lines) + "\n"


def local_day(night, minutes, offset):
    """A stamp with an offset is converted to London's clocks, others are local as they stand."""
    moment = night + timedelta(minutes=minutes)
    if not offset:
        return moment.date()
    written = datetime.fromisoformat(moment.isoformat() + offset.replace("Z", "+00:00"))
    return written.astimezone(LONDON).date()


def by_hand(rows, window):
    first = date(1970, 1, 1) + timedelta(days=window.first_day(0))
    mine = defaultdict(list)
    for card, night, minutes, offset, department, kind, pence in rows:
        day = local_day(night, minutes, offset)
        if card and kind != "void" and first <= day <= window.last_day:
            mine[card].append((day, department, -pence if kind == "return" else pence))
    out = {}
    for card, lines in mine.items():
        sales = [line for line in lines if line[2] > 0]
        if not sales:
            continue
        days = sorted({day for day, _, _ in sales})
        gaps = [(b - a).days for a, b in pairwise(days)]
        out[card] = {
            "recency": (window.last_day - days[-1]).days + 1,
            "frequency": len(sales),  # every line is a receipt of its own here
            "visit_days": len(days),
            "monetary": sum(money for _, _, money in lines) / 100,
            "basket_median": median(money for _, _, money in sales) / 100,
            "gap_mean": fmean(gaps) if gaps else None,
            "breadth": len({department for _, department, _ in sales}),
            "returned": (len(lines) - len(sales)) / len(lines),
            "share_season_winter": sum(
                money for day, _, money in sales if day.month in (12, 1, 2)
            ) / sum(money for _, _, money in sales),
        }  # fmt: skip
    return out


class FromText(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.lists(ROW, min_size=1, max_size=25), st.sampled_from(NIGHTS),
           st.sampled_from([3, 12, 24]))  # fmt: skip
    def test_every_figure(self, rows, night, months):
        window = Window(night.date(), months)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "log.csv"
            path.write_text(text_of(rows))
            file = DelimitedFile(path, sniff(path))
            mapping, zone = LogMapping(ROLES, month_first=False), zone_of("Europe/London")
            reader = LineReader(mapping, 2, day_number(date(2026, 12, 31)), zone)
            batches = list(reader.read(file.batches()))
        cards = reader.cards.texts
        log = assemble(batches, len(cards))
        names = Names(tuple(reader.departments.texts))
        derived = derive(log, window, mask_of(default_rules()), 2, names)
        wanted = by_hand(rows, window)
        self.assertTrue(derived.reconciliation.balances)
        for place, card in enumerate(cards):
            self.assertEqual(bool(derived.present[place]), card in wanted, card)
            for name, value in wanted.get(card, {}).items():
                if name in derived.table:
                    got = derived.table[name].values[place]
                    np.testing.assert_allclose(got, np.nan if value is None else value,
                                               err_msg=name)  # fmt: skip


if __name__ == "__main__":
    unittest.main()
