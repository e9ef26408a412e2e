"""What was written into a book: texts with figures in them, and what the figures read as."""

from __future__ import annotations

from pydantic import BaseModel

from sortija.core.portraits.book.draft import COVER, PARTS, draft_cover, draft_segment
from sortija.core.portraits.book.facts import BookFacts, SegmentFacts
from sortija.core.portraits.book.figures import read_back, stored
from sortija.core.portraits.book.wording import keys_in

__all__ = [
    "Content",
    "Written",
    "changed_in",
    "drafted",
    "fresh",
    "known_part",
    "read",
    "segment_of",
]


class Written(BaseModel):
    """A part's ``text``; by figure, what it reads as (``shown``) and what it was when that was
    decided (``known``): where it is something else by now, the sentence is marked. Both are kept
    as ``core.portraits.book.figures.stored`` has them."""

    text: str
    shown: dict[str, str] = {}
    known: dict[str, str] = {}


class Content(BaseModel):
    """``parts`` by their keys ("cover.intro", "3.lead"); ``order`` of the segments' numbers;
    ``left_out``: parts that no page has."""

    parts: dict[str, Written] = {}
    order: list[int] = []
    left_out: list[str] = []


def segment_of(facts: BookFacts, key: str) -> SegmentFacts | None:
    """Whose page a part stands on; None on the cover, or where there is no such segment."""
    page = key.partition(".")[0]
    return facts.segment(int(page)) if page.isdigit() else None


def known_part(facts: BookFacts, key: str) -> bool:
    """Whether the book can have such a part."""
    page, _, part = key.partition(".")
    if page == "cover":
        return part in COVER
    return part in PARTS and segment_of(facts, key) is not None


def drafted(facts: BookFacts, old: Content | None = None) -> Content:
    """A book drafted from the figures as they are now, in the order of the one before."""
    parts = {f"cover.{part.key}": part.text for part in draft_cover(facts)}
    for segment in facts.segments:
        parts |= {f"{segment.number}.{p.key}": p.text for p in draft_segment(facts, segment)}
    return Content(
        order=old.order if old else [], left_out=old.left_out if old else [],
        parts={key: fresh(facts, key, text) for key, text in parts.items()},
    )  # fmt: skip


def fresh(facts: BookFacts, key: str, text: str, before: Written | None = None) -> Written:
    """A text whose figures read as they do now; those that stood there before read as they did."""
    segment, before = segment_of(facts, key), before or Written(text="")
    now = {k: stored(facts, segment, k) for k in keys_in(text)}
    there = {k: kept for k, kept in now.items() if kept is not None}
    kept = {k for k in now if k in before.known}
    return Written(
        text=text, shown=there | {k: before.shown[k] for k in kept},
        known=there | {k: before.known[k] for k in kept},
    )  # fmt: skip


def changed_in(facts: BookFacts, key: str, written: Written) -> dict[str, str]:
    """Figures of a part that are something else by now, with what they are."""
    segment = segment_of(facts, key)
    now = {k: stored(facts, segment, k) or "" for k in written.known}
    return {k: kept for k, kept in now.items() if kept != written.known[k]}


def read(facts: BookFacts, content: Content) -> dict[str, dict[str, str]]:
    """What the figures of every part read as: as that was decided, segments as they are called."""
    return {
        key: {k: read_back(facts, k, kept) for k, kept in written.shown.items()}
        for key, written in content.parts.items()
    }
