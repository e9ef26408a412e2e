"""What a person can do at Groups: run the recipe, adopt a grouping."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import IntegrityError, transaction

from sortija.server.groups.inputs import inputs_of
from sortija.server.groups.models import Grouping, Segment, Yardstick
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.ledger.ledger import ledger_of
from sortija.server.measures.made import Made, made_or_job
from sortija.server.studies.actions import record, reverses
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["adopt", "names_segments", "run_recipe", "yardstick_of"]

Namer = Callable[[Yardstick], None]
_NAMERS: list[Namer] = []


def names_segments(namer: Namer) -> Namer:
    """Register who proposes names for the segments of a new yardstick."""
    _NAMERS[:] = [namer]
    return namer


def yardstick_of(study: Study) -> Yardstick | None:
    """The adopted grouping, if one is."""
    return Yardstick.objects.filter(study=study, retired=False).select_related("grouping").first()


def run_recipe(study: Study, person: Any, window: WindowInView) -> Job:
    """Start the sweep over k for the present recipe and window."""
    made = made_or_job(study, window, person)
    if not isinstance(made, Made):
        raise Problem("The measures of this window are still being derived. Try again in a moment.")
    inputs = inputs_of(study, made)
    return work.start(
        study.pk, "groups.sweep", inputs.stamp, "Grouping by 2 to 8", person,
        {"to": window.to.isoformat(), "back": window.back}, lane="long",
    )  # fmt: skip


def adopt(study: Study, person: Any, grouping: Grouping) -> Yardstick:
    """Freeze a grouping as the study's yardstick; the former one is kept, retired."""
    ledger = ledger_of(study)
    with transaction.atomic():
        Study.objects.select_for_update().get(pk=study.pk)
        before = yardstick_of(study)
        if before is not None and before.grouping_id == grouping.pk:
            return before
        Yardstick.objects.filter(study=study, retired=False).update(retired=True)
        yardstick = Yardstick.objects.create(
            study=study, grouping=grouping, home=grouping.window, person=person,
            decided_on=ledger.made_from if ledger else "",
            rules=sorted(ledger.on) if ledger else [],
        )  # fmt: skip
        Segment.objects.bulk_create(
            Segment(
                yardstick=yardstick, number=n, mark=n - 1, name=f"Group {n}", short=f"Group {n}"
            )
            for n in range(1, grouping.k + 1)
        )
        for namer in _NAMERS:
            namer(yardstick)
        record(
            study, person, "adopt", f"Adopted {grouping.k} groups", "yardstick",
            before.pk if before else None, yardstick.pk,
        )  # fmt: skip
    return yardstick


@reverses("adopt")
def _reverse_adopt(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    present = yardstick_of(entry.study)
    if (present.pk if present else None) != there:
        raise Conflict("Other groups have been adopted since, so this stays as it is.")
    try:
        with transaction.atomic():
            Yardstick.objects.filter(study=entry.study, retired=False).update(retired=True)
            Yardstick.objects.filter(study=entry.study, pk=wanted or 0).update(retired=False)
    except IntegrityError as problem:
        raise Conflict("Other groups have been adopted since.") from problem
