"""Roles of columns, guessed for logs of several countries whose roles are known."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import pyarrow as pa

from sortija.core.formats.opening import open_rows
from sortija.core.ledger import guessing
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.mapping import MappingError
from sortija.core.ledger.sample import LogSample
from tests.core.ledger.till_logs import LOGS, heads, world


class TillLogs(unittest.TestCase):
    """Logs of many makes: at least nine of ten columns right, and none wrong without a word."""

    @classmethod
    def setUpClass(cls):
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.rows = {log.name: open_rows(log.write(folder)).first_rows(2000) for log in LOGS}

    def count(self, rows_of):
        right = columns = 0
        for log in LOGS:
            _, guesses = guess_log(rows_of(log.name))
            for guess in guesses:
                fits = guess.role in log.right()[guess.column]
                columns, right = columns + 1, right + fits
                # What is left out is said to be so; any other mistake has to be in doubt.
                if not fits and guess.role != "out":
                    self.assertTrue(guess.doubt, (log.name, guess))
        return right / columns

    def test_nearly_all_columns_and_none_silently_wrong(self):
        self.assertGreaterEqual(len(LOGS), 20)
        self.assertGreater(self.count(lambda name: self.rows[name]), 0.98)

    def test_nine_of_ten_by_forty_rows(self):
        self.assertGreater(self.count(lambda name: self.rows[name].slice(0, 40)), 0.9)

    def test_how_cells_are_written(self):
        point = {"english", "nameless", "headless", "one_line_per_receipt", "one_line_nameless",
                 "by_item", "no_small_coins", "thousands", "without_receipts", "many_traps",
                 "totals_first", "am_and_pm"}  # fmt: skip
        for log in LOGS:
            mapping, _ = guess_log(self.rows[log.name])
            self.assertEqual(mapping.decimal_comma, log.name not in point, log.name)
            self.assertEqual(mapping.month_first, log.name in ("by_item", "am_and_pm"), log.name)

    def test_words_for_sales_and_returns(self):
        kinds = {
            "english": {"sale": "sale", "return": "return"},
            "german": {"Verkauf": "sale", "Rückgabe": "return"},
            "spanish": {"venta": "sale", "devolución": "return"},
        }
        for name, wanted in kinds.items():
            self.assertEqual(guess_log(self.rows[name])[0].kinds, wanted)


def log_of(rows, *names):
    shows = {"moment": lambda r: r["moment"].strftime("%d.%m.%Y %H:%M")}
    columns = {n: [shows.get(n, lambda r, n=n: str(r[n]))(row) for row in rows] for n in names}
    return pa.RecordBatch.from_pydict(columns)


class Traps(unittest.TestCase):
    def told(self, rows):
        mapping, guesses = guess_log(rows)
        return mapping.roles, {guess.column: guess for guess in guesses}

    def test_a_total_of_the_receipt_is_not_added_up_line_by_line(self):
        rows = log_of(world(), "receipt", "card", "moment", "total", "receipt_total")
        roles, told = self.told(rows)
        self.assertEqual(roles["money"], "total")
        self.assertIn("total adds up to it", told["receipt_total"].reason)
        # With nothing else to take, it has to be asked rather than counted several times.
        alone, told = self.told(rows.drop_columns(["total"]))
        self.assertNotIn("money", alone)
        self.assertIn("the same on every line", told["receipt_total"].reason)
        # On one row per receipt it is the amount.
        roles, _ = self.told(log_of(heads(world()), "receipt", "card", "moment", "receipt_total"))
        self.assertEqual(roles["money"], "receipt_total")

    def test_a_clerk_a_district_and_a_clock_are_no_customers(self):
        lines = [{**row, "clock": row["moment"].strftime("%H%M")} for row in world()]
        rows = log_of(lines, "clerk", "postcode", "clock", "born", "card", "moment", "total")
        roles, told = self.told(rows)
        self.assertEqual(roles["customer"], "card")
        self.assertEqual(told["postcode"].role, "out")
        self.assertEqual(told["clock"].reason, "a time of the day; the dates have theirs already")
        roles, _ = self.told(rows.drop_columns(["card"]))
        self.assertNotIn(roles.get("customer"), ("clerk", "clock"))

    def test_known_cards_decide(self):
        rows = log_of(world(), "card", "person", "moment", "total")
        mapping, _ = guess_log(rows, lambda texts: float(any(" " in text for text in texts)))
        self.assertEqual(mapping.roles["customer"], "person")

    def test_two_amounts_that_are_alike_are_told(self):
        rows = log_of(world(), "receipt", "card", "moment", "total", "net")
        _, told = self.told(rows.rename_columns(["bon", "card", "at", "gross value", "net value"]))
        self.assertIn("may be the line total just as well", told["gross value"].doubt)

    def test_headings_alone_decide_nothing(self):
        names = ["total", "customer", "date", "price"]
        rows = log_of(world(), "card", "moment", "total", "item").rename_columns(names)
        roles, _ = self.told(rows)
        self.assertEqual(roles["moment"], "customer")  # it alone holds dates
        self.assertNotEqual(roles.get("money"), "total")


class Wide(unittest.TestCase):
    """A file of very many columns is told without comparing each with each."""

    def rows(self, columns):
        rng = np.random.default_rng(1)
        codes = pa.array([str(v) for v in rng.integers(0, 800, 2000)])
        names = ["card", "receipt", "date", "total", *(f"c{n}" for n in range(columns - 4))]
        receipts = np.sort(rng.integers(0, 900, 2000))
        arrays = [
            pa.array([f"K{r % 150}" for r in receipts]), pa.array([str(r) for r in receipts]),
            pa.array([f"2026-01-{1 + r % 28:02d}" for r in receipts]),
            pa.array([f"{v:.2f}" for v in rng.random(2000)]), *[codes] * (columns - 4),
        ]  # fmt: skip
        return pa.RecordBatch.from_arrays(arrays, names)

    def test_roles_are_found_and_few_pairs_compared(self):
        compared = LogSample.determines
        with mock.patch.object(
            LogSample, "determines", autospec=True, side_effect=compared
        ) as asked:
            found, guesses = guess_log(self.rows(1500))
        self.assertEqual(found.roles["customer"], "card")
        self.assertEqual(found.roles["moment"], "date")
        self.assertEqual(found.roles["money"], "total")
        self.assertEqual(len(guesses), 1500)
        self.assertLessEqual(asked.call_count, 3 * guessing.MOST_COMPARED**2)

    def test_beyond_the_limit_a_sentence(self):
        with self.assertRaisesRegex(MappingError, "2,001 columns, more than the 2,000"):
            guess_log(self.rows(2001))


if __name__ == "__main__":
    unittest.main()
