"""The report of a campaign against its result, in every form, and what the book tells of it."""

import io

import docx
import pypdf

from sortija.server.campaigns.models import Campaign
from tests.server.support import SMALL, DemoCase


class Report(DemoCase):
    once = DemoCase.four_groups

    def setUp(self):
        super().setUp()
        past = {"name": "Winter letter", "send_on": "2026-01-31", "read_on": "2026-03-31",
                "list": (SMALL / "winter-letter.csv").read_text()}  # fmt: skip
        self.row = self.send("post", "campaigns/past", past, 201)
        self.path = f"campaigns/{self.row['id']}"
        self.send("put", f"{self.path}/costs", {"contact": 0.5, "fixed": 10, "margin": 0.4})
        self.result = self.get(f"{self.path}/result")

    def file(self, kind, status=200):
        answer = self.client.get(self.url(f"{self.path}/report/file?kind={kind}"))
        self.assertEqual(answer.status_code, status)
        return answer.content

    def test_the_page_and_every_file_say_what_the_result_says(self):
        told = self.result["told"]
        page = self.get(f"{self.path}/report")
        first = page["parts"][0]
        self.assertEqual((first["strong"], first["text"]),
                         (told["lead"], f"{told['rest']} {told['beside']}"))  # fmt: skip
        for row, arm in zip(first["rows"], ("written", "held"), strict=True):
            self.assertEqual(row[1], f"{self.result[arm]['customers']:,}")
            self.assertEqual(row[2], f"{100 * self.result[arm]['share']:.1f}%")
        worth = next(p for p in page["parts"] if p["title"] == "What it was worth")
        self.assertRegex(worth["text"], "^It won .* of margin and cost £")
        self.assertTrue(first["picture"].startswith("<svg"))
        self.assertIn(told["lead"], self.file("html").decode())
        pdf = pypdf.PdfReader(io.BytesIO(self.file("pdf")))
        self.assertIn(told["lead"], pdf.pages[0].extract_text().replace("\n", " "))
        self.assertEqual(len(pdf.pages), 1)
        words = docx.Document(io.BytesIO(self.file("docx")))
        self.assertIn(told["lead"], "\n".join(p.text for p in words.paragraphs))
        self.file("odt", 400)

    def test_a_plan_of_ours_names_its_lens_and_nothing_before_the_draw(self):
        lens = [
            {"field": "measure:recency", "ranges": [[30, None]]},
            {"field": "trait:garden", "values": ["yard"], "negated": True},
        ]
        plan = {"name": "Spring", "send_on": "2026-07-10", "read_on": "2026-08-20"}
        row = self.send("post", "campaigns", {**plan, "clauses": lens}, 201)
        self.get(f"campaigns/{row['id']}/report", 409)
        self.send("post", f"campaigns/{row['id']}/draw")
        page = self.get(f"campaigns/{row['id']}/report")
        whom = next(p["text"] for p in page["parts"] if p["title"] == "Whom it was for")
        self.assertIn("Days since last visit 30 days and up; Garden not yard: ", whom)
        self.assertIn(f"{row['fell_away']['no consent']:,} for no consent", whom)
        self.assertIn("No purchase after 10 Jul 2026 is in the log yet", page["parts"][0]["text"])

    def part(self, book):
        return next((p for p in book["cover"] if p["key"] == "cover.campaigns"), None)

    def read(self, part):
        return " ".join("".join(run["text"] for run in s["runs"]) for s in part["sentences"])

    def test_the_book_tells_of_it_and_marks_it_when_it_changes(self):
        book = self.get("portraits/book")
        gap = self.result["returned"]
        said = self.read(self.part(book))
        self.assertIn("Winter letter, read on 31 Mar 2026: ", said)
        between = " to ".join(f"{100 * gap[end]:.1f}".replace("-", "−") for end in ("low", "high"))
        self.assertIn(between, said)
        book = self.send("post", "portraits/book", status=201)
        self.assertEqual(book["changed"], 0)
        Campaign.objects.update(read_on="2026-03-01")  # told through another day
        book = self.get("portraits/book")
        self.assertGreater(book["changed"], 0)
        self.assertTrue(any(s["changed"] for s in self.part(book)["sentences"]))
        figures = self.get("portraits/book/figures", page="cover")["figures"]
        keys = [f["key"] for f in figures]
        self.assertIn(f"came_back:{self.row['id']}", keys)
        book = self.send("put", "portraits/book", {"left_out": ["campaigns"]})
        self.assertIsNone(self.part(book))
