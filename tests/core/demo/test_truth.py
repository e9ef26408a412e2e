"""Marrowmere's hidden archetypes can be found, and categories help to find them.

Speaks of members who kept their archetype and their card for the whole window: of the others
no measure of twelve months can say which one they are.
"""

import csv
import tempfile
import unittest
from datetime import date
from pathlib import Path

import numpy as np

from sortija.core.engine import Engine
from sortija.core.formats.delimited import DelimitedFile, sniff
from sortija.core.groups.compare import adjusted_rand
from sortija.core.groups.grouping import group as fit_group
from sortija.core.groups.propose import inputs_for, propose_groups
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.ledger.assemble import assemble
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.lines import LineReader
from sortija.core.ledger.rules import RULES, mask_of
from sortija.core.measures.catalogue import MEASURES, describe_share
from sortija.core.measures.derive import Names, derive
from sortija.core.measures.preparation import Steps, propose
from sortija.core.measures.window import Window
from sortija.core.portraits.apart import sets_apart
from sortija.core.portraits.book.draft import draft_segment
from sortija.core.portraits.book.facts import (
    BookFacts,
    SegmentFacts,
    category_facts,
    number_facts,
)
from sortija.core.portraits.book.wording import keys_in
from sortija.core.portraits.naming import propose_names
from sortija.core.portraits.profile import category_profile, numeric_profile
from sortija.core.table import Column, Table
from sortija.demo.files import write_demo
from sortija.demo.world import ARCHETYPES
from tests.core.portraits.book.worlds import Category, Number

TRAITS = ("garden", "joined_through", "plan")
KINDS = len(ARCHETYPES)


def marrowmere(folder, seed):
    """(table of settled members with measures and traits, their archetypes)."""
    demo = write_demo(Path(folder), 6000, seed)
    file = DelimitedFile(demo.log, sniff(demo.log))
    mapping, _ = guess_log(file.first_rows(2000))
    reader = LineReader(mapping, 2, 20_800)
    log = assemble(list(reader.read(file.batches())), len(reader.cards))
    names = Names(tuple(reader.departments.texts), tuple(reader.channels.texts))
    mask = mask_of(rule.key for rule in RULES if rule.default)
    derived = derive(log, Window(date(2026, 6, 30)), mask, 2, names)
    with demo.members.open() as one, demo.truth.open() as other:
        members = {row["card"]: row for row in csv.DictReader(one)}
        truth = {row["card"]: row for row in csv.DictReader(other)}
    rows, kinds = [], []
    tenure = derived.table["tenure"].values
    for place, card in enumerate(reader.cards.texts):
        course = {truth[card][f"quarter_{q}"] for q in range(7, 11)} if card in truth else set()
        if len(course) == 1 and derived.present[place] and tenure[place] >= 365:
            rows.append(place)
            kinds.append(int(course.pop()))
    columns = [Column(c.name, "number", np.asarray(c.values)[rows], c.unit) for c in derived.table]
    for trait in TRAITS:
        levels = sorted({row[trait] for row in members.values()})
        cards = [reader.cards.texts[row] for row in rows]
        codes = np.array([levels.index(members[c][trait]) + 1 for c in cards], np.int32)
        columns.append(Column(trait, "category", codes, "", tuple(levels)))
    return Table(tuple(columns)), np.array(kinds)


def features(table):
    """Measures bent so that each archetype is about normal in them."""

    def value(name, missing=0.0):
        return np.nan_to_num(table[name].values, nan=missing)

    shares = sorted(n for n in table.names if n.startswith("share_") and "season" not in n)
    shares += ["share_season_spring", "share_season_winter"]
    return np.stack(
        [
            np.sqrt(value("frequency")), np.log1p(np.maximum(value("basket_median"), 0)),
            np.log1p(np.maximum(value("monetary"), 0)), value("gap_cv", -0.5),
            np.log1p(value("gap_mean", 400.0)), value("breadth"),
            *(np.sqrt(np.maximum(value(name), 0)) for name in shares),
        ],
        axis=1,
    )  # fmt: skip


def likeliest(known, kinds, wanted):
    """The archetype under which each row of ``wanted`` is likeliest, densities from ``known``."""
    x, y = features(known), features(wanted)
    score = np.zeros((len(y), KINDS))
    for kind in range(KINDS):
        mine = kinds == kind
        spread = np.cov(x[mine].T) + 1e-3 * np.eye(x.shape[1])
        gap = y - x[mine].mean(axis=0)
        score[:, kind] = np.log(mine.mean()) - 0.5 * np.linalg.slogdet(spread)[1]
        score[:, kind] -= 0.5 * np.einsum("ij,jk,ik->i", gap, np.linalg.inv(spread), gap)
        for trait in TRAITS:
            levels = len(known[trait].levels) + 1
            counts = np.bincount(known[trait].values[mine], minlength=levels) + 0.5
            score[:, kind] += np.log(counts / counts.sum())[wanted[trait].values]
    return score.argmax(axis=1)


