"""Trees of merges for every linkage, summarised to their topmost merges."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.groups.grouping import grouper
from sortija.core.groups.recipe import Linkage, Recipe, RecipeError, prepare
from sortija.core.groups.tree import Tree
from sortija.server.groups.jobs import fresh_measures
from sortija.server.groups.models import MergeTree
from sortija.server.groups.recipe.inputs import inputs_from, inputs_of, table_for
from sortija.server.jobs import work
from sortija.server.jobs.engines import engine_for
from sortija.server.jobs.models import Job
from sortija.server.jobs.work import JobError, Running, handles
from sortija.server.lens.fields import customer_names
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.actions import touch
from sortija.server.studies.http import JobRow, job_row
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["MergesPage", "grow_trees", "merges_page"]

LINKAGES: tuple[Linkage, ...] = ("ward", "average", "complete", "single")
LEAVES = 60


class TreeBody(BaseModel):
    """The topmost merges of one linkage.

    ``sizes``: customers of each leaf, left to right; ``merges``: (a, b) in order of height, a leaf
    below ``len(sizes)``, else that plus the merge that made it; ``heights`` of the merges;
    ``summarised``: leaves stand for branches that were cut off; ``names``: of the rows where each
    leaf is one; ``refused``: why there is none.
    """

    linkage: str
    sizes: list[int]
    merges: list[tuple[int, int]]
    heights: list[float]
    foot: float
    summarised: bool
    refused: str
    names: list[str]


class GrownTree(TreeBody):
    """A tree as it is kept; ``rows``: the row of the table that each leaf is."""

    names: list[str] = []
    rows: list[int] = []


class MergesPage(BaseModel):
    customers: int
    distance: str
    trees: list[TreeBody]
    job: JobRow | None


def _recipe(made: MeasureSet, study: Study) -> Recipe:
    """The present recipe as a hierarchical one."""
    recipe = inputs_of(study, made).recipe
    return replace(recipe, method="hierarchical", linkage="ward")


def merges_page(study: Study, made: MeasureSet) -> MergesPage:
    """The trees of the present recipe, as far as they have been grown."""
    recipe = _recipe(made, study)
    stamp = inputs_from(made, recipe).stamp
    rows = {t.linkage: t for t in MergeTree.objects.filter(study=study, made_from=stamp)}
    job = Job.objects.filter(study=study.pk, kind="groups.trees", key=stamp).last()
    shown = job is not None and job.state != Job.DONE
    return MergesPage(
        customers=int(made.present.sum()), distance=recipe.distance,
        trees=[_named(study, GrownTree(**rows[name].tree)) for name in LINKAGES if name in rows],
        job=job_row(job) if job and shown else None,
    )  # fmt: skip


def _named(study: Study, tree: GrownTree) -> TreeBody:
    """The tree with its rows called by their names, which are not kept in it."""
    told = tree.model_dump(exclude={"rows"})
    return TreeBody(**{**told, "names": customer_names(study, tree.rows)})


def grow_trees(study: Study, person: Any, made: MeasureSet) -> Job:
    """Grow the trees of all four linkages; each is there as soon as it is grown."""
    stamp = inputs_from(made, _recipe(made, study)).stamp
    at = {"to": made.window.to.isoformat(), "back": made.window.back}
    return work.start(
        study.pk, "groups.trees", stamp, "Growing trees by four linkages", person, at, "long"
    )


@handles("groups.trees", repeatable=True)
def _grow(job: Job, running: Running) -> None:
    study, _, made = fresh_measures(job)
    engine = engine_for(running.progress)
    try:
        recipe = _recipe(made, study)
        stamp = inputs_from(made, recipe).stamp
        names = [*recipe.numeric, *recipe.categories]
        table = table_for(study, made, names)
        rows = prepare(table, recipe, made.present)
        for place, linkage in enumerate(LINKAGES):
            running.progress(f"{linkage} linkage", place, len(LINKAGES))
            if MergeTree.objects.filter(study=study, made_from=stamp, linkage=linkage).exists():
                continue

            def heard(stage: str, done: int, of: int, place: int = place) -> None:
                running.progress(stage, place, len(LINKAGES))

            try:
                found = grouper(rows, replace(recipe, linkage=linkage), engine, heard)
            except RecipeError as problem:
                body = _refused(linkage, str(problem))
            else:
                assert found.tree is not None
                body = summary(linkage, found.tree, rows.rows)
            MergeTree.objects.get_or_create(
                study=study, made_from=stamp, linkage=linkage, defaults={"tree": body.model_dump()}
            )
            running.kept_one()
        touch(study)
    except (RecipeError, Problem) as problem:
        raise JobError(str(problem)) from problem
    finally:
        engine.release()


def _refused(linkage: str, words: str) -> GrownTree:
    return GrownTree(linkage=linkage, sizes=[], merges=[], heights=[], foot=0.0, summarised=False,
                    refused=words)  # fmt: skip


def summary(linkage: str, tree: Tree, rows: NDArray[np.int64] | None = None) -> GrownTree:
    """The topmost merges of a tree, its leaves in an order without crossings.

    ``rows``: what its leaves are, where they are single rows.
    """
    n = tree.leaves
    count = min(LEAVES, n)
    labels = tree.cut(count)
    sizes = np.bincount(labels, tree.weights, minlength=count).astype(np.int64)
    merges, heights = _topmost(tree, labels, count)
    order = _left_to_right(merges, count)
    place = np.empty(2 * count - 1, np.int64)
    place[:count] = np.argsort(order)
    place[count:] = np.arange(count, 2 * count - 1)
    foot = float(tree.heights[n - count - 1]) if n > count else 0.0
    own: list[int] = []
    if rows is not None and n == count == len(rows):
        own = [int(rows[np.flatnonzero(labels == leaf)[0]]) for leaf in order]
    return GrownTree(
        linkage=linkage, sizes=[int(sizes[leaf]) for leaf in order],
        merges=[(int(place[a]), int(place[b])) for a, b in merges], heights=heights, foot=foot,
        summarised=n > count, refused="",
        rows=own,
    )  # fmt: skip


def _topmost(
    tree: Tree, labels: NDArray[np.int32], count: int
) -> tuple[list[tuple[int, int]], list[float]]:
    """The last ``count`` − 1 merges, told in the numbers of the branches that they join."""
    n = tree.leaves
    named: dict[int, int] = {}
    first = n - count  # merges before this one happen within the branches
    member = np.empty(2 * n - 1, np.int64)
    member[:n] = np.arange(n)
    for step in range(first):
        member[n + step] = member[tree.merges[step, 0]]
    merges: list[tuple[int, int]] = []
    heights: list[float] = []
    for step in range(first, n - 1):
        pair = []
        for node in (int(tree.merges[step, 0]), int(tree.merges[step, 1])):
            pair.append(named.get(node, int(labels[member[node]]) if node < n + first else -1))
        named[n + step] = count + len(merges)
        merges.append((pair[0], pair[1]))
        heights.append(float(tree.heights[step]))
    return merges, heights


def _left_to_right(merges: list[tuple[int, int]], count: int) -> list[int]:
    """Leaves so that no two branches cross, each merge's first branch on the left."""
    if not merges:
        return list(range(count))
    out: list[int] = []
    stack = [count + len(merges) - 1]
    while stack:
        node = stack.pop()
        if node < count:
            out.append(node)
        else:
            a, b = merges[node - count]
            stack += [b, a]
    return out
