"""The front end's words, geometry and order of changes, each by itself, in Chromium."""

import math
import random
import subprocess
import tempfile
from datetime import date, timedelta
from itertools import pairwise
from pathlib import Path

from django.test import SimpleTestCase

from tests.web.support import House

WEB = Path(__file__).parents[2] / "web"
MODULES = (
    "charts/axis", "charts/format", "charts/neighbour", "lens/clauses",
    "stations/crossings/figures", "stations/groups/layout", "stations/ledger/picked",
    "stations/portraits/rules/layout", "stations/scores/geometry", "stations/scores/heads",
    "study/write-queue", "ui/chosen",
)  # fmt: skip
EPOCH = date(1970, 1, 1)


def bundle():
    """One script with all of the modules as a global called ``parts``."""
    with tempfile.TemporaryDirectory() as folder:
        entry, out = Path(folder) / "entry.ts", Path(folder) / "out.js"
        entry.write_text("".join(f'export * from "@/{module}";\n' for module in MODULES))
        words = ["node_modules/.bin/rolldown", str(entry), "--format", "iife", "--name", "parts",
                 "--file", str(out), "--tsconfig", "tsconfig.json"]  # fmt: skip
        subprocess.run(words, cwd=WEB, check=True, capture_output=True)
        return out.read_text()


class Parts(SimpleTestCase):
    databases = ()

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.house, script = House.open(), bundle()

        def open_page():
            page = cls.house.browser.new_page()
            page.add_script_tag(content=script)
            return page

        cls.page = cls.house.lane.submit(open_page).result(60)
        cls.addClassCleanup(lambda: cls.house.lane.submit(cls.page.close).result(60))

    def js(self, code, given=None):
        """The value of a function of ``parts`` and what is given."""
        call = f"given => {{ const f = {code}; return f(given); }}"
        return self.house.lane.submit(self.page.evaluate, call, given).result(60)

    def each(self, name, cases):
        """``name(*arguments)`` is what stands beside it, for many at once."""
        asked = [list(arguments) for arguments, _ in cases]
        got = self.js(f"all => all.map(each => parts.{name}(...each))", asked)
        for (arguments, wanted), found in zip(cases, got, strict=True):
            with self.subTest(name, arguments=arguments):
                self.assertEqual(found, wanted)


class Words(Parts):
    def test_money_whole_short_and_below_nothing(self):
        self.each("money", [
            ((123450, 2, "£", False), "£1,234.50"), ((123450, 2, "£"), "£1,235"),
            ((-99, 2, "£"), "−£0.99"), ((0, 2, "£"), "£0"), ((0, 2, "£", False), "£0.00"),
            ((99949999, 2, "£"), "£999,500"), ((99949999, 2, "£", False), "£999,499.99"),
            ((99950000, 2, "£"), "£1.00m"),
            ((123400000, 2, "£"), "£1.23m"), ((7, 0, "kr"), "kr7"), ((-1234567, 4, "€"), "−€123"),
        ])  # fmt: skip

    def test_figures_in_their_units(self):
        self.each("figure", [
            ((None,), "–"), ((0,), "0"), ((0.5,), "0.5"), ((0.456,), "0.46"), ((34.56,), "34.6"),
            ((345.6,), "346"), ((1234567,), "1,234,567"), ((-0.58,), "−0.58"), ((1e-9,), "0"),
        ])  # fmt: skip
        self.each("fixed", [((-0.576,), "−0.58"), ((0.5,), "0.50"), ((-3.25, 1), "−3.3")])
        self.each("factor", [
            ((0.001314,), "0.00131"), ((-12.345,), "−12.3"), ((0,), "0"), ((98765,), "98,800"),
        ])  # fmt: skip
        self.each("inUnit", [
            ((0.463, "share", "£"), "46.3%"), ((-13.2, "money", "£"), "−£13.20"),
            ((2.5, "money/visits", "£"), "£2.50"), ((1987.0, "year", "£"), "1987"),
            ((0, "date", "£"), "1 Jan 1970"), ((None, "share", "£"), "–"),
            ((42, "days", "£"), "42"),
        ])  # fmt: skip
        self.each("placesOf", [
            (([35, 33.91, None], "money"), 2), (([0.4, 1], "share"), 0),
            (([0.463, 0.1], "share"), 1),
            (([1.5, -250.25], "days"), 0), (([0.2, 1.31], "times"), 2), (([], "days"), 0),
        ])  # fmt: skip
        self.each("inUnit", [
            ((35, "money", "£", 1), "£35.0"), ((0.4, "share", "£", 1), "40.0%"),
            ((-1.25, "times", "£", 2), "−1.25"), ((1234.5, "days", "£", 0), "1,235"),
        ])  # fmt: skip
        self.each("unitWords", [
            (("money/visits", "£"), "£/visits"), (("share", "£"), ""), (("rank", "£"), "0 to 1"),
            (("log ratio", "£"), "log ratio"),
        ])  # fmt: skip
        self.each("percent", [((1, 8), "12.5%"), ((1, 0), "–"), ((2, 3, 0), "67%")])
        self.each("heads", [((1, ""), "1 customer"), ((2000, ""), "2,000 customers"),
                            ((1, "district"), "1 row")])  # fmt: skip

    def test_days_and_windows(self):
        self.each("day", [(("2026-09-05",), "5 Sep 2026"), (("2024-02-29",), "29 Feb 2024")])
        self.each("backWords", [
            (("12",), "12 months back"), (("all",), "the whole log"),
            (("2025-11-01",), "from 1 Nov 2025"),
        ])  # fmt: skip
        self.each("chosen", [
            (([["a", "A"], ["b", "B"]], "b"), "b"), (([["a", "A"], ["b", "B"]], "time"), "a"),
            (([["a", "A"]], None), "a"),
        ])  # fmt: skip

    def test_what_a_step_is_called(self):
        self.each("nameOf", [(("month", 20_605), "Jun 2026"), (("day", 0), "1 Jan 1970"),
                             (("week", 0), "week of 1 Jan 1970")])  # fmt: skip

    def test_the_clause_behind_picked_lines(self):
        lines = {"first": None, "last": None, "rule": "", "when": "", "by": "", "number": 0}
        june = {**lines, "first": 20_605, "last": 20_634}
        self.each("fieldOf", [
            ((lines,), ""), (({**lines, "rule": "counted"},), ""),
            (({**lines, "rule": "void"},), "met:void"),
            ((june,), "bought:days=2026-06-01..2026-06-30"),
            (({**june, "rule": "void"},), "met:void=2026-06-01..2026-06-30"),
            (({**june, "by": "department"},), ""),
        ])  # fmt: skip


