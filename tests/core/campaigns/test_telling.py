"""Sentences of a result, and the page that they stand on."""

import io
import unittest
from dataclasses import replace
from datetime import date
from html.parser import HTMLParser
from xml.etree import ElementTree

import docx

from sortija.core.campaigns.report import ArmShown, PartShown, ReportFacts, report_of
from sortija.core.campaigns.telling import Finding, Gap, Money, Spent, tell, worth_words
from sortija.core.formats.report.pictures import arms_svg, segments_svg
from sortija.core.formats.report.writing import report_file

NAN = float("nan")
READ = Finding(
    returned=Gap(0.064, 0.024, 0.104), days=28, horizon=28, read_on=date(2026, 2, 28),
    final=True, verdict="more", by_luck=0.0016, likely_on=None, anyway=0.57,
    spent=Spent(Gap(74, NAN, NAN), Gap(105, -20, 230), 92_600), money=Money("£", 2),
)  # fmt: skip


class Sentences(unittest.TestCase):
    def test_a_read_campaign_has_a_verdict_and_how_often_luck_would_do_as_much(self):
        told = tell(READ)
        self.assertEqual(told.lead, "6.4 more in 100 came back")
        self.assertEqual(
            told.rest, " than would have unasked (2.4 to 10.4, 95%). Had nothing been sent, "
            "2 such campaigns in 1,000 would look like this or better.",
        )  # fmt: skip
        self.assertEqual(
            told.beside, "By everyone drawn, opened or not. Spend: £1.05 a head more (−£0.20 to "
            "£2.30), capped at £926 and adjusted for earlier spend. As it is: £0.74 a head more. "
            "Of those written to who came, 57 in 100 would have come anyway.",
        )  # fmt: skip

    def test_before_the_planned_day_there_is_no_verdict(self):
        told = tell(replace(READ, final=False, verdict=None, days=9, likely_on=date(2026, 3, 9)))
        self.assertEqual(told.lead, "So far, 9 of 28 days: +6.4 in 100")
        self.assertIn("No verdict before 28 Feb 2026. At this pace it is likely to be told by "
                      "9 Mar 2026.", told.rest)  # fmt: skip
        for word in ("more in 100 came", "anyway", "luck"):
            self.assertNotIn(word, told.lead + told.rest + told.beside.replace("opened", ""))

    def test_what_cannot_be_told_is_not_told(self):
        gap = Gap(0.01, -0.03, 0.05)
        told = tell(replace(READ, returned=gap, verdict="cannot tell", anyway=None, spent=None))
        self.assertEqual(told.lead, "Whether more came back cannot be told:")
        self.assertEqual(told.rest, " +1.0 in 100 (−3.0 to 5.0, 95%).")
        self.assertEqual(told.beside, "By everyone drawn, opened or not.")

    def test_fewer_came_back(self):
        spent = Spent(Gap(-74, NAN, NAN), None, None)
        gap = Gap(-0.05, -0.09, -0.01)
        told = tell(replace(READ, returned=gap, verdict="fewer", by_luck=0.0001, spent=spent))
        self.assertEqual(told.lead, "5.0 fewer in 100 came back")
        self.assertIn("fewer than 1 such campaign in 2,000 would look like this or worse",
                      told.rest)  # fmt: skip
        self.assertIn("Spend: £0.74 a head less (too few bought for an interval).", told.beside)

    def test_what_it_was_worth_names_discounts_only_where_there_were_some(self):
        net = Gap(-26_000, NAN, NAN)
        said = worth_words(Gap(14_000, NAN, NAN), 40_000, 500, net, Money("£", 2))
        self.assertEqual(said, "It won £140 of margin and cost £400 and £5.00 of discounts to "
                         "those who would have come anyway, which leaves −£260 (no interval, for "
                         "too few bought).")  # fmt: skip


