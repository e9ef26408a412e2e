"""What a person can do at Groups: run the recipe, adopt a yardstick, take an earlier one up."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from django.db import IntegrityError, transaction

from sortija.core.portraits.naming import short_form
from sortija.core.scores.ladder import Ladder
from sortija.server.groups.models import Grouping, Segment, Yardstick
from sortija.server.groups.recipe.inputs import draft_of, inputs_of
from sortija.server.hooks import Hook
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.request_cache import reading
from sortija.server.studies.windows import WindowInView

__all__ = [
    "adopt",
    "carries_over",
    "checked_yardstick",
    "keep_ladder",
    "names_segments",
    "open_candidate",
    "run_recipe",
    "take_up",
    "yardstick_of",
]

Namer = Callable[[Yardstick], None]
_NAMER: Hook[Namer] = Hook("names of a new yardstick's segments")
#: Gives the segments of a new yardstick the identities of the one before.
Heirs = Callable[[Yardstick, Yardstick], None]
_HEIRS: Hook[Heirs] = Hook("identities of a new yardstick's segments")


def names_segments(namer: Namer) -> Namer:
    """Register who proposes names for the segments of a new yardstick."""
    return _NAMER.fill(namer)


def carries_over(heirs: Heirs) -> Heirs:
    """Register who carries identities from one yardstick to the next."""
    return _HEIRS.fill(heirs)


def yardstick_of(study: Study) -> Yardstick | None:
    """The yardstick in use, if there is one."""
    return Yardstick.objects.filter(study=study, retired=False).select_related("grouping").first()


def run_recipe(study: Study, person: Any, window: WindowInView) -> Job:
    """Start the sweep over k for the present recipe and window."""
    inputs = inputs_of(study, _measures(study, window, person))
    draft, _ = draft_of(study)
    words = f"Grouping by {draft.least} to {draft.most}"
    return work.start(
        study.pk, "groups.sweep", inputs.stamp, words, person,
        {**_at(window), "least": draft.least, "most": draft.most, "gap": draft.gap}, lane="long",
    )  # fmt: skip


def open_candidate(study: Study, person: Any, window: WindowInView, grouping: Grouping) -> Job:
    """Look closer at one candidate: a hundred resamplings instead of twenty."""
    _measures(study, window, person)
    words = f"Resampling {grouping.k} groups a hundred times"
    return work.start(
        study.pk, "groups.open", f"{grouping.pk}", words, person,
        {**_at(window), "grouping": grouping.pk}, lane="long",
    )  # fmt: skip


def _measures(study: Study, window: WindowInView, person: Any) -> MeasureSet:
    made = measures_or_job(study, window, person)
    if not isinstance(made, MeasureSet):
        raise Problem("The measures of this window are still being derived. Try again in a moment.")
    return made


def _at(window: WindowInView) -> dict[str, Any]:
    return {"to": window.to.isoformat(), "back": window.back}


def adopt(study: Study, person: Any, grouping: Grouping, seen: int) -> Yardstick:
    """Freeze a grouping as the study's yardstick; the former one is kept, retired.

    Parameters
    ----------
    seen : int
        The yardstick that the person saw in use, 0 for none.

    Raises
    ------
    Problem
        It cannot be adopted, and why.
    Conflict
        Another yardstick came into use since the person looked.
    """
    if refusal := grouping.outcome.refusal:
        raise Problem(refusal)
    with changing(study):
        before = checked_yardstick(study, seen)
        if before is not None and before.grouping_id == grouping.pk:
            return before
        names = [f"Group {n}" for n in range(1, grouping.k + 1)]
        words = f"Adopted {grouping.k} groups"
        made = {"grouping": grouping, "home": grouping.window}
        return _begin(study, person, before, made, names, words)


def keep_ladder(
    study: Study,
    person: Any,
    ladder: Ladder,
    window: WindowInView,
    seen: int,
    notes: Sequence[str] = (),
) -> Yardstick:
    """Freeze a ladder as the study's yardstick; the former one is kept, retired.

    ``notes``: what its segments' notes begin with, one text a tier.

    Raises
    ------
    Problem
        More tiers than there are marks.
    Conflict
        Another yardstick came into use since the person looked.
    """
    names = ladder.names
    if not 1 <= len(names) <= 12:
        raise Problem("A ladder that is kept has 1 to 12 tiers.")
    data = ladder.as_json()
    with changing(study):
        before = checked_yardstick(study, seen)
        if before is not None and before.ladder == data:
            return before
        words = f"Kept a ladder of {len(names)} tiers"
        made = {"ladder": data, "home": window.key}
        return _begin(study, person, before, made, names, words, notes)


def checked_yardstick(study: Study, seen: int) -> Yardstick | None:
    """The yardstick in use; a conflict where it is not the one that was seen."""
    present = yardstick_of(study)
    if seen != (present.pk if present else 0):
        who = str(present.person) if present and present.person else "Somebody"
        what = f"{who} adopted {present.k} segments" if present else "The groups in use were undone"
        raise Conflict(
            f"{what} since you loaded this page. What is in use now is shown; adopt yours if you "
            "still want to.",
            theirs=present.pk if present else 0,
        )
    return present


def _begin(
    study: Study, person: Any, before: Yardstick | None, made: dict[str, Any],
    names: Sequence[str], words: str, notes: Sequence[str] = (),
) -> Yardstick:  # fmt: skip
    """A new yardstick in use, its segments named, identities carried over where there are any."""
    ledger = ledger_of(study)
    Yardstick.objects.filter(study=study, retired=False).update(retired=True)
    yardstick = Yardstick.objects.create(
        study=study, person=person, k=len(names),
        decided_on=ledger.made_from if ledger else "", rules=sorted(ledger.on) if ledger else [],
        **made,
    )  # fmt: skip
    shorts: list[str] = []
    for name in names:
        shorts.append(short_form(name, shorts))
    Segment.objects.bulk_create(
        Segment(yardstick=yardstick, number=n, mark=n - 1, name=name, short=short, notes=note)
        for n, (name, short, note) in enumerate(
            zip(names, shorts, notes or [""] * len(names), strict=True), 1
        )
    )
    with reading():  # what both go by stays as it is meanwhile
        _NAMER.function(yardstick)
        if before is not None:
            _HEIRS.function(before, yardstick)
    record(study, person, "adopt", words, "yardstick", before.pk if before else None, yardstick.pk)
    return yardstick


def take_up(study: Study, person: Any, yardstick: Yardstick, seen: int) -> Yardstick:
    """Bring an earlier yardstick back into use, with its names as they were."""
    with changing(study):
        before = checked_yardstick(study, seen)
        if before is not None and before.pk == yardstick.pk:
            return before
        _put_in_use(study, yardstick.pk)
        words = f"Took up the {yardstick.k} segments of {yardstick.adopted_at:%d %b %Y} again"
        pk = before.pk if before else None
        record(study, person, "adopt", words, "yardstick", pk, yardstick.pk)
    yardstick.refresh_from_db()
    return yardstick


def _put_in_use(study: Study, pk: int | None) -> None:
    Yardstick.objects.filter(study=study, retired=False).update(retired=True)
    Yardstick.objects.filter(study=study, pk=pk or 0).update(retired=False)


@reverses("adopt")
def _reverse_adopt(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    present = yardstick_of(entry.study)
    if (present.pk if present else None) != there:
        raise Conflict("Other groups have been adopted since, so this stays as it is.")
    try:
        with transaction.atomic():
            _put_in_use(entry.study, wanted)
    except IntegrityError as problem:
        raise Conflict("Other groups have been adopted since.") from problem