class Axes(Parts):
    def test_a_place_and_its_value_lead_to_each_other(self):
        rng = random.Random(5)
        cases = []
        for _ in range(200):
            low = rng.choice([0.0, rng.uniform(-500, 400)])
            axis = {"low": low, "high": low + rng.uniform(1, 5000), "log": rng.random() < 0.5}
            cases.append([rng.random(), axis])
        back = self.js("all => all.map(([p, a]) => parts.placeOf(parts.valueAt(p, a), a))", cases)
        for (place, axis), found in zip(cases, back, strict=True):
            self.assertAlmostEqual(found, place, 9, axis)
        bent = {"low": 0, "high": math.e**4 - 1, "log": True}
        self.each("placeOf", [((-5, bent), 0), ((1e9, bent), 1), ((math.e**2 - 1, bent), 0.5),
                              ((3, {"low": 2, "high": 2, "log": False}), 0.5)])  # fmt: skip

    def test_ticks_are_round_inside_and_apart(self):
        rng = random.Random(6)
        axes = [
            {"low": low, "high": low + 10 ** rng.uniform(-2, 6), "log": log}
            for low in (0, -12.5, 3, 1980) for log in (True, False) for _ in range(20)
        ]  # fmt: skip
        for axis, ticks in zip(
            axes, self.js("all => all.map(a => parts.ticksOf(a))", axes), strict=True
        ):
            with self.subTest(axis):
                self.assertEqual(ticks, sorted(set(ticks)))
                self.assertTrue(all(axis["low"] <= t <= axis["high"] * (1 + 1e-9) for t in ticks))
                if not axis["log"]:
                    self.assertTrue(2 <= len(ticks) <= 7, ticks)
                    step = ticks[1] - ticks[0]
                    lead = step / 10 ** math.floor(math.log10(step) + 1e-9)
                    self.assertIn(round(lead, 6), (1, 2, 5, 10))