#: What a portrait of each archetype has to tell: what the generator makes it by.
MADE_BY = {
    "steady": ("mean:visit_days", "has:plan=plus", "mean:share_department_tea_room"),
    "spring": ("mean:share_season_spring", "has:garden=yard"),
    "workshop": ("mean:share_department_workshops", "has:joined_through=workshop"),
    "project": ("mean:share_department_landscaping", "mean:basket_mean"),
    "balcony": ("has:garden=balcony", "has:plan=none", "has:joined_through=web"),
    "allotment": ("has:garden=allotment", "has:plan=card", "has:joined_through=a friend"),
    "beat": ("mean:gap_cv", "mean:share_department_shrubs_and_trees"),
    "burst": ("mean:gap_cv", "mean:share_department_shrubs_and_trees"),
    "quiet": ("mean:recency", "has:garden=not known"),
}
CALLED = {"steady": "Frequent", "spring": "Spring", "workshop": "Workshop",
          "project": "Landscaping", "balcony": "Balcony", "allotment": "Allotment",
          "beat": "Steady"}  # fmt: skip


def rows_of(table, kinds):
    """The table's columns with profiles by archetype."""
    rows, categories = [], []
    for column in table.columns:
        if column.kind == "category":
            profile = category_profile(column.values, len(column.levels), kinds, KINDS)
            levels = ("not given", *column.levels)
            categories.append(Category(column.name, column.name, levels, False, profile))
            continue
        measure = MEASURES.get(column.name)
        if measure is None:
            _, family, what = column.name.split("_", 2)
            measure = describe_share(column.name, family, what.capitalize())
        profile = numeric_profile(column.values, kinds, KINDS)
        rows.append(
            Number(column.name, measure.label, measure.unit, measure.family, False, profile)
        )
    return rows, categories


class Truth(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.table, cls.kinds = marrowmere(folder / "demo", 4107)
        cls.other, cls.other_kinds = marrowmere(folder / "other", 77)

    def test_the_generators_own_likelihood_finds_the_archetypes(self):
        found = likeliest(self.other, self.other_kinds, self.table)
        self.assertGreaterEqual(adjusted_rand(found, self.kinds), 0.9)

    def group(self, categories):
        numbers = ("frequency", "monetary", "basket_median", "breadth", "share_season_spring",
                   "share_department_workshops")  # fmt: skip
        steps = {n: Steps(**{**propose(self.table[n]).__dict__, "fill": "zero"}) for n in numbers}
        recipe = Recipe(steps, categories)
        engine = Engine(2)
        fit = fit_group(prepare(self.table, recipe), 8, recipe, engine)
        engine.release()
        return adjusted_rand(fit.labels, self.kinds)

    def test_every_archetype_has_a_portrait_of_what_makes_it(self):
        rows, kinds = rows_of(self.table, self.kinds)
        numbers, categories = number_facts(rows, KINDS), category_facts(kinds, KINDS)
        names = propose_names(sets_apart(rows, kinds, KINDS))
        for n, archetype in enumerate(ARCHETYPES):
            segment = SegmentFacts(n + 1, names[n][0].name, n, int(np.sum(self.kinds == n)),
                                   float("nan"), numbers[n], categories[n])  # fmt: skip
            book = BookFacts("Marrowmere", "", "£", (segment,), {})
            drafted = draft_segment(book, segment)
            said = {key for part in drafted for key in keys_in(part.text)}
            for key in MADE_BY[archetype.name]:
                self.assertIn(key, said, archetype.name)
        for name, words in CALLED.items():
            place = next(n for n, a in enumerate(ARCHETYPES) if a.name == name)
            self.assertIn(words, " ".join(p.name for p in names[place]))

    def test_categories_help(self):
        alone, together = self.group(()), self.group(TRAITS)
        self.assertGreater(together, alone + 0.1)
        self.assertGreater(together, 0.45)

    def test_propose_comes_near_the_generators_own_assignment(self):
        best = adjusted_rand(likeliest(self.other, self.other_kinds, self.table), self.kinds)
        numbers = [n for n in self.table.names if n not in TRAITS and "weekday" not in n]
        parts = [n for n in numbers if n.startswith("share_")]
        inputs = inputs_for(self.table, numbers, TRAITS, parts=parts)
        self.assertIn(("visit_days", "it says the same as frequency"), inputs.left_out)
        self.assertIn("gap_cv", dict(inputs.left_out))
        engine = Engine(2)
        found = next(propose_groups(self.table, inputs, engine=engine))
        engine.release()
        self.assertLessEqual(abs(found.candidate.k - KINDS), 1)
        rand = adjusted_rand(found.candidate.fit.labels, self.kinds[found.rows.rows])
        self.assertGreaterEqual(rand, 0.8 * best)
        # It says that these groups are there, and what it rests on.
        self.assertEqual(found.verdict.level, "holds")
        self.assertEqual(found.doubts, ())
        self.assertIn("stand clearest apart", found.reasons[1])


if __name__ == "__main__":
    unittest.main()
