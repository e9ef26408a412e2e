"""The book as files: read back, whole, with nothing that acts on its own."""

import io
import re
import unittest
from dataclasses import replace
from html.parser import HTMLParser

import numpy as np
from docx import Document
from markdown_it import MarkdownIt
from pypdf import PdfReader

from sortija.core.formats.book.pictures import mark_svg, thread_svg
from sortija.core.formats.book.writing import file_of
from sortija.core.portraits.book.pages import book_of
from tests.core.portraits.book.worlds import facts, usual

NASTY = 'Q & <script>alert("1")</script> *stars* | pipe'


class Text(HTMLParser):
    def __init__(self):
        super().__init__()
        self.words, self.tags = [], []

    def handle_starttag(self, tag, attrs):
        self.tags.append((tag, dict(attrs)))

    def handle_data(self, data):
        self.words.append(data)


class Files(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rows, kinds, groups = usual(np.random.default_rng(61))
        told = facts(rows, kinds, groups, 3)
        first = replace(told.segments[0], name=NASTY[:40])
        told = replace(told, segments=(first, *told.segments[1:]))
        text = f"{NASTY}. They are {{share}}."
        cls.book = book_of(told, {"1.do": text}, foot="Written 2 July 2026.")

    def sentences(self, page):
        return [
            "".join(run.text for run in sentence)
            for section in page.sections
            for sentence in section.sentences
        ]

    def read(self, kind):
        """The file's words as a reader has them."""
        data = file_of(self.book, kind)
        if kind == "html":
            parser = Text()
            parser.feed(data.decode())
            return "".join(parser.words)
        file = Document(io.BytesIO(data))
        cells = [c.text for t in file.tables for row in t.rows for c in row.cells]
        return "\n".join([*(p.text for p in file.paragraphs), *cells])

    def test_every_sentence_is_in_every_file(self):
        for kind in ("html", "docx"):
            told = self.read(kind)
            for page in self.book.pages:
                self.assertIn(page.name, told)
                self.assertIn(page.size, told)
                for sentence in self.sentences(page):
                    self.assertIn(sentence, told, kind)
                for row in page.threads:
                    self.assertIn(row.value, told)
            for row in self.book.glance:
                for cell in (row.name, row.customers, row.share, *row.figures):
                    self.assertIn(cell, told)

    def test_markdown_means_what_it_says(self):
        """As an independent reader of the format has it."""
        parser = Text()
        reader = MarkdownIt("commonmark", {"html": True}).enable("table")
        parser.feed(reader.render(file_of(self.book, "md").decode()))
        told, tags = "".join(parser.words), [tag for tag, _ in parser.tags]
        for page in self.book.pages:
            self.assertIn(page.name, told)
            for sentence in self.sentences(page):
                self.assertIn(sentence, told)
        for row in self.book.glance:
            self.assertIn(row.name, told)
        self.assertEqual((tags.count("table"), tags.count("script")), (4, 0))
        self.assertEqual(tags.count("em"), 0)

    def test_pdf_is_read_back(self):
        pages = [" ".join(p.extract_text().split()) for p in self.pdf().pages]
        self.assertEqual(len(pages), 4)
        for page, told in zip(self.book.pages, pages[1:], strict=True):
            for sentence in [page.size, page.part, *self.sentences(page)]:
                self.assertIn(sentence.replace(" ", ""), told.replace(" ", ""))

    def pdf(self):
        return PdfReader(io.BytesIO(file_of(self.book, "pdf")))

    def test_the_web_page_brings_everything_along(self):
        parser = Text()
        page = file_of(self.book, "html", {"Figtree": b"letters"}).decode()
        parser.feed(page)
        tags = [tag for tag, _ in parser.tags]
        self.assertNotIn("script", tags)
        self.assertNotIn("link", tags)
        for _, attributes in parser.tags:
            self.assertNotIn("src", attributes)
            self.assertNotIn("href", attributes)
        self.assertEqual(re.findall(r"url\((?!data:)", page), [])
        self.assertIn("data:font/woff2;base64,bGV0dGVycw==", page)
        self.assertEqual(tags.count("h2"), 3)

    def test_a_word_file_holds_no_signs_that_break_it(self):
        told = replace(self.book, title="Bell\x07 and null\x00")
        file = Document(io.BytesIO(file_of(told, "docx")))
        self.assertEqual(file.paragraphs[0].text, "Bell and null")


class Pictures(unittest.TestCase):
    def test_marks_stand_where_their_values_are(self):
        rows, kinds, groups = usual(np.random.default_rng(62))
        book = book_of(facts(rows, kinds, groups, 3))
        row = next(r for r in book.pages[0].threads if r.label == "Frequency")
        drawn = thread_svg(row, width=220)
        own = 10 + 200 * float(row.axis.place(np.array([row.means[0]]))[0])
        tops = [float(x) for x in re.findall(r"M(-?[\d.]+) ", drawn)]
        self.assertTrue(any(abs(x - own) < 8 for x in tops))
        self.assertEqual(drawn.count("#0f3b83"), 1)
        empty = thread_svg(replace(row, means=(float("nan"), *row.means[1:])))
        self.assertNotIn("nan", empty)

    def test_every_mark_is_another_drawing(self):
        drawn = {mark_svg(mark) for mark in range(12)}
        self.assertEqual(len(drawn), 12)
