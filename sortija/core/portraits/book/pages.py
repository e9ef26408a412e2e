"""A book as pages: what stands on each, ready to be shown or written to a file."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sortija.core.measures.describe import Axis
from sortija.core.portraits.book.draft import COVER, PARTS, distinct, draft_cover, draft_segment
from sortija.core.portraits.book.facts import BookFacts, NumberFact, SegmentFacts, ThreadFact
from sortija.core.portraits.book.figures import words_of
from sortija.core.portraits.book.wording import Run, sentences_of
from sortija.core.portraits.figures import in_words, percent

__all__ = [
    "Book",
    "GlanceRow",
    "Page",
    "Section",
    "ThreadRow",
    "book_of",
    "glance",
    "threads_of",
]

#: Threads on a segment's page, and columns of the cover's table.
THREADS, COLUMNS = 4, 3
UNKNOWN = "not known"


@dataclass(frozen=True)
class Section:
    """``sentences``: of runs; a run with a key is a figure."""

    key: str
    title: str
    sentences: tuple[tuple[Run, ...], ...]


@dataclass(frozen=True)
class ThreadRow:
    """A number of one segment on its thread: ``value`` in words, ``means`` of every segment in
    the order of their ``marks``, ``own``: the place of this one."""

    label: str
    value: str
    rest: str
    axis: Axis
    quartiles: tuple[float, float]
    means: tuple[float, ...]
    marks: tuple[int, ...]
    own: int


@dataclass(frozen=True)
class GlanceRow:
    """A segment in the cover's table; ``figures``: of the table's columns, in words."""

    number: int
    mark: int
    name: str
    customers: str
    share: str
    money: str
    figures: tuple[str, ...]


@dataclass(frozen=True)
class Page:
    """A segment's page; ``size`` and ``part`` stand at its head."""

    number: int
    mark: int
    name: str
    size: str
    part: str
    threads: tuple[ThreadRow, ...]
    sections: tuple[Section, ...]


@dataclass(frozen=True)
class Book:
    """``columns``: heads of the table at a glance; ``foot``: when it was written, on what."""

    title: str
    subtitle: str
    cover: tuple[Section, ...]
    columns: tuple[str, ...]
    glance: tuple[GlanceRow, ...]
    pages: tuple[Page, ...]
    foot: str = ""


def threads_of(book: BookFacts, segment: SegmentFacts) -> tuple[ThreadRow, ...]:
    """What sets a segment apart most, whether or not it stands far apart."""
    facts = sorted(
        (f for f in segment.numbers.values() if f.name in book.threads),
        key=lambda f: (not f.told, -abs(f.deviation) if f.deviation == f.deviation else 0.0),
    )
    shown = distinct(facts)[:THREADS]
    return tuple(_thread(book, segment, f, book.threads[f.name]) for f in shown)


def _thread(
    book: BookFacts, segment: SegmentFacts, fact: NumberFact, thread: ThreadFact
) -> ThreadRow:
    return ThreadRow(
        thread.label, in_words(fact.mean, fact.unit, book.currency),
        in_words(fact.rest, fact.unit, book.currency), thread.axis, thread.quartiles,
        thread.means, tuple(s.mark for s in book.segments), book.segments.index(segment),
    )  # fmt: skip


def glance(book: BookFacts) -> tuple[tuple[str, ...], tuple[GlanceRow, ...]]:
    """Heads and rows of all segments at a glance: size, money, and the numbers that part them
    most."""
    apart: dict[str, float] = {}
    facts: dict[str, NumberFact] = {}
    for segment in book.segments:
        for fact in segment.numbers.values():
            if fact.name in book.threads and fact.deviation == fact.deviation:
                spread = fact.deviation**2 * segment.customers
                apart[fact.name] = apart.get(fact.name, 0.0) + spread
                facts[fact.name] = fact
    widest = sorted(facts.values(), key=lambda f: (not f.shaped, -apart[f.name]))
    names = [fact.name for fact in distinct(widest)[:COLUMNS]]
    heads = tuple(book.threads[name].label for name in names)
    rows = tuple(_glance(book, segment, names) for segment in book.segments)
    return heads, rows


def _glance(book: BookFacts, segment: SegmentFacts, names: Sequence[str]) -> GlanceRow:
    def figure(name: str) -> str:
        fact = segment.numbers[name]
        return in_words(fact.mean, fact.unit, book.currency)

    paid = percent(segment.money) if segment.money == segment.money else "–"
    return GlanceRow(
        segment.number, segment.mark, segment.name, f"{segment.customers:,}",
        percent(segment.customers / max(book.customers, 1)), paid,
        tuple(figure(name) for name in names),
    )  # fmt: skip


def book_of(
    book: BookFacts,
    texts: Mapping[str, str] | None = None,
    figures: Mapping[str, Mapping[str, str]] | None = None,
    order: Sequence[int] = (),
    left_out: frozenset[str] = frozenset(),
    foot: str = "",
) -> Book:
    """A book of drafted texts, or of those that were written.

    Parameters
    ----------
    texts : by "cover.intro", "3.lead"; a part that is not there is drafted
    figures : by the same, what each figure reads as; one that is not there reads as it is now
    order : numbers of segments; those not named follow
    left_out : parts that no page has
    """
    drafted = {"cover": draft_cover(book)} | {
        str(s.number): draft_segment(book, s) for s in book.segments
    }
    texts, figures = texts or {}, figures or {}

    def sections(
        page: str, titles: Mapping[str, str], segment: SegmentFacts | None
    ) -> list[Section]:
        written = {part.key: part.text for part in drafted[page]}
        found = []
        for part, title in titles.items():
            key = f"{page}.{part}"
            text = texts.get(key, written.get(part, ""))
            if part not in left_out and text.strip():
                found.append(_section(key, title, text, book, segment, figures.get(key, {})))
        return found

    places = {number: place for place, number in enumerate(order)}
    ordered = sorted(book.segments, key=lambda s: places.get(s.number, len(places) + s.number))
    columns, rows = glance(book)
    by_number = {row.number: row for row in rows}
    subtitle = f"Customer segments, {book.window}" if book.window else "Customer segments"
    return Book(
        book.study, subtitle, tuple(sections("cover", COVER, None)), columns,
        tuple(by_number[s.number] for s in ordered),
        tuple(_page(book, s, tuple(sections(str(s.number), PARTS, s))) for s in ordered), foot,
    )  # fmt: skip


def _section(
    key: str, title: str, text: str, book: BookFacts, segment: SegmentFacts | None,
    figures: Mapping[str, str],
) -> Section:  # fmt: skip
    def reads(name: str) -> str:
        return figures.get(name) or words_of(book, segment, name) or UNKNOWN

    return Section(key, title, tuple(tuple(runs) for runs in sentences_of(text, reads)))


def _page(book: BookFacts, segment: SegmentFacts, sections: tuple[Section, ...]) -> Page:
    part = f"{percent(segment.customers / max(book.customers, 1))} of all"
    if segment.money == segment.money:
        part += f", {percent(segment.money)} of the spend"
    noun = "customer" if segment.customers == 1 else "customers"
    return Page(
        segment.number, segment.mark, segment.name, f"{segment.customers:,} {noun}", part,
        threads_of(book, segment), sections,
    )  # fmt: skip
