"""The book as it travels: pages, sentences, what changed since it was written."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel

from sortija.core.formats.book.pictures import thread_svg
from sortija.core.portraits.book.draft import COVER, PARTS
from sortija.core.portraits.book.facts import BookFacts, SegmentFacts
from sortija.core.portraits.book.figures import about, words_of
from sortija.core.portraits.book.pages import Book as Pages
from sortija.core.portraits.book.pages import GlanceRow, Section, book_of
from sortija.server.portraits.book.content import (
    Content,
    Written,
    changed_in,
    drafted,
    read,
    segment_of,
)
from sortija.server.portraits.book.facts import facts_of
from sortija.server.portraits.models import Book
from sortija.server.portraits.placed import placed_or_status
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.windows import WindowInView

__all__ = ["BookPage", "book_page", "figures_of", "pages_at"]


class RunBody(BaseModel):
    """A piece of a sentence; ``key``: the figure it is, if it is one; ``now``: what that is by
    now, where it is something else than is written."""

    text: str
    key: str
    about: str
    now: str | None


class SentenceBody(BaseModel):
    """``changed``: it speaks of a figure that changed since that was decided."""

    runs: list[RunBody]
    changed: bool


class PartBody(BaseModel):
    """A part of a page: ``text`` with the keys of its figures in braces, and its sentences."""

    key: str
    title: str
    text: str
    sentences: list[SentenceBody]


class ThreadBody(BaseModel):
    """A number on its thread; ``svg``: the drawing."""

    label: str
    value: str
    rest: str
    svg: str


class GlanceBody(BaseModel):
    number: int
    mark: int
    name: str
    customers: str
    share: str
    money: str
    figures: list[str]


class BookSegment(BaseModel):
    number: int
    mark: int
    name: str
    size: str
    part: str
    threads: list[ThreadBody]
    parts: list[PartBody]


class PartOption(BaseModel):
    """A part that pages can have; ``on``: they do."""

    key: str
    title: str
    on: bool


class WrittenBody(BaseModel):
    """Who wrote the book and when, and the last day of the window it was written from."""

    at: str
    person: str
    to: str
    same_window: bool


class BookPage(BaseModel):
    """``written``: null while there is only a draft; ``changed``: sentences that speak of figures
    that changed since."""

    status: Status
    revision: int
    written: WrittenBody | None
    title: str
    subtitle: str
    changed: int
    options: list[PartOption]
    cover: list[PartBody]
    columns: list[str]
    glance: list[GlanceBody]
    segments: list[BookSegment]


class FigureOption(BaseModel):
    """A figure that can be put into a text, and what it says now."""

    key: str
    about: str
    words: str


def _nothing(status: Status) -> BookPage:
    return BookPage(
        status=status, revision=0, written=None, title="", subtitle="", changed=0, options=[],
        cover=[], columns=[], glance=[], segments=[],
    )  # fmt: skip


def book_page(study: Study, window: WindowInView | None) -> BookPage:
    """The book in use at a window: as it was written, else as it would be drafted."""
    placed, status = placed_or_status(study, window, "The book tells of adopted groups.")
    if placed is None:
        return _nothing(status)
    facts = facts_of(placed)
    book = Book.objects.filter(yardstick=placed.yardstick).select_related("person").first()
    content = Content.model_validate(book.content) if book else drafted(facts)
    pages = _pages(facts, content, "")
    cover = [_part(facts, content, key, pages.cover) for key in _keys("cover", COVER, content)]
    segments = [
        BookSegment(
            number=page.number, mark=page.mark, name=page.name, size=page.size, part=page.part,
            threads=[
                ThreadBody(label=row.label, value=row.value, rest=row.rest, svg=thread_svg(row))
                for row in page.threads
            ],
            parts=[
                _part(facts, content, key, page.sections)
                for key in _keys(str(page.number), PARTS, content)
            ],
        )
        for page in pages.pages
    ]  # fmt: skip
    every = [*cover, *(part for segment in segments for part in segment.parts)]
    return BookPage(
        status=status, revision=book.revision if book else 0,
        written=_written(book, placed.window) if book else None,
        title=pages.title, subtitle=pages.subtitle,
        changed=sum(s.changed for part in every for s in part.sentences),
        options=[
            PartOption(key=key, title=title, on=key not in content.left_out)
            for key, title in {**PARTS, **COVER}.items()
            if key != "intro"
        ],
        cover=cover, columns=list(pages.columns), glance=[_glance(row) for row in pages.glance],
        segments=segments,
    )  # fmt: skip


def pages_at(study: Study, window: WindowInView | None) -> tuple[Pages | None, Status]:
    """The book ready to be written to a file; None with the reason why there is none."""
    placed, status = placed_or_status(study, window, "The book tells of adopted groups.")
    if placed is None:
        return None, status
    facts = facts_of(placed)
    book = Book.objects.filter(yardstick=placed.yardstick).first()
    content = Content.model_validate(book.content) if book else drafted(facts)
    day = book.written_at if book else None
    foot = f"Written {day.day} {day:%B %Y}. " if day else "A draft. "
    foot += "Bold figures come from the data."
    moved = sum(bool(changed_in(facts, key, part)) for key, part in content.parts.items())
    if moved:
        what = "part speaks" if moved == 1 else "parts speak"
        foot += f" {moved} {what} of figures that have changed since."
    if status.state == "out of date":
        foot += f" Out of date: {status.words}"
    return _pages(facts, content, foot), status


def _pages(facts: BookFacts, content: Content, foot: str) -> Pages:
    texts = {key: written.text for key, written in content.parts.items()}
    left_out = frozenset(content.left_out)
    return book_of(facts, texts, read(facts, content), content.order, left_out, foot)


def _keys(page: str, titles: Mapping[str, str], content: Content) -> list[str]:
    """The parts of a page in their order, empty ones included, for they can be written."""
    return [f"{page}.{part}" for part in titles if part not in content.left_out]


def _part(facts: BookFacts, content: Content, key: str, sections: tuple[Section, ...]) -> PartBody:
    written = content.parts.get(key, Written(text=""))
    section = next((s for s in sections if s.key == key), None)
    moved = changed_in(facts, key, written)
    segment = segment_of(facts, key)
    return PartBody(
        key=key, title={**COVER, **PARTS}[key.partition(".")[2]], text=written.text,
        sentences=[
            SentenceBody(
                runs=[
                    RunBody(
                        text=run.text, key=run.key,
                        about=about(facts, segment, run.key) if run.key else "",
                        now=_now(facts, segment, run.key, run.text) if run.key else None,
                    )
                    for run in sentence
                ],
                changed=any(run.key in moved for run in sentence),
            )
            for sentence in (section.sentences if section else ())
        ],
    )  # fmt: skip


def _now(facts: BookFacts, segment: SegmentFacts | None, key: str, shown: str) -> str | None:
    now = words_of(facts, segment, key) or "not known"
    return None if now == shown else now


def _written(book: Book, window: WindowInView) -> WrittenBody:
    return WrittenBody(
        at=book.written_at.isoformat(), person=str(book.person or ""),
        to=WindowInView.parse(book.window).to.isoformat(), same_window=book.window == window.key,
    )  # fmt: skip


def _glance(row: GlanceRow) -> GlanceBody:
    return GlanceBody(
        number=row.number, mark=row.mark, name=row.name, customers=row.customers, share=row.share,
        money=row.money, figures=list(row.figures),
    )  # fmt: skip


def figures_of(facts: BookFacts, segment: SegmentFacts | None) -> list[FigureOption]:
    """Every figure that a text of this page can hold."""
    keys = ["all", "segments", "outside", "window"]
    if segment is not None:
        keys = ["customers", "share", "money_share", "holds", "belongs", "comes_back", "border"]
        keys += [
            f"{kind}:{name}" for name in segment.numbers for kind in ("mean", "rest", "median")
        ]
        keys += [
            f"{kind}:{name}={fact.level}"
            for name, category in segment.categories.items()
            for fact in category.levels
            if fact.count and not {"{", "}"} & set(fact.level)
            for kind in ("has", "others")
        ]
    else:
        for campaign in facts.campaigns:
            kinds = ("campaign", "came_back", "came_between")
            keys += [f"{kind}:{campaign.number}" for kind in kinds]
        for each in facts.segments:
            keys += [f"{each.number}.{kind}" for kind in ("name", "customers", "share",
                                                          "money_share")]  # fmt: skip
    found = [(key, words_of(facts, segment, key)) for key in keys]
    return [
        FigureOption(key=key, about=about(facts, segment, key), words=words)
        for key, words in found
        if words is not None
    ]