class Picking(Parts):
    def test_bars_picked_added_and_given_up(self):
        plan = {"field": "plan", "values": ["plus"], "ranges": [], "negated": True, "window": ""}
        days = {"field": "days", "values": [], "ranges": [[0, 10]], "negated": False, "window": ""}
        card = {**plan, "values": ["card"], "negated": False}
        self.each("picked", [
            (([], "plan", {"value": "card"}, False), [card]),
            (([plan, days], "plan", {"value": "card"}, False), [card, days]),  # negated no more
            (([plan], "plan", {"value": "card"}, True), [{**plan, "values": ["plus", "card"]}]),
            (([{**plan, "values": ["plus", "card"]}], "plan", {"value": "plus"}, True),
             [{**plan, "values": ["card"]}]),
            (([plan, days], "plan", {"value": "plus"}, False), [days]),  # the only one: given up
            (([days], "days", {"range": [0, 10]}, True), []),
            (([days], "days", {"range": [10, None]}, True),
             [{**days, "ranges": [[0, 10], [10, None]]}]),
        ])  # fmt: skip

    def test_bars_at_the_ends_take_what_lies_beyond(self):
        edges = [0, 10, 20, 30, 40]
        self.each("barRange", [
            ((edges, 1, 2), [10, 30]), ((edges, 2, 1), [10, 30]), ((edges, 0, 0), [None, 10]),
            ((edges, 3, 3), [30, None]), ((edges, 0, 3), [None, None]),
        ])  # fmt: skip


class Marks(Parts):
    def test_arrows_lead_along_rows_and_columns(self):
        grid = [{"left": 20 * c, "top": 12 * r, "width": 18, "height": 10}
                for r in range(4) for c in range(5)]  # fmt: skip
        ways = {"ArrowRight": (1, 0), "ArrowLeft": (-1, 0), "ArrowDown": (0, 1), "ArrowUp": (0, -1)}
        cases = []
        for at in range(20):
            for key, (dx, dy) in ways.items():
                c, r = at % 5 + dx, at // 5 + dy
                inside = 0 <= c < 5 and 0 <= r < 4
                cases.append(((grid, at, key), 5 * r + c if inside else -1))
        self.each("neighbour", cases)
        self.each(
            "neighbour", [((grid, 7, "Home"), 0), ((grid, 7, "End"), 19), ((grid, 7, "x"), -1)]
        )

    def test_the_nearest_that_way_before_a_nearer_one_at_an_angle(self):
        def box(x, y):
            return {"left": x, "top": y, "width": 2, "height": 2}

        boxes = [box(0, 0), box(40, 0), box(30, 25), box(-5, 300)]
        self.each("neighbour", [
            ((boxes, 0, "ArrowRight"), 1), ((boxes, 0, "ArrowDown"), 2), ((boxes, 2, "ArrowUp"), 1),
            ((boxes, 2, "ArrowDown"), 3), ((boxes, 0, "ArrowUp"), -1),
        ])  # fmt: skip


