"""``sortija holdout``, ``power`` and ``effect``: from a list to what a campaign did."""

import csv
import io
import json

import numpy as np
import pyarrow.parquet as pq
from scipy import stats

from sortija.core.campaigns.effect import effect_of, parts_of
from sortija.core.campaigns.power import smallest_effect
from tests.cli.support import CommandCase
from tests.core.campaigns.worlds import sent


def _rows(path):
    return list(csv.DictReader(io.StringIO(path.read_text())))


class Holdout(CommandCase):
    command = "holdout"

    def setUp(self):
        super().setUp()
        lines = [f"C{n},{'ab'[n % 3 == 0]}" for n in range(300)]
        self.list = self.file("card,segment\n" + "\n".join(lines) + "\n", "list.csv")

    def test_exact_within_each_segment_and_the_same_again(self):
        out, again = self.folder / "one.csv", self.folder / "two.csv"
        said, _ = self.call(self.list, "--share", 0.1, "--stratify", "segment", "--out", out)
        self.assertIn("270 are written to, 30 held out", said)
        rows = _rows(out)
        self.assertEqual([row["card"] for row in rows], [f"C{n}" for n in range(300)])
        held = [row for row in rows if row["group"] == "held"]
        self.assertEqual(len(held), 30)
        self.assertEqual(sum(row["segment"] == "b" for row in held), 10)
        self.call(self.list, "--share", 0.1, "--stratify", "segment", "--out", again)
        self.assertEqual(out.read_bytes(), again.read_bytes())
        self.call(self.list, "--share", 0.1, "--stratify", "segment", "--seed", 9, "--out", again)
        self.assertNotEqual(out.read_bytes(), again.read_bytes())

    def test_into_parquet_without_strata(self):
        out = self.folder / "drawn.parquet"
        self.call(self.list, "--share", 0.5, "--out", out)
        groups = pq.read_table(out)["group"].to_pylist()
        self.assertEqual(groups.count("held"), 150)

    def test_what_cannot_be_drawn(self):
        out = self.folder / "drawn.csv"
        self.assertIn("between 0 and 1", self.said(self.list, "--share", 1, "--out", out))
        told = self.said(self.list, "--share", 0.1, "--stratify", "tier", "--out", out)
        self.assertIn("no column called tier", told)
        self.call(self.list, "--share", 0.1, "--out", out)
        told = self.said(out, "--share", 0.1, "--out", self.folder / "b.csv")
        self.assertIn("drawn already", told)
        self.assertIn("call it .csv", self.said(self.list, "--share", 0.1, "--out", "drawn.doc"))


class Power(CommandCase):
    command = "power"

    def test_as_the_core_says(self):
        out, _ = self.call("--written", 900, "--held", 100, "--base", 0.08, "--json")
        self.assertEqual(json.loads(out)["smallest"], smallest_effect(900, 100, 0.08))
        out, _ = self.call("--written", 900, "--held", 100, "--base", 0.08)
        self.assertIn(f"{100 * smallest_effect(900, 100, 0.08):.1f} points", out)

    def test_what_cannot_be_measured(self):
        out, _ = self.call("--written", 900, "--held", 0, "--base", 0.08, "--json")
        self.assertIsNone(json.loads(out)["smallest"])
        self.assertIn("lies between", self.said("--written", 9, "--held", 9, "--base", 8))
        self.said("--written", "-1", "--held", 9, "--base", 0.1, status=2)


class Effect(CommandCase):
    command = "effect"

    def setUp(self):
        super().setUp()
        self.sent = sent(np.random.default_rng(12), 1000, 0.5, 0.3, 0.08)
        one = self.sent
        lines = ["group,returned,spend,pre_spend,stratum,segment"]
        lines += [
            f"{'held' if held else 'written'},{int(came)},{spent!r},{before!r},{stratum},s{segment}"
            for held, came, spent, before, stratum, segment in zip(
                one.arms.held, one.came, one.spent.tolist(), one.before.tolist(),
                one.arms.stratum, one.segment, strict=True,
            )
        ]  # fmt: skip
        self.list = self.file("\n".join(lines) + "\n", "list.csv")

    def test_as_it_is(self):
        found = json.loads(self.call(self.list, "--spend", "spend", "--json")[0])
        held, came, spent = self.sent.arms.held, self.sent.came, self.sent.spent
        told = found["returned"]
        self.assertAlmostEqual(told["written"], came[~held].mean())
        self.assertAlmostEqual(told["difference"], came[~held].mean() - came[held].mean())
        test = stats.ttest_ind(spent[~held], spent[held], equal_var=False).confidence_interval()
        self.assertAlmostEqual(found["spend"]["low"], test.low)
        self.assertAlmostEqual(found["spend"]["high"], test.high)
        self.assertIsNone(found["spend"]["adjusted"])
        self.assertEqual((found["segments"], found["interaction_p"]), ([], None))

    def test_with_strata_earlier_spend_and_segments(self):
        more = ["--spend", "spend", "--pre", "pre_spend", "--stratum", "stratum",
                "--segment", "segment"]  # fmt: skip
        found = json.loads(self.call(self.list, *more, "--json")[0])
        one = self.sent
        expected = effect_of(one.came, one.arms, one.spent, one.before)
        self.assertAlmostEqual(found["returned"]["low"], expected.returned.low)
        self.assertAlmostEqual(found["spend"]["adjusted"]["high"], expected.spend.adjusted.high)
        self.assertAlmostEqual(found["spend"]["cap"], expected.spend.cap)
        parts = parts_of(one.came, one.arms, one.segment)
        self.assertAlmostEqual(found["interaction_p"], parts.differ)
        self.assertEqual([each["segment"] for each in found["segments"]], ["s0", "s1", "s2"])
        for each, part in zip(found["segments"], parts.returned, strict=True):
            self.assertAlmostEqual(each["difference"], part.difference)
            self.assertAlmostEqual(each["low"], part.low)
            self.assertIsNotNone(each["spend"]["adjusted"])
        said, _ = self.call(self.list, *more)
        self.assertIn(f"{100 * expected.returned.difference:+.1f}", said)
        self.assertIn("widened for 3 looks", said)
        self.assertIn("Adjusted for earlier spend, capped at", said)

    def test_what_is_wrong_with_a_list(self):
        head = "group,returned,spend\n"
        for text, told in (
            ("written,1,2\nheldout,0,3\n", "row 3: group is written or held, not “heldout”"),
            ("written,1,2\n,0,3\n", "row 3: group is empty"),
            ("written,1,2\nheld,2,3\n", "row 3: returned is 0 or 1, not 2"),
            ("written,1,2\nheld,,3\n", "row 3: returned has no number"),
            ("written,1,2\nheld,0,much\n", "row 3: column spend has “much”"),
            ("written,1,2\nwritten,0,3\n", "nobody is held out"),
        ):
            said = self.said(self.file(head + text, "odd.csv"), "--spend", "spend")
            self.assertIn(told, said)
        self.assertIn("no column called x", self.said(self.list, "--segment", "x"))
        self.assertIn("--spend", self.said(self.list, "--pre", "pre_spend"))

    def test_few_buyers(self):
        rows = [f"{'held' if n % 2 else 'written'},{int(n < 20)},{(n < 20) * 9}" for n in range(80)]
        odd = self.file("group,returned,spend\n" + "\n".join(rows) + "\n", "few.csv")
        found = json.loads(self.call(odd, "--spend", "spend", "--json")[0])
        self.assertIsNone(found["spend"]["low"])
        self.assertIn("too few buyers", self.call(odd, "--spend", "spend")[0])
