"""The book of the demo: figures as in the API, texts of people, marked where these part."""

import io
import re

from docx import Document

from sortija.core.portraits.figures import in_words, percent
from sortija.server.portraits.models import Book
from sortija.server.studies.models import Membership
from tests.server.support import DemoCase


class TheBook(DemoCase):
    def setUp(self):
        super().setUp()
        self.adopt(4)

    def once(self):
        """Groups of the demo tried."""
        self.sweep()

    def write(self, revision=0, status=201):
        return self.send("post", "portraits/book", status=status, **{"If-Match": str(revision)})

    def change(self, page, status=200, **change):
        seen = {"If-Match": str(page["revision"])}
        return self.send("put", "portraits/book", change, status, **seen)

    def part(self, page, key):
        parts = [*page["cover"], *(p for s in page["segments"] for p in s["parts"])]
        return next((p for p in parts if p["key"] == key), None)

    def runs(self, page, key):
        return [run for s in self.part(page, key)["sentences"] for run in s["runs"] if run["key"]]

    def read(self, page, key):
        sentences = self.part(page, key)["sentences"]
        return " ".join("".join(run["text"] for run in s["runs"]) for s in sentences)

    def test_figures_are_those_of_the_other_views(self):
        page = self.get("portraits/book")
        self.assertIsNone(page["written"])
        whole = self.get("portraits")
        rows = {row["name"]: row for row in whole["numeric"]}
        kinds = {row["name"]: row for row in whole["categories"]}
        rules = {rule["segment"]: rule for rule in self.get("portraits/rules")["rules"]}
        checked = 0
        for segment, head in zip(page["segments"], whole["segments"], strict=True):
            n = head["number"]
            self.assertEqual((segment["name"], segment["mark"]), (head["name"], head["mark"]))
            self.assertEqual(segment["size"], f"{head['customers']:,} customers")
            for part in segment["parts"]:
                for run in self.runs(page, part["key"]):
                    kind, _, name = run["key"].partition(":")
                    if kind == "mean" and name in rows:
                        wanted = in_words(rows[name]["means"][n - 1], rows[name]["unit"])
                    elif kind == "has":
                        column, _, level = name.partition("=")
                        place = kinds[column]["levels"].index(level)
                        wanted = percent(kinds[column]["shares"][n - 1][place])
                    elif kind in ("holds", "belongs"):
                        wanted = percent(rules[n][kind]["share"])
                    elif kind == "border":
                        wanted = f"{head['border']:,} customers"
                    else:
                        continue
                    checked += 1
                    self.assertEqual(run["text"], wanted, run["key"])
        self.assertGreater(checked, 20)
        spend = [percent(s["money"] / whole["money"]) for s in whole["segments"]]
        self.assertEqual([row["money"] for row in page["glance"]], spend)

    def test_written_changed_and_undone(self):
        page = self.write()
        self.assertEqual((page["revision"], page["changed"]), (1, 0))
        self.write(0, status=409)
        text = "Write in March. They are {share} of all, (not {nothing}) {mean:frequency}."
        self.change(page, 400, part="1.do", text=text.replace("{share}", "{has:no=such}"))
        page = self.change(page, part="1.do", text=text.replace("{nothing}", "n"))
        self.assertIn("Write in March. They are ", self.read(page, "1.do"))
        self.assertEqual([run["key"] for run in self.runs(page, "1.do")],
                         ["share", "mean:frequency"])  # fmt: skip
        self.change(page, 404, part="9.do", text="x")
        self.change(page, 400, part="1.do", text="x" * 5000)
        self.send("put", "portraits/book", {"part": "1.do", "text": "mine"}, 409,
                  **{"If-Match": "1"})  # fmt: skip
        page = self.change(page, order=[4, 1, 2, 3], left_out=["find", "method"])
        self.assertEqual([s["number"] for s in page["segments"]], [4, 1, 2, 3])
        self.assertIsNone(self.part(page, "1.find"))
        self.change(page, 400, order=[1, 2, 3])
        self.change(page, 400, left_out=["nothing"])
        page = self.change(page, part="1.do", anew=True)
        self.assertEqual(self.read(page, "1.do"), "")
        for _ in range(2):
            self.send("post", "history/undo")
        page = self.get("portraits/book")
        self.assertEqual([s["number"] for s in page["segments"]], [1, 2, 3, 4])
        self.assertIn("Write in March.", self.read(page, "1.do"))
        for _ in range(2):
            self.send("post", "history/undo")
        self.assertIsNone(self.get("portraits/book")["written"])
        self.assertFalse(Book.objects.exists())
        self.send("post", "history/redo")
        self.assertIsNotNone(self.get("portraits/book")["written"])

    def test_sentences_whose_figures_changed_are_marked(self):
        """Seen at another window, as when the next log has come in."""
        self.write()
        then = self.get("portraits/book")
        address = "portraits/book?to=2026-03-31&back=12"
        page = self.get(address)
        self.assertGreater(page["changed"], 5)
        self.assertFalse(page["written"]["same_window"])
        # Nothing was rewritten: every part reads as it did.
        for part in [*then["cover"], *(p for s in then["segments"] for p in s["parts"])]:
            self.assertEqual(self.read(page, part["key"]), self.read(then, part["key"]))
        moved = [r for r in self.runs(page, "1.lead") if r["now"]]
        self.assertTrue(moved)
        sentence = next(
            n for n, s in enumerate(self.part(page, "1.lead")["sentences"]) if s["changed"]
        )

        def settle(how, **more):
            seen = {"If-Match": str(self.get(address)["revision"])}
            return self.send("put", address, {"settle": how, **more}, **seen)

        page = settle("take", part="1.lead", sentence=sentence)
        self.assertFalse(self.part(page, "1.lead")["sentences"][sentence]["changed"])
        for run in moved:
            self.assertIn(run["now"], self.read(page, "1.lead"))
        kept = self.read(page, "2.lead")
        page = settle("keep", part="2.lead")
        self.assertFalse(any(s["changed"] for s in self.part(page, "2.lead")["sentences"]))
        self.assertEqual(self.read(page, "2.lead"), kept)
        self.assertTrue(any(run["now"] for run in self.runs(page, "2.lead")))
        page = settle("take")
        self.assertEqual(page["changed"], 0)
        self.assertEqual(self.read(page, "2.lead"), kept)
        # Back at the window it was written from, what was taken has changed once more.
        self.assertGreater(self.get("portraits/book")["changed"], 5)

    def test_a_new_name_is_in_the_book_at_once(self):
        page = self.write()
        towards = next(
            (r for s in page["segments"] for r in self.runs(page, f"{s['number']}.sure")
             if r["key"] == "towards"), None,
        )  # fmt: skip
        segment = next(s for s in self.get("portraits")["segments"] if s["name"] == towards["text"])
        self.send("put", f"portraits/segments/{segment['id']}", {"name": "Plot keepers"},
                  **{"If-Match": str(segment["revision"])})  # fmt: skip
        page = self.get("portraits/book")
        self.assertIn("Plot keepers", [s["name"] for s in page["segments"]])
        self.assertIn("Plot keepers", [
            r["text"] for s in page["segments"] for r in self.runs(page, f"{s['number']}.sure")
        ])  # fmt: skip
        self.assertEqual(page["changed"], 0)

    def test_files(self):
        page = self.write()
        page = self.change(page, part="1.do", text="Write in March to {customers}.")
        for kind in ("html", "docx", "md", "pdf"):
            answer = self.client.get(self.url(f"portraits/book/file?kind={kind}"))
            self.assertEqual(answer.status_code, 200)
            if kind == "docx":
                told = "\n".join(p.text for p in Document(io.BytesIO(answer.content)).paragraphs)
            else:
                told = answer.content.decode("utf-8", "replace")
                told = re.sub(r"<[^>]+>|\*\*|\\", "", told)
            if kind != "pdf":
                self.assertIn(self.read(page, "1.do"), told)
                self.assertIn(f"Write in March to {page['segments'][0]['size']}.", told)
            # Nobody's card and nobody's address.
            self.assertNotIn("M-0", told)
            self.assertNotIn("@example.org", told)
        refused = self.client.get(self.url("portraits/book/file?kind=exe"))
        self.assertEqual(refused.status_code, 400)

    def test_whoever_may_only_look(self):
        self.write()
        Membership.objects.filter(study=self.study).update(role="reader")
        self.assertEqual(len(self.get("portraits/book")["segments"]), 4)
        self.change({"revision": 1}, 403, part="1.do", text="mine")
        self.write(1, status=403)

    def test_figures_to_choose_from(self):
        found = self.get("portraits/book/figures?page=2")["figures"]
        words = {figure["key"]: figure["words"] for figure in found}
        whole = self.get("portraits")
        self.assertEqual(words["customers"], f"{whole['segments'][1]['customers']:,} customers")
        visits = next(row for row in whole["numeric"] if row["name"] == "frequency")
        self.assertEqual(words["mean:frequency"], in_words(visits["means"][1], "visits"))
        self.get("portraits/book/figures?page=9", 404)


class WithoutGroups(DemoCase):
    def test_there_is_no_book(self):
        page = self.get("portraits/book")
        self.assertEqual((page["status"]["state"], page["segments"]), ("empty", []))
        self.send("post", "portraits/book", status=409, **{"If-Match": "0"})
        answer = self.client.get(self.url("portraits/book/file"))
        self.assertEqual(answer.status_code, 409)