class Shapes(Parts):
    def test_bands_are_as_long_as_they_have_customers(self):
        rng = random.Random(7)
        many = [[rng.choice([0, 1, 3, 400, 5000]) for _ in range(rng.randint(2, 10))]
                for _ in range(100)]  # fmt: skip
        many = [sizes for sizes in many if sum(sizes) > 100]
        found = self.js("all => all.map(s => parts.stretches(s, 490))", many)
        for sizes, along in zip(many, found, strict=True):
            with self.subTest(sizes):
                self.assertAlmostEqual(sum(each["size"] for each in along), 490, 6)
                ends = [0, *(each["from"] + each["size"] for each in along)]
                for each, end in zip(along, ends, strict=False):
                    self.assertAlmostEqual(each["from"], end, 9)
                large = [(n, e["size"]) for n, e in zip(sizes, along, strict=True)
                         if n / sum(sizes) * 490 >= 7]  # fmt: skip
                for n, size in large:
                    self.assertAlmostEqual(size / large[0][1], n / large[0][0], 6)
                for n, each in zip(sizes, along, strict=True):
                    self.assertTrue(each["size"] == 0 if n == 0 else each["size"] >= 6.99)
        lopsided = [{"from": 0, "size": 0}, {"from": 0, "size": 60}, {"from": 60, "size": 40}]
        self.each("bandAt", [((lopsided, 0), 2), ((lopsided, 59), 2), ((lopsided, 60), 3),
                             ((lopsided, 100), 3)])  # fmt: skip

    def test_tiers_are_counted_from_the_plots_as_each_customer_by_itself(self):
        rng = random.Random(8)
        for third in ("", "m"):
            grids = [
                {"third": z, "customers": [[rng.randint(0, 9) for _ in range(5)] for _ in range(4)],
                 "money": [[rng.randint(-50, 900) for _ in range(5)] for _ in range(4)]}
                for z in ((1, 2, 3) if third else (0,))
            ]  # fmt: skip
            page = {
                "measures": [{"name": n} for n in ("r", "f", "m")], "across": "f", "up": "r",
                "third": third, "field": grids[0], "fields": grids if third else [],
            }  # fmt: skip
            tiers = [{"ranges": [[rng.randint(1, 3), rng.randint(3, 5)] for _ in range(3)]}
                     for _ in range(4)]  # fmt: skip
            wanted = [[0, 0] for _ in tiers]
            for grid in grids:
                for r in range(4):
                    for f in range(5):
                        at = {0: r + 1, 1: f + 1}
                        if third:
                            at[2] = grid["third"]
                        for n, tier in enumerate(tiers):
                            if all(tier["ranges"][m][0] <= band <= tier["ranges"][m][1]
                                   for m, band in at.items()):  # fmt: skip
                                wanted[n][0] += grid["customers"][r][f]
                                wanted[n][1] += grid["money"][r][f]
                                break
            found = self.js("([page, tiers]) => parts.answers(page, tiers)", [page, tiers])
            self.assertEqual([[a["customers"], a["money"]] for a in found], wanted)
            box = {"across": [2, 4], "up": [1, 3]}
            inside = self.js("([page, box]) => parts.inBox(page, box)", [page, box])
            self.assertEqual(inside["customers"], sum(
                sum(line[1:4]) for line in grids[0]["customers"][0:3]))  # fmt: skip

    def test_border_moves_that_are_hidden_stay_at_home(self):
        step = {"customers": [[70, 20, 10], [5, 90, 5], [0, 8, 2]],
                "border": [[0, 12, 4], [2, 0, 0], [0, 8, 0]], "money_before": [[1, 2, 3]] * 3,
                "money_after": [[1, 5, 1]] * 3}  # fmt: skip
        for origin, row in enumerate(step["customers"]):
            shown = self.js("([s, o]) => parts.rowOf(s, 'customers', true, o)", [step, origin])
            self.assertEqual(sum(shown), sum(row))
            for target, value in enumerate(shown):
                if target != origin:
                    self.assertEqual(value, row[target] - step["border"][origin][target])
        self.assertEqual(self.js("s => parts.rowOf(s, 'spend', true, 0)", step), [1, 2, 3])
        self.assertEqual(self.js("s => parts.rowOf(s, 'change', true, 0)", step), [0, 3, -2])

    def test_only_what_lies_beyond_chance_is_full(self):
        def between(mean, low, high, verdict=""):
            return {"mean": mean, "low": low, "high": high, "verdict": verdict}

        usual = (52, 38, 67)
        cells = {
            (0, 1): (173, 170, between(*usual, "more")), (2, 0): (400, 0, None),
            (1, 0): (60, 60, between(*usual, "as chance")),
            (0, 2): (20, 20, between(*usual, "fewer")),
        }  # fmt: skip
        table = [[[0, 0, None] for _ in range(3)] for _ in range(3)]
        for (a, b), told in cells.items():
            table[a][b] = list(told)
        step = {
            "customers": [[cell[0] for cell in row] for row in table],
            "chance": {"seen": [[cell[1] for cell in row] for row in table],
                       "moves": [[cell[2] for cell in row] for row in table]},
        }  # fmt: skip
        for (a, b), verdict, striped in (
            ((0, 1), "more", 1 - (170 - 52) / 173), ((1, 0), "as chance", 1),
            ((0, 2), "fewer", 1), ((2, 0), "untold", 0),
        ):  # fmt: skip
            with self.subTest(verdict):
                self.assertEqual(
                    self.js("([s, a, b]) => parts.verdictOf(s, a, b)", [step, a, b]), verdict
                )
                share = self.js("([s, a, b]) => parts.stripedShare(s, a, b)", [step, a, b])
                self.assertAlmostEqual(share, striped)
        # The one beyond chance opens, though more took a way of which chance cannot be told.
        self.assertEqual(self.js("s => parts.mostBeyond(s, 3)", step), {"origin": 0, "target": 1})
        self.assertEqual(self.js("c => parts.rangeWords(c)", between(52, 38.2, 66.4)), "38 to 67")

    def test_rings_hang_apart_and_below_where_their_customers_come_from(self):
        rng = random.Random(9)
        rows = []
        for k in range(2, 10):
            counts = [rng.randint(30, 3000) for _ in range(k)]
            threads = [{"above": rng.randrange(k - 1), "below": g, "customers": rng.randint(1, 99)}
                       for g in range(k) for _ in range(2)] if k > 2 else []  # fmt: skip
            rows.append({"k": k, "counts": counts, "threads": threads})
        for upper, lower in pairwise(rows):
            upper["threads"] = lower["threads"]  # a row keeps the threads to the one below it
        rows[-1]["threads"] = []
        hung = self.js("rows => parts.layout(rows, 700)", rows)
        for place, (row, rings) in enumerate(zip(rows, hung, strict=True)):
            self.assertEqual(sorted(ring["group"] for ring in rings), list(range(row["k"])))
            for one, two in pairwise(rings):
                self.assertGreater(two["x"] - two["r"], one["x"] + one["r"])
            self.assertGreater(rings[0]["x"] - rings[0]["r"], 0)
            self.assertLess(rings[-1]["x"] + rings[-1]["r"], 700)
            if place:
                at = {ring["group"]: ring["x"] for ring in hung[place - 1]}
                middles = []
                for ring in rings:
                    mine = [t for t in rows[place - 1]["threads"] if t["below"] == ring["group"]]
                    weight = sum(t["customers"] for t in mine)
                    middles.append(sum(at[t["above"]] * t["customers"] for t in mine) / weight)
                self.assertEqual(middles, sorted(middles))
        first = {ring["group"]: ring["r"] for ring in hung[0]}
        a, b = rows[0]["counts"]
        self.assertAlmostEqual((first[0] / first[1]) ** 2, a / b, 6)


