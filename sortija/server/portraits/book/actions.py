"""Write the book, change it, take its figures as they are now, or keep them as they were."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from django.utils import timezone

from sortija.core.labels import within
from sortija.core.portraits.book.draft import COVER, PARTS, draft_cover, draft_segment
from sortija.core.portraits.book.facts import BookFacts
from sortija.core.portraits.book.figures import words_of
from sortija.core.portraits.book.wording import keys_in, sentences_of
from sortija.server.groups.models import Yardstick
from sortija.server.portraits.book.content import (
    Content,
    Written,
    changed_in,
    drafted,
    fresh,
    known_part,
    segment_of,
)
from sortija.server.portraits.models import Book
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["MOST_TEXT", "arrange", "draft_anew", "edit", "settle", "write"]

MOST_TEXT = 4000
_ABSENT = "The book is not written yet. Write it, and it can be changed."


def write(
    yardstick: Yardstick, person: Any, facts: BookFacts, window: WindowInView, seen: int
) -> Book:
    """Write the book from the figures as they are now; one that is there is written anew.

    Raises
    ------
    Conflict
        Somebody wrote or changed it since it was seen (``seen``: its revision, 0 for none).
    """
    with changing(yardstick.study):
        book = Book.objects.filter(yardstick=yardstick).first()
        _checked(book, seen)
        old = Content.model_validate(book.content) if book else None
        content = drafted(facts, old)
        if book is None:
            book = Book(yardstick=yardstick, revision=0)
        words = "Wrote the book anew" if old else "Wrote the book"
        _keep(book, person, content, old, words, window)
    return book


def edit(
    yardstick: Yardstick, person: Any, facts: BookFacts, seen: int, key: str, text: str
) -> Book:
    """Give a part of the book another text; figures that it has already read on as they did.

    Raises
    ------
    Problem
        There is no such part, the text is too long, or names a figure that there is not.
    """
    if not known_part(facts, key):
        raise Problem(f"The book has no part “{key}”.", 404)
    if len(text) > MOST_TEXT:
        raise Problem(f"A part of the book has up to {MOST_TEXT:,} letters.")

    def changed(content: Content) -> None:
        before = content.parts.get(key)
        told = before.known if before else {}
        for name in keys_in(text):
            if name not in told and words_of(facts, segment_of(facts, key), name) is None:
                raise Problem(f"There is no figure “{name}” here. Choose one from the list.")
        content.parts[key] = fresh(facts, key, text.strip(), before)

    return _change(yardstick, person, seen, f"Changed {_of(facts, key)}", changed)


def draft_anew(yardstick: Yardstick, person: Any, facts: BookFacts, seen: int, key: str) -> Book:
    """Draft one part again from the figures as they are now."""
    segment = segment_of(facts, key)
    parts = draft_segment(facts, segment) if segment else draft_cover(facts)
    part = next((p for p in parts if p.key == key.partition(".")[2]), None)
    if not known_part(facts, key) or part is None:
        raise Problem("There is nothing to draft this part from.", 404)

    def changed(content: Content) -> None:
        content.parts[key] = fresh(facts, key, part.text)

    return _change(yardstick, person, seen, f"Drafted {_of(facts, key)} anew", changed)


def settle(
    yardstick: Yardstick, person: Any, facts: BookFacts, seen: int, take: bool, key: str = "",
    sentence: int | None = None,
) -> Book:  # fmt: skip
    """Take figures that changed as they are now, or keep them as they were written.

    ``key``: one part, else the whole book; ``sentence``: its place in the part.
    """

    def changed(content: Content) -> None:
        for name in [key] if key else list(content.parts):
            written = content.parts.get(name)
            if written is not None:
                wanted = _in_sentence(written, sentence)
                content.parts[name] = _settled(facts, name, written, take, wanted)

    words = "Took the book's figures as they are" if take else "Kept the book's figures"
    return _change(yardstick, person, seen, words, changed)


def _in_sentence(written: Written, sentence: int | None) -> set[str]:
    if sentence is None:
        return set(written.known)
    sentences = sentences_of(written.text, str)
    if not 0 <= sentence < len(sentences):
        raise Problem("This sentence is not there any more. Look again.", 404)
    return {run.key for run in sentences[sentence] if run.key}


def _settled(
    facts: BookFacts, key: str, written: Written, take: bool, wanted: Iterable[str]
) -> Written:
    moved = {k: w for k, w in changed_in(facts, key, written).items() if k in set(wanted)}
    shown = {**written.shown, **{k: w for k, w in moved.items() if w}} if take else written.shown
    return Written(text=written.text, shown=shown, known={**written.known, **moved})


def arrange(
    yardstick: Yardstick, person: Any, seen: int, order: list[int] | None,
    left_out: list[str] | None,
) -> Book:  # fmt: skip
    """The order of the segments, and parts that no page has."""
    numbers = {segment.number for segment in yardstick.segments.all()}
    if order is not None and (set(order) != numbers or len(order) != len(numbers)):
        raise Problem("The order names every segment once.")
    unknown = set(left_out or ()) - {*COVER, *PARTS}
    if unknown:
        raise Problem(f"No page has a part “{min(unknown)}”.")

    def changed(content: Content) -> None:
        content.order = content.order if order is None else order
        content.left_out = content.left_out if left_out is None else sorted(set(left_out))

    return _change(yardstick, person, seen, "Arranged the book", changed)


def _of(facts: BookFacts, key: str) -> str:
    """A part in words: "Gone quiet, who they are"."""
    page, _, part = key.partition(".")
    segment = segment_of(facts, key)
    title = {**COVER, **PARTS}.get(part, part)
    return f"{segment.name if segment else page}: {within(title)}"


def _checked(book: Book | None, seen: int) -> None:
    if seen != (book.revision if book else 0):
        raise Conflict("The book was changed since you loaded this page. It is shown as it is now.")


def _change(
    yardstick: Yardstick, person: Any, seen: int, words: str, change: Callable[[Content], None]
) -> Book:
    with changing(yardstick.study):
        book = Book.objects.filter(yardstick=yardstick).first()
        if book is None:
            raise Problem(_ABSENT, 409)
        _checked(book, seen)
        content = Content.model_validate(book.content)
        before = content.model_copy(deep=True)
        change(content)
        if content != before:
            _keep(book, person, content, before, words, None)
    return book


def _keep(
    book: Book, person: Any, content: Content, before: Content | None, words: str,
    window: WindowInView | None,
) -> None:  # fmt: skip
    former = _state(book) if before is not None else None
    book.content = content.model_dump()
    if window is not None:
        book.window, book.person, book.written_at = window.key, person, timezone.now()
    book.revision += 1
    book.save()
    target = f"book:{book.yardstick_id}"
    record(book.yardstick.study, person, "book", words, target, former, _state(book))


def _state(book: Book) -> dict[str, Any]:
    return {
        "content": book.content, "window": book.window, "person": book.person_id,
        "written_at": book.written_at.isoformat(),
    }  # fmt: skip


@reverses("book")
def _reverse(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    yardstick = int(entry.target.removeprefix("book:"))
    book = Book.objects.filter(yardstick_id=yardstick).first()
    if (_state(book) if book else None) != there:
        raise Conflict("The book was changed by someone since, so it stays as it is.")
    if wanted is None:
        Book.objects.filter(yardstick_id=yardstick).delete()
        return
    if book is None:
        book = Book(yardstick_id=yardstick, revision=0)
    book.content, book.window = wanted["content"], wanted["window"]
    book.person_id, book.written_at = wanted["person"], wanted["written_at"]
    book.revision += 1
    book.save()
