"""Files of delivery services: columns are found by what is in them, rows read or counted."""

import math
import unittest

import pyarrow as pa

from sortija.core.campaigns.letters import (
    KINDS,
    LetterMapping,
    Unread,
    guess_kind,
    propose,
    read_letters,
)

CARDS = {f"M-{n:03d}" for n in range(50)}
ADDRESSES = {f"m{n}@example.org" for n in range(50)}
KNOWN = {"card": CARDS, "address": ADDRESSES, "pseudonym": {f"P-{n:016X}" for n in range(50)}}
#: Words as services of several kinds write them, and what they mean.
SAID = {
    "delivered": ("delivered", "DELIVERY", "Accepted"),
    "bounced": ("bounce", "hard_bounce", "soft-bounce", "Undelivered", "failed", "dropped"),
    "opened": ("open", "Opened", "email read", "viewed"),
    "clicked": ("click", "link_clicked"),
    "replied": ("reply", "Answered"),
    "opted out": ("unsubscribe", "opt-out", "opted_out", "spam complaint", "spamreport", "abuse"),
    "": ("queued", "sent", "processed", ""),
}


def table(**columns):
    return pa.RecordBatch.from_pydict({n: pa.array(c, pa.string()) for n, c in columns.items()})


class Proposing(unittest.TestCase):
    def test_words_of_services(self):
        for kind, words in SAID.items():
            for word in words:
                self.assertEqual(guess_kind(word), kind, word)
        self.assertEqual(set(SAID) - {""}, set(KINDS))

    def test_columns_are_told_by_what_is_in_them_not_by_their_names(self):
        rows = table(
            a=["3", "4", "5"], b=["x@example.org", "M2@EXAMPLE.ORG", "m3@example.org"],
            c=["2026-07-01", "2026-07-02 10:00", None], d=["opened", "bounce", "opened"],
            e=["campaign 7"] * 3,
        )  # fmt: skip
        found = propose(rows, KNOWN)
        self.assertEqual((found.who, found.by, found.what, found.when), ("b", "address", "d", "c"))
        self.assertEqual(found.values, {"bounce": "bounced", "opened": "opened"})
        cards = propose(table(x=["M-001", "M-002"], y=["a", "b"]), KNOWN)
        self.assertEqual((cards.who, cards.by, cards.what, cards.when), ("x", "card", "", ""))

    def test_pseudonyms_name_customers_too(self):
        found = propose(table(x=["P-0000000000000001"], y=["M-999"]), KNOWN)
        self.assertEqual((found.who, found.by), ("x", "pseudonym"))

    def test_a_column_of_many_different_words_does_not_say_what_happened(self):
        subjects = [f"open day number {n}" for n in range(60)]
        rows = table(card=[f"M-{n % 50:03d}" for n in range(60)], subject=subjects)
        self.assertEqual(propose(rows, KNOWN).what, "")

    def test_a_file_about_others_names_nobody(self):
        found = propose(table(card=["Z1"], what=["open"]), KNOWN)
        self.assertEqual(found.who, "")


class Reading(unittest.TestCase):
    def read(self, rows, **mapping):
        unread = Unread()
        mapping = {"who": "card", "by": "card", **mapping}
        return list(read_letters([rows], LetterMapping(**mapping), unread)), unread

    def test_rows_are_read_or_counted(self):
        rows = table(
            card=[" M-001 ", "M-002", "", "M-003", "M-004"],
            what=["open", "queued", "open", "vanished", "open"],
            at=["1970-01-02 00:00:05", "1970-01-02", "1970-01-02", "1970-01-02", "31/02/2026"],
        )
        told, unread = self.read(
            rows, what="what", values={"open": "opened", "queued": ""}, when="at"
        )
        self.assertEqual(told, [("M-001", "opened", 86_405.0)])
        self.assertEqual(unread.rows, {"no customer": 1, "not known what happened": 1,
                                       "no date": 1})  # fmt: skip
        self.assertEqual(unread.first["no date"], "31/02/2026")

    def test_a_file_of_one_kind_without_dates(self):
        told, unread = self.read(table(card=["M-001", "M-002"]), all_are="bounced")
        self.assertEqual([(who, kind) for who, kind, _ in told],
                         [("M-001", "bounced"), ("M-002", "bounced")])  # fmt: skip
        self.assertTrue(all(math.isnan(seconds) for *_, seconds in told))
        self.assertFalse(unread.rows)

    def test_day_or_month_first_as_it_is_said(self):
        rows = table(card=["M-001"], at=["03/04/1970"])
        for month_first, day in ((False, 31 + 28 + 31 + 2), (True, 31 + 28 + 3)):
            [(_, _, seconds)], _ = self.read(
                rows, all_are="opened", when="at", month_first=month_first
            )
            self.assertEqual(seconds, day * 86_400)


if __name__ == "__main__":
    unittest.main()