class Turns(Parts):
    def test_quick_changes_of_one_thing_go_one_after_the_other(self):
        told = self.js("""async () => {
          const marks = [];
          const send = revision => async mark => {
            marks.push(mark["If-Match"]);
            await new Promise(go => setTimeout(go, 20));
            if (revision === null) throw new Error("refused");
            return { revision };
          };
          const first = parts.queueWrite("plan", 4, send(5));
          const second = parts.queueWrite("plan", 4, send(6));  // the screen still shows 4
          const other = parts.queueWrite("rules", 9, send(10));
          const bad = parts.queueWrite("plan", 4, send(null)).catch(problem => problem.message);
          const after = parts.queueWrite("plan", 8, send(9));  // somebody else came to 8 meanwhile
          await Promise.all([first, second, other, bad, after]);
          return [marks, await bad];
        }""")
        self.assertEqual(told, [['"4"', '"5"', '"9"', '"6"', '"8"'], "refused"])

    def test_a_change_begins_from_what_was_sent_last(self):
        told = self.js("""async () => {
          const shown = [];
          const look = seen => shown.push(parts.latest("cut", seen, "screen"));
          look(1);
          let answer;
          const kept = parts.remembered("cut", "mine", new Promise(go => (answer = go)));
          look(1);                       // on its way
          answer({ revision: 2 });
          await kept;
          look(1);                       // answered, the screen is behind
          look(2);                       // the screen shows it
          const refused = parts.remembered("cut", "worse", Promise.reject(new Error("no")));
          await refused.catch(() => undefined);
          look(2);
          return shown;
        }""")
        self.assertEqual(told, ["screen", "mine", "mine", "screen", "screen"])


class Days(Parts):
    def test_a_number_of_days_is_the_calendar_s_day(self):
        days = [(EPOCH + timedelta(days=n), n) for n in range(0, 30_000, 131)]
        names = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]
        self.each("dayOfNumber", [
            ((n,), f"{day.day} {names[day.month - 1]} {day.year}") for day, n in days
        ])  # fmt: skip
        self.each("iso", [((n,), day.isoformat()) for day, n in days])

    def test_bars_of_a_tree_stand_between_what_they_lead_to(self):
        nodes = [{"id": n, "parent": p} for n, p in enumerate([None, 0, 0, 1, 1, 2, 2, 5, 5])]
        found = self.js(
            "nodes => { const l = parts.layoutOf(nodes, 740, 104);"
            " return { height: l.height, places: nodes.map(n => l.places.get(n.id)) }; }",
            nodes,
        )
        places = found["places"]
        leaves = [places[n]["y"] for n in (3, 4, 7, 8, 6)]
        self.assertEqual([b - a for a, b in pairwise(leaves)], [62] * 4)
        for node in (0, 1, 2, 5):
            under = [places[n["id"]] for n in nodes if n["parent"] == node]
            self.assertEqual(places[node]["y"], sum(p["y"] for p in under) / 2)
            for place in under:  # room for the curve between one bar and the next
                self.assertGreater(place["x"], places[node]["x"] + places[node]["width"] + 20)
        self.assertLessEqual(max(p["x"] + p["width"] for p in places), 740 - 104)
        self.assertGreater(found["height"], max(leaves))
