"""Names for segments, proposed from what sets each apart, in plain words and never two alike."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

__all__ = ["MOST_NAME", "MOST_SHORT", "Proposal", "Trait", "propose_names", "short_form"]

MOST_NAME, MOST_SHORT = 40, 12
_LEAST_DEVIATION = 0.35

#: Measure → (word when above, people when above, word when below, people when below). What they
#: say is true in itself, not only against everyone: :data:`_TRUE` says when.
_WORDS: dict[str, tuple[str, str, str, str]] = {
    "recency": ("Long-silent", "sleepers", "Lately seen", "shoppers"),
    "silence": ("Overdue", "sleepers", "On-time", "shoppers"),
    "frequency": ("Frequent", "regulars", "Rare", "visitors"),
    "visit_days": ("Frequent", "regulars", "Rare", "visitors"),
    "monetary": ("High-spend", "spenders", "Low-spend", "savers"),
    "basket_mean": ("Big-basket", "stockers", "Small-basket", "pickers"),
    "basket_median": ("Big-basket", "stockers", "Small-basket", "pickers"),
    "tenure": ("Long-time", "members", "New", "arrivals"),
    "gap_mean": ("Far-between", "visitors", "Close-beat", "regulars"),
    "gap_cv": ("Bursty", "comers", "Steady", "comers"),
    "breadth": ("All-round", "browsers", "Single-aisle", "seekers"),
    "evenness": ("All-round", "browsers", "Single-aisle", "seekers"),
    "trend": ("Growing", "climbers", "Fading", "faders"),
    "returned": ("Returning-goods", "returners", "Keep-all", "keepers"),
    "weekend": ("Weekend", "weekenders", "Weekday", "weekdayers"),
}
#: From which value on the word when above, and up to which the word when below, is true of a
#: segment by itself; else it is only *more* or *less* so than everyone.
_TRUE: dict[str, tuple[float, float]] = {
    "recency": (90, 45), "silence": (3, 1), "frequency": (12, 4), "visit_days": (12, 4),
    "tenure": (730, 365),
    "breadth": (4, 1.5), "evenness": (0.6, 0.2), "trend": (0.0, 0.0), "returned": (0.05, 0.005),
    "weekend": (0.5, 0.2), "gap_mean": (60, 21), "gap_cv": (1.0, 0.5),
}  # fmt: skip
#: Measure → words for more and for less of it than everyone, which claim nothing beyond.
_AGAINST: dict[str, tuple[str, str]] = {
    "recency": ("Less recent", "More recent"), "silence": ("Slower", "Quicker"),
    "frequency": ("More frequent", "Less frequent"),
    "visit_days": ("More frequent", "Less frequent"), "tenure": ("Longer-time", "Newer"),
    "breadth": ("Wider-range", "Narrower"), "evenness": ("Wider-range", "Narrower"),
    "trend": ("Less fading", "Less growing"), "returned": ("More returns", "Fewer returns"),
    "weekend": ("More weekend", "Less weekend"), "gap_mean": ("Wider-gap", "Closer-gap"),
    "gap_cv": ("Less even", "More even"),
}  # fmt: skip
#: Two ways of telling one thing make no name of two words.
_KIN = {"visit_days": "frequency", "margin": "monetary", "evenness": "breadth"}
#: A share of sales from which on a segment is called by what it is spent on.
_MOSTLY, _HARDLY = 0.5, 0.05


@dataclass(frozen=True)
class Trait:
    """One thing that sets a segment apart.

    ``name``: a measure, or a trait with its ``level``; ``deviation``: in SD (a level: the
    difference of shares over its SD); ``words``: how it is said, for the reason; ``value``: the
    segment's own, NaN where it is not known.
    """

    name: str
    deviation: float
    words: str
    level: str = ""
    value: float = float("nan")

    @property
    def holds(self) -> bool:
        """Whether its word is true of the segment by itself."""
        if self.value != self.value:
            return True
        if self.name.startswith("share_"):
            return self.value >= _MOSTLY if self.deviation > 0 else self.value <= _HARDLY
        above, below = _TRUE.get(self.name, (float("-inf"), float("inf")))
        return self.value >= above if self.deviation > 0 else self.value <= below


@dataclass(frozen=True)
class Proposal:
    """A name, its short form, and why."""

    name: str
    short: str
    reason: str


def _adjective(trait: Trait) -> str:
    if trait.level:
        return trait.level.capitalize()
    if trait.name.startswith("share_"):
        label = trait.words.partition(",")[0].partition(" (")[0]
        if not trait.holds:
            return ("More " if trait.deviation > 0 else "Less ") + label.lower()
        return label[:1].upper() + label[1:] if trait.deviation > 0 else f"Little-{label.lower()}"
    words = _WORDS.get(trait.name)
    if words is None:  # of a number that nothing is known of only this is true
        return ("Higher " if trait.deviation > 0 else "Lower ") + trait.words
    if not trait.holds:
        return _AGAINST[trait.name][0 if trait.deviation > 0 else 1]
    return words[0] if trait.deviation > 0 else words[2]


def _people(trait: Trait) -> str:
    words = _WORDS.get(trait.name)
    if words is None or trait.level:
        return "people"
    if not trait.holds:
        return "customers"
    return words[1] if trait.deviation > 0 else words[3]


def short_form(name: str, taken: Sequence[str] = ()) -> str:
    """At most 12 characters, cut between words where that is possible, unlike those taken.

    >>> short_form("Loyal regulars", ())
    'Loyal'
    """
    words = name.replace(",", "").split()
    candidates = [name, *(" ".join(words[:n]) for n in range(len(words) - 1, 0, -1)), words[-1]]
    fitting = [c for c in candidates if len(c) <= MOST_SHORT] or [name[:MOST_SHORT].rstrip()]
    for candidate in fitting:
        if candidate not in taken:
            return candidate
    stem = fitting[-1]
    number = 2
    while f"{stem[: MOST_SHORT - 2]} {number}" in taken:
        number += 1
    return f"{stem[: MOST_SHORT - 2]} {number}"


def _reason(traits: Sequence[Trait]) -> str:
    said = []
    for trait in traits:
        side = "above" if trait.deviation > 0 else "below"
        if trait.level:
            said.append(trait.words)
        else:
            said.append(f"{trait.words} {abs(trait.deviation):.1f} SD {side} everyone")
    return "from " + " and ".join(said)


def _proposals(traits: Sequence[Trait]) -> list[tuple[str, str]]:
    """(name, reason) in order of preference."""
    strong = sorted(traits, key=lambda t: -abs(t.deviation))
    telling = [t for t in strong if abs(t.deviation) >= _LEAST_DEVIATION][:4]
    if not telling:
        return [("Like everyone", "from nothing that stands out")]
    out = []
    for first in telling:
        for second in telling:
            if first is second:
                continue
            if _is_plain(second):
                if _is_plain(first):
                    out.append((_both(first, second), _reason([first, second])))
                continue
            adjective, people = _adjective(first), _people(second)
            if _kin(first) == _kin(second):
                continue
            out.append((f"{adjective} {people}", _reason([first, second])))
    alone = telling[0]
    if _is_plain(alone):
        return [(_adjective(alone), _reason([alone])), *out]
    people = _people(alone) if alone.level or alone.name.startswith("share_") else "customers"
    out.append((f"{_adjective(alone)} {people}", _reason([alone])))
    return out


def _kin(trait: Trait) -> str:
    """What a measure is about: of two baskets, or of visits and their days, the same."""
    return _KIN.get(trait.name, trait.name.partition("_")[0])


def _fitting(drafts: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """Those that are not too long for a name; where all are, the shortest, cut."""
    fitting = [draft for draft in drafts if len(draft[0]) <= MOST_NAME]
    name, reason = min(drafts, key=lambda draft: len(draft[0]))
    return fitting or [(f"{name[: MOST_NAME - 1].rstrip()}…", reason)]


def _is_plain(trait: Trait) -> bool:
    """Whether it is a number that has no words of its own."""
    return not (trait.level or trait.name.startswith("share_") or trait.name in _WORDS)


def _both(first: Trait, second: Trait) -> str:
    """Two plain numbers: "Higher income, lower age"."""
    words = _adjective(second)
    return f"{_adjective(first)}, {words[:1].lower()}{words[1:]}"


def propose_names(segments: Sequence[Sequence[Trait]], most: int = 3) -> list[list[Proposal]]:
    """Up to ``most`` proposals a segment, the first ones all different.

    Parameters
    ----------
    segments : for each segment what sets it apart, in any order
    """
    drafts = [_fitting(_proposals(traits)) for traits in segments]
    # Whoever stands out most chooses first.
    force = [max((abs(t.deviation) for t in traits), default=0.0) for traits in segments]
    taken_names: list[str] = []
    taken_short: list[str] = []
    out: list[list[Proposal]] = [[] for _ in segments]
    for place in sorted(range(len(segments)), key=lambda i: -force[i]):
        free = [d for d in drafts[place] if d[0] not in taken_names]
        if not free:
            number = 2
            stem, reason = drafts[place][0][0][: MOST_NAME - 3], drafts[place][0][1]
            while f"{stem} {number}" in taken_names:
                number += 1
            free = [(f"{stem} {number}", reason)]
        for rank, (name, reason) in enumerate(dict(free).items()):
            if rank == most:
                break
            short = short_form(name, taken_short if rank == 0 else ())
            out[place].append(Proposal(name, short, reason))
        taken_names.append(out[place][0].name)
        taken_short.append(out[place][0].short)
    return out
