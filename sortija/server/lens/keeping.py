"""Lenses under a name: kept as a rule or as a list, renamed, deleted; each can be undone."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from django.db import IntegrityError, transaction

from sortija.core import table
from sortija.core.lens.clauses import Clause, canonical
from sortija.core.lens.evaluate import members
from sortija.server.lens.evaluation import selection_of
from sortija.server.lens.fields import Field, FieldName, base_of, field_kind, lists_fields
from sortija.server.lens.models import KeptLens
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.columns import blank, read_column, write_column
from sortija.server.studies.erasure_hooks import forgets_people
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Column, HistoryEntry, Population, Study
from sortija.server.studies.numbers import is_whole
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["INSIDE", "drop_kept", "keep_lens", "kept_lenses", "rename_kept"]

#: The one level of a list's column; who is not in it has no value.
INSIDE = "in it"


def kept_lenses(study: Study) -> list[KeptLens]:
    """What is kept, by name."""
    rows = KeptLens.objects.filter(study=study, dropped=False)
    return list(rows.select_related("person", "members").order_by("name"))


def keep_lens(
    study: Study, person: Any, name: str, kind: str, clauses: Sequence[Clause],
    window: WindowInView,
) -> KeptLens:  # fmt: skip
    """Keep a lens under a name.

    Raises
    ------
    Problem
        No clauses, no name, a name that is taken, or nobody known to count yet.
    """
    name = _checked(study, name)
    if kind not in (KeptLens.RULE, KeptLens.LIST):
        raise Problem("A lens is kept as a rule or as a list.")
    if not clauses:
        raise Problem("Everyone needs no name. Pick some customers first.")
    base = base_of(study, window)
    if base is None:
        raise Problem("The measures of this window are still being derived. Try again soon.", 503)
    inside = members(selection_of(study, window, clauses, base))
    listed = canonical(clauses)
    with changing(study):
        kept = KeptLens(
            study=study, name=name, kind=kind, clauses=listed, window=window.key,
            customers=len(inside), person=person,
        )  # fmt: skip
        if kind == KeptLens.LIST:
            codes = np.zeros(len(base.known), np.int32)
            codes[inside] = 1
            population = Population.objects.get(study=study, name="customers")
            kept.members = write_column(
                population, table.Column("kept", "category", codes, "", (INSIDE,)),
                window.key, fingerprint("kept", listed, base.made_from),
            )  # fmt: skip
        _save(kept)
        words = f"Kept {len(inside):,} customers as {name}"
        record(study, person, "keep lens", words, f"kept:{kept.pk}", True, False)
    return kept


def _unchanged(kept: KeptLens, expected: int) -> None:
    if expected != kept.revision:
        raise Conflict(f"{kept.name} was changed since you loaded this page.", name=kept.name)


def rename_kept(kept: KeptLens, person: Any, name: str, expected: int) -> KeptLens:
    """Give a kept lens another name."""
    with changing(kept.study_id):
        kept = KeptLens.objects.select_related("study").get(pk=kept.pk)
        _unchanged(kept, expected)
        before = kept.name
        if name.strip() == before:
            return kept
        kept.name = _checked(kept.study, name, kept.pk)
        _save(kept)
        words = f"Renamed the lens {before} to {kept.name}"
        record(kept.study, person, "rename lens", words, f"kept:{kept.pk}", before, kept.name)
    return kept


def drop_kept(kept: KeptLens, person: Any, expected: int) -> None:
    """Keep a lens no longer. Campaigns that came of it stay as they are."""
    with changing(kept.study_id):
        kept = KeptLens.objects.select_related("study").get(pk=kept.pk)
        _unchanged(kept, expected)
        _set_dropped(kept, True)
        words = f"Deleted the lens {kept.name}"
        record(kept.study, person, "keep lens", words, f"kept:{kept.pk}", False, True)


def _checked(study: Study, name: str, own: int = 0) -> str:
    name = name.strip()
    if not 1 <= len(name) <= 60:
        raise Problem("A name has 1 to 60 letters.")
    taken = KeptLens.objects.filter(study=study, dropped=False, name__iexact=name)
    if taken.exclude(pk=own).exists():
        raise Problem(f"There is already a lens named {name}.")
    return name


def _save(kept: KeptLens) -> None:
    kept.revision = (kept.revision or 0) + 1 if kept.pk else 1
    try:
        with transaction.atomic():
            kept.save()
    except IntegrityError as problem:
        raise Conflict(f"There is now another lens named {kept.name}.", name=kept.name) from problem


def _set_dropped(kept: KeptLens, dropped: bool) -> None:
    kept.dropped = dropped
    _save(kept)


def _of(entry: HistoryEntry) -> KeptLens:
    number = int(entry.target.removeprefix("kept:"))
    return KeptLens.objects.get(pk=number)


@reverses("keep lens")
def _reverse_keeping(entry: HistoryEntry, forward: bool) -> None:
    _set_dropped(_of(entry), entry.after if forward else entry.before)


@reverses("rename lens")
def _reverse_name(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    kept = _of(entry)
    if kept.name != there:
        raise Conflict(f"{kept.name} was renamed by someone since, so it stays as it is.")
    kept.name = wanted
    _save(kept)


@field_kind("kept")
def _kept_field(study: Study, window: WindowInView, name: str) -> Field | None:
    """``kept:7`` speaks of the kept list number 7; dropped ones go on meaning what they meant."""
    if not is_whole(name):
        return None
    kept = KeptLens.objects.filter(study=study, pk=name, kind=KeptLens.LIST).first()
    if kept is None or kept.members is None:
        return None
    size = Population.objects.get(study=study, name="customers").size
    column = read_column(kept.members).sized(size)
    return Field(
        f"kept:{name}", kept.name, "", column, f"{kept.members.fingerprint}:{size}", (INSIDE,)
    )


@lists_fields
def _kept_names(study: Study, window: WindowInView) -> list[FieldName]:
    lists = KeptLens.objects.filter(study=study, dropped=False, kind=KeptLens.LIST)
    return [
        FieldName(f"kept:{kept.pk}", kept.name, "category", "", "Kept lists", {INSIDE: INSIDE})
        for kept in lists.order_by("name")
    ]


@forgets_people
def _forget(study: Study, numbers: list[int]) -> None:
    """Kept lists without those who are erased; deleted ones too, for undo brings them back."""
    lists = KeptLens.objects.filter(study=study)
    # Lists of the same lens, kept on the same day, are one column.
    for row in Column.objects.filter(pk__in=lists.exclude(members=None).values("members")):
        blank(row, numbers)
        inside = int(np.count_nonzero(read_column(row).values))
        lists.filter(members=row).update(customers=inside)
