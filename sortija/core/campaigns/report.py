"""One page on what a campaign did: sentences, tables of what they rest on, and what is drawn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from sortija.core.campaigns.telling import Told, day_words, in_hundred, points

__all__ = ["ArmShown", "PartShown", "Report", "ReportFacts", "ReportSection", "report_of"]


@dataclass(frozen=True)
class ArmShown:
    """An arm as it is drawn: how many came, and the share with its interval."""

    words: str
    customers: int
    share: float
    low: float
    high: float


@dataclass(frozen=True)
class PartShown:
    """A segment or a version as it is drawn; None: an arm is so small that none is told."""

    words: str
    written: int
    held: int
    difference: float | None
    low: float | None
    high: float | None
    mark: int | None = None


@dataclass(frozen=True)
class ReportFacts:
    """What a report speaks of.

    ``whom``: the lens in words; ``fell_away``: reason → customers, in their order; ``told``: the
    result in sentences, None where nothing can be told, ``lacks`` says why; ``worth``: a sentence,
    empty without one; ``letters``: kind → customers, of those written to; ``differ``: whether
    segments can be told to differ, None where that was not asked; ``alike``: on the arms' balance.
    """

    study: str
    name: str
    whom: str
    lens: int
    fell_away: Mapping[str, int]
    sent_on: date
    read_on: date
    through: date | None
    final: bool
    written: ArmShown | None
    held: ArmShown | None
    told: Told | None
    lacks: str
    worth: str
    segments: Sequence[PartShown] = ()
    differ: bool | None = None
    versions: Sequence[PartShown] = ()
    letters: Mapping[str, int] = field(default_factory=dict)
    alike: str = ""
    brought_in: bool = False


@dataclass(frozen=True)
class ReportSection:
    """``key``: which picture belongs to it, if any; ``strong``: the words it begins with."""

    key: str
    title: str
    strong: str
    text: str
    heads: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()


@dataclass(frozen=True)
class Report:
    """A page: ``arms`` and ``segments`` are drawn, where there are any."""

    title: str
    subtitle: str
    sections: tuple[ReportSection, ...]
    arms: tuple[ArmShown, ...]
    segments: tuple[PartShown, ...]
    foot: str


def report_of(facts: ReportFacts) -> Report:
    """The page of a campaign; one that is not read yet says so, and has no verdict."""
    state = "read as planned" if facts.final else "not read yet, and without a verdict"
    sections = [_did(facts), _whom(facts), *_segments(facts), *_worth(facts), *_letters(facts)]
    drawn = facts.written is not None and facts.held is not None and facts.told is not None
    return Report(
        title=facts.name,
        subtitle=f"What the campaign did. {facts.study}, sent {day_words(facts.sent_on)}, {state}.",
        sections=tuple(sections),
        arms=tuple(arm for arm in (facts.written, facts.held) if arm is not None and drawn),
        segments=tuple(facts.segments) if drawn and len(facts.segments) > 1 else (),
        foot=_foot(facts),
    )


def _did(facts: ReportFacts) -> ReportSection:
    if facts.told is None:
        return ReportSection("", "What it did", "", facts.lacks)
    rows = tuple(
        (arm.words, f"{arm.customers:,}", f"{in_hundred(arm.share)}%",
         f"{in_hundred(arm.low)}% to {in_hundred(arm.high)}%")
        for arm in (facts.written, facts.held) if arm is not None
    )  # fmt: skip
    return ReportSection(
        "arms", "What it did", facts.told.lead, f"{facts.told.rest} {facts.told.beside}",
        ("", "customers", "came back", "95% interval"), rows,
    )  # fmt: skip


def _whom(facts: ReportFacts) -> ReportSection:
    gone = [f"{count:,} for {why}" for why, count in facts.fell_away.items() if count]
    written = facts.written.customers if facts.written else 0
    held = facts.held.customers if facts.held else 0
    if facts.brought_in:
        said = f"Sent from elsewhere to a list of {facts.lens:,}."
    else:
        said = f"{facts.whom}: {facts.lens:,} customers."
        if gone:
            said += f" Of these fell away {_and(gone)}."
    said += (
        f" {written:,} were written to, and {held:,} held out by lot so that the effect can be "
        f"told. {facts.alike}"
    )
    return ReportSection("", "Whom it was for", "", said.strip())


def _segments(facts: ReportFacts) -> list[ReportSection]:
    out = []
    for key, title, noun, parts in (
        ("segments", "By segment", "segments", facts.segments),
        ("versions", "By version", "versions", facts.versions),
    ):
        if len(parts) < 2 or facts.told is None:
            continue
        said = f"No sign that {noun} differ; what stands below may be chance."
        if key == "segments" and facts.differ:
            said = "The effect differs by segment, more than chance makes."
        if key == "segments" and facts.differ is None:
            said = "Too few were held out in each to tell whether they differ."
        if key == "versions":
            said = "Each version against all who were held out."
        out.append(ReportSection(
            key, title, "", f"{said} Intervals are widened for as many looks.",
            ("", "written to", "held out", "points", "95% interval"),
            tuple(_part(part) for part in parts),
        ))  # fmt: skip
    return out


def _part(part: PartShown) -> tuple[str, ...]:
    if part.difference is None or part.low is None or part.high is None:
        between, gap = "too few", "–"
    else:
        between, gap = f"{points(part.low)} to {points(part.high)}", points(part.difference)
    return part.words, f"{part.written:,}", f"{part.held:,}", gap, between


def _worth(facts: ReportFacts) -> list[ReportSection]:
    return [ReportSection("", "What it was worth", "", facts.worth)] if facts.worth else []


def _letters(facts: ReportFacts) -> list[ReportSection]:
    told = [f"{count:,} {kind}" for kind, count in facts.letters.items() if count]
    if not told or facts.written is None:
        return []
    said = f"Of {facts.written.customers:,} letters, {_and(told)}. These do not enter the result."
    return [ReportSection("", "The letters", "", said)]


def _foot(facts: ReportFacts) -> str:
    if facts.through is None:
        return "Nothing after the day of sending is in the log yet."
    return (
        f"Purchases through {day_words(facts.through)}; planned to be read on "
        f"{day_words(facts.read_on)}. Came back: at least one purchase after the day of sending. "
        "Everybody drawn counts in the arm that was drawn, whatever reached them; strata are "
        "weighted by the audience."
    )


def _and(words: Sequence[str]) -> str:
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last
