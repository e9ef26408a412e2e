"""Every grouping that was tried: starred, annotated, deleted with undo."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from sortija.core.groups.recipe import Recipe
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.groups.recipe.in_words import recipe_in_words
from sortija.server.groups.yardsticks.in_use import changes_since
from sortija.server.measures.measure_set import MeasureSet, measures_or_job
from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry, Study
from sortija.server.studies.problems import Conflict, Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["KeptPage", "change_kept", "kept_page"]

MOST = 300


class TriedRow(BaseModel):
    """One grouping: what it was made of, how well it holds, who made it and when.

    ``kin``: costs are compared only among groupings that share it; ``adopted``: it is or was a
    yardstick, which keeps it from being deleted; ``window``: its last day included, and how far
    back; ``recipe``: all that decided it, in sentences.
    """

    id: int
    run: str
    kin: str
    k: int
    method: str
    linkage: str
    columns: list[str]
    weighed: bool
    window_to: str
    window_back: str
    customers: int
    counts: list[int]
    cost: float
    silhouette: float | None
    weakest: float
    smallest: float
    criteria: dict[str, float | None]
    moved: float
    refusal: str
    seconds: float
    at: str
    person: str
    starred: bool
    note: str
    revision: int
    proposed: str
    adopted: bool
    in_use: bool
    seed: int
    starts: int
    recipe: list[str]


class YardstickRow(BaseModel):
    """A yardstick that is or was in use."""

    id: int
    ladder: bool
    k: int
    names: list[str]
    at: str
    person: str
    home_to: str
    home_back: str
    in_use: bool
    since: str


class KeptPage(BaseModel):
    """Newest first; ``more``: groupings beyond those that are listed."""

    rows: list[TriedRow]
    yardsticks: list[YardstickRow]
    more: int


def kept_page(study: Study, window: WindowInView | None) -> KeptPage:
    """Everything that was tried and adopted."""
    made = measures_or_job(study, window) if window else None
    labels = _labels(made) if isinstance(made, MeasureSet) else {}
    rows = Grouping.objects.filter(study=study, binned=False).select_related("person")
    yardsticks = list(
        Yardstick.objects.filter(study=study).select_related("person").prefetch_related("segments")
    )
    present = yardstick_of(study)
    held = {y.grouping_id for y in yardsticks}
    listed = list(rows.order_by("-id")[:MOST])
    return KeptPage(
        rows=[_row(row, labels, held, present) for row in listed],
        yardsticks=[
            _yardstick(study, y) for y in sorted(yardsticks, key=lambda y: y.pk, reverse=True)
        ],
        more=max(0, rows.count() - len(listed)),
    )


def _labels(made: MeasureSet) -> dict[str, str]:
    return {name: made.about(name).label for name in made.sources}


def _row(
    row: Grouping, labels: dict[str, str], held: set[int | None], present: Yardstick | None
) -> TriedRow:
    result, recipe = row.outcome, row.recipe
    window = WindowInView.parse(row.window)
    names = [*recipe["numeric"], *recipe["categories"]]
    return TriedRow(
        id=row.pk, run=row.made_from, kin=row.kin, k=row.k, method=recipe["method"],
        linkage=recipe.get("linkage", "ward") if recipe["method"] == "hierarchical" else "",
        columns=[labels.get(name, name.removeprefix("trait:")) for name in names],
        weighed=bool(recipe.get("weights")),
        window_to=window.to.isoformat(), window_back=window.back,
        customers=sum(result.counts), counts=result.counts, cost=result.cost,
        silhouette=result.silhouette, weakest=min(result.stability), smallest=result.smallest,
        criteria=result.criteria, moved=result.moved, refusal=result.refusal, seconds=row.seconds,
        at=row.made_at.isoformat(),
        person=str(row.person or ""), starred=row.starred, note=row.note,
        revision=row.revision, proposed=(row.proposal or {}).get("kind", ""),
        adopted=row.pk in held,
        in_use=present is not None and present.grouping_id == row.pk,
        seed=recipe["seed"], starts=recipe["starts"],
        recipe=recipe_in_words(Recipe.from_json(recipe), labels),
    )  # fmt: skip


def _yardstick(study: Study, row: Yardstick) -> YardstickRow:
    window = WindowInView.parse(row.home)
    return YardstickRow(
        id=row.pk, ladder=row.ladder is not None, k=row.k,
        names=[s.name for s in row.segments.all()], at=row.adopted_at.isoformat(),
        person=str(row.person or ""), home_to=window.to.isoformat(), home_back=window.back,
        in_use=not row.retired,
        since=changes_since(study, row),
    )  # fmt: skip


_CHANGED = ("starred", "note", "binned")


def change_kept(
    study: Study, person: Any, pk: int, changes: dict[str, Any], expected: int
) -> Grouping:
    """Star a grouping, write a note to it, or delete it; each can be undone.

    Raises
    ------
    Problem
        404: it is not there; or it is (or was) the yardstick and cannot be deleted.
    Conflict
        Somebody changed it since the person looked.
    """
    with changing(study):
        row = Grouping.objects.filter(study=study, pk=pk).first()
        if row is None:
            raise Problem("There is no such grouping here. It may have been deleted.", 404)
        if expected != row.revision:
            raise Conflict(
                "Somebody changed this grouping since you loaded this page.", note=row.note
            )
        before = {name: getattr(row, name) for name in _CHANGED}
        after = {**before, **{k: v for k, v in changes.items() if k in _CHANGED}}
        if before == after:
            return row
        if after["binned"] and row.yardsticks.exists():
            raise Problem("These groups are or were adopted, so they are kept.")
        _set(row, after)
        what = f"{row.k} groups by {row.recipe['method']}"
        if after["binned"] != before["binned"]:
            words = f"Deleted {what}"
        elif after["starred"] != before["starred"]:
            words = f"{'Starred' if after['starred'] else 'Unstarred'} {what}"
        else:
            words = f"Added a note to {what}"
        record(study, person, "kept", words, f"grouping:{pk}", before, after)
    return row


def _set(row: Grouping, values: dict[str, Any]) -> None:
    for name, value in values.items():
        setattr(row, name, value)
    row.revision += 1
    row.save(update_fields=[*values, "revision"])


@reverses("kept")
def _reverse_kept(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    row = Grouping.objects.filter(pk=int(entry.target.removeprefix("grouping:"))).first()
    if row is None or any(getattr(row, name) != value for name, value in there.items()):
        raise Conflict("Somebody changed this grouping since, so it stays as it is.")
    _set(row, wanted)