def facts(**changes):
    usual = ReportFacts(
        study="Shop <&>", name="Winter <b>letter</b>", whom="Days since last visit 60 and up",
        lens=1200, fell_away={"no consent": 150, "another campaign": 50}, sent_on=date(2026, 1, 31),
        read_on=date(2026, 2, 28), through=date(2026, 2, 28), final=True,
        written=ArmShown("written to", 500, 0.15, 0.12, 0.18),
        held=ArmShown("held out", 500, 0.086, 0.064, 0.114), told=tell(READ), lacks="", worth="",
        segments=[PartShown("Steady", 250, 250, 0.08, 0.01, 0.15, 3),
                  PartShown("Quiet", 250, 12, None, None, None, 4)],
        differ=False, letters={"delivered": 480, "bounced": 20, "opened": 0},
    )  # fmt: skip
    return replace(usual, **changes)


class Text(HTMLParser):
    def __init__(self):
        super().__init__()
        self.told = []

    def handle_data(self, data):
        self.told.append(data)


def text_of(page):
    parser = Text()
    parser.feed(page)
    return "".join(parser.told)


class Page(unittest.TestCase):
    def sections(self, **changes):
        return {s.title: s for s in report_of(facts(**changes)).sections}

    def test_it_says_whom_what_and_what_chance_makes(self):
        found = self.sections()
        self.assertEqual(found["Whom it was for"].text, (
            "Days since last visit 60 and up: 1,200 customers. Of these fell away 150 for no "
            "consent and 50 for another campaign. 500 were written to, and 500 held out by lot so "
            "that the effect can be told."
        ))  # fmt: skip
        self.assertEqual(found["What it did"].rows[1], ("held out", "500", "8.6%",
                                                        "6.4% to 11.4%"))  # fmt: skip
        self.assertIn("No sign that segments differ", found["By segment"].text)
        self.assertEqual(found["By segment"].rows[1], ("Quiet", "250", "12", "–", "too few"))
        self.assertEqual(found["The letters"].text, (
            "Of 500 letters, 480 delivered and 20 bounced. These do not enter the result."
        ))  # fmt: skip

    def test_a_result_that_is_not_there_is_a_sentence_without_pictures(self):
        report = report_of(facts(told=None, lacks="Nobody was held out.", held=None))
        self.assertEqual([s.title for s in report.sections],
                         ["What it did", "Whom it was for", "The letters"])  # fmt: skip
        self.assertEqual((report.sections[0].text, report.arms, report.segments),
                         ("Nobody was held out.", (), ()))  # fmt: skip
        self.assertIn("not read yet", report_of(facts(final=False)).subtitle)

    def test_every_kind_of_file_says_the_same_and_no_sign_acts_in_it(self):
        report = report_of(facts())
        page = report_file(report, "html").decode()
        self.assertNotIn("<b>letter</b>", page)
        lead = "6.4 more in 100 came back than would have unasked"
        for said in (lead, "Winter <b>letter</b>", "8.6%", "150 for no consent"):
            self.assertIn(said, text_of(page))
        self.assertTrue(report_file(report, "pdf").startswith(b"%PDF"))
        file = docx.Document(io.BytesIO(report_file(report, "docx")))
        words = "\n".join(p.text for p in file.paragraphs)
        self.assertIn(lead, words)
        self.assertIn("Winter <b>letter</b>", words)
        self.assertEqual(len(file.inline_shapes), 2)
        self.assertEqual([len(table.rows) for table in file.tables], [3, 3])

    def test_what_is_drawn_stands_where_its_figures_say(self):
        drawn = ElementTree.fromstring(arms_svg(report_of(facts()).arms))
        circles = [float(c.get("cx")) for c in drawn.iter() if c.tag.endswith("circle")]
        self.assertGreater(circles[0], circles[1])
        ticks = {
            t.text: float(t.get("x")) for t in drawn.iter()
            if t.tag.endswith("text") and t.get("text-anchor") == "middle"
        }  # fmt: skip
        scale = (ticks["15%"] - ticks["10%"]) / 5
        self.assertAlmostEqual(circles[0] - circles[1], 6.4 * scale, delta=0.2)
        told = segments_svg(report_of(facts()).segments)
        self.assertEqual(told.count("<circle"), 1 + told.count('r="2.24"'))
        self.assertIn("too few", told)


if __name__ == "__main__":
    unittest.main()
