"""The formula language: right, in units, and deaf to everything that is not arithmetic."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.measures.formula import (
    FUNCTIONS,
    MOST_CHARACTERS,
    FormulaError,
    evaluate,
    parse,
    unit_of,
    unit_words,
)

UNITS = {
    "monetary": unit_of("money"), "frequency": unit_of("visits"), "recency": unit_of("days"),
    "tenure": unit_of("days"), "silence": unit_of("times"), "weekend": unit_of("share"),
}  # fmt: skip
COLUMNS = {
    "monetary": np.array([100.0, 0.0, np.nan, -8.0]), "frequency": np.array([4.0, 0.0, 2.0, 3.0]),
    "recency": np.array([10.0, 90.0, 5.0, 200.0]), "tenure": np.array([400.0, 90.0, 5.0, np.nan]),
    "silence": np.array([0.5, 3.5, 1.0, 9.0]), "weekend": np.array([0.25, 1.0, 0.0, 0.5]),
}  # fmt: skip
PLAIN = {name: unit_of("") for name in ("a", "b", "c")}


def value(text, units=UNITS, columns=COLUMNS):
    return evaluate(parse(text, units), columns)


class Arithmetic(unittest.TestCase):
    def check(self, text, wanted):
        np.testing.assert_allclose(value(text), wanted, err_msg=text)

    def test_by_hand(self):
        gone = np.nan
        for text, wanted in (
            ("monetary / frequency", [25, gone, gone, -8 / 3]),
            ("1 + 2 * 3 ^ 2 - -4", [23] * 4),
            ("−recency × 2 ÷ 4", [-5, -45, -2.5, -100]),
            ("if(recency > 60 and silence >= 3, 1, 0)", [0, 1, 0, 1]),
            ("recency > 60 or monetary > 50", [1, 1, gone, 1]),
            ("not missing(monetary)", [1, 1, 0, 1]),
            ("else(monetary, 0)", [100, 0, 0, -8]),
            ("else(monetary, tenure * 0, 7)" .replace("tenure * 0", "3"), [100, 0, 3, -8]),
            ("min(recency, 60, tenure)", [10, 60, 5, gone]),
            ("max(frequency, 3)", [4, 3, 3, 3]),
            ("between(recency, 5, 90)", [1, 1, 1, 0]),
            ("round(silence)", [1, 4, 1, 9]),
            ("round(weekend * 10 / 3, 1)", [0.8, 3.3, 0, 1.7]),
            ("sqrt(frequency * frequency)", [4, 0, 2, 3]),
            ("log(exp(silence))", [0.5, 3.5, 1, 9]),
            ("log(frequency - frequency)", [gone] * 4),
            ("abs(monetary)", [100, 0, gone, 8]),
            ("recency = 10", [1, 0, 0, 0]),
            ("recency ≠ 10", [0, 1, 1, 1]),
            ("exp(1000)", [gone] * 4),
            (".5 + 1e1", [10.5] * 4),
        ):  # fmt: skip
            with self.subTest(text):
                self.check(text, wanted)

    @settings(max_examples=300, deadline=None)
    @given(st.recursive(
        st.sampled_from(["a", "b", "c", "1.5", "2", "0.25"]),
        lambda inner: st.one_of(
            st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda t: f"({' '.join(t)})"),
            inner.map(lambda t: f"-({t})"),
            st.tuples(inner, inner).map(lambda t: f"min({t[0]}, {t[1]})"),
        ),
        max_leaves=12,
    ))  # fmt: skip
    def test_against_python(self, text):
        if len(text) > MOST_CHARACTERS:
            return
        columns = {"a": np.array([3.0]), "b": np.array([-0.5]), "c": np.array([7.25])}
        wanted = eval(text, {"__builtins__": {}}, {"a": 3.0, "b": -0.5, "c": 7.25, "min": min})
        self.assertAlmostEqual(value(text, PLAIN, columns)[0], wanted, 6)

    def test_many_customers_go_through_in_parts(self):
        many = {name: np.tile(v, 30_000) for name, v in COLUMNS.items()}
        got = value("monetary / frequency + monetary / frequency", UNITS, many)
        np.testing.assert_array_equal(got[:4], got[-4:])
        self.assertEqual(len(got), 120_000)


class Units(unittest.TestCase):
    def test_what_comes_out(self):
        for text, words in (
            ("monetary / frequency", "money/visits"),
            ("monetary * monetary / monetary", "money"),
            ("recency / tenure", ""),
            ("recency + 1", "days"),
            ("weekend * monetary", "money"),
            ("1 / frequency", "1/visits"),
            ("recency ^ 2", "days^2"),
            ("sqrt(recency * tenure)", "days"),
            ("if(recency > 30, monetary, 0)", "money"),
            ("recency > 30", ""),
        ):
            with self.subTest(text):
                unit = parse(text, UNITS).unit
                self.assertEqual(unit_words(unit), words)
                self.assertEqual(unit_of(words).powers, unit.powers)
        self.assertEqual(unit_words(unit_of("money/visits"), {"money": "£"}), "£/visits")

    def test_what_cannot_be_told_together(self):
        for text, at in (
            ("recency + monetary", 8), ("recency > monetary", 8), ("min(recency, monetary)", 13),
            ("if(recency > 1, recency, monetary)", 25), ("sqrt(monetary)", 0),
            ("between(recency, 1, monetary)", 20),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(FormulaError) as caught:
                parse(text, UNITS)
            self.assertEqual(caught.exception.at, at)


class Mistakes(unittest.TestCase):
    def test_they_point_at_the_character(self):
        for text, at, words in (
            ("", 0, "Write a formula"), ("   ", 0, "Write a formula"),
            ("monetary /", 9, "ends where a value"), ("monetary / (frequency", 11, "never closed"),
            ("monetary)", 8, "closes nothing"), ("monetary frequency", 9, "was not expected"),
            ("freqency * 2", 0, "Did you mean frequency?"), ("monetary # 2", 9, "no meaning"),
            ("2 ^ 9", 4, "whole number from 0 to 4"), ("2 ^ frequency", 4, "whole number"),
            ("2 ^ 2 ^ 2", 6, "One power at a time"), ("1 < 2 < 3", 6, "One comparison"),
            ("max(1)", 0, "max(a, b, …)"), ("maxi(1, 2)", 0, "Did you mean max?"),
            ("round(recency, frequency)", 15, "0 to 6 places"), ("max", 0, "in brackets"),
            ("(1 + 2", 0, "never closed"), ("if(1, 2 3)", 8, "“)” is wanted"),
        ):  # fmt: skip
            with self.subTest(text):
                with self.assertRaises(FormulaError) as caught:
                    parse(text, UNITS)
                self.assertEqual(caught.exception.at, at, str(caught.exception))
                self.assertIn(words, str(caught.exception))

    def test_nothing_but_arithmetic_is_understood(self):
        for text in (
            "__import__('os').system('true')", "open('x')", "a.b", "a[0]", "lambda: 1", "x = 3",
            "().__class__", "frequency.real", "f'{recency}'", "recency; 1", "exec(1)", "eval(1)",
            "[1,2]", "{1}", "1 if 2 else 3", "recency\\n", "`ls`", "$x", "import os", "None",
            "recency:monetary:x",
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(FormulaError):
                parse(text, UNITS)

    def test_length_and_depth_are_bounded(self):
        for text in (
            "(" * 60 + "1" + ")" * 60, "abs(" * 60 + "1" + ")" * 60, "1+" * 300 + "1",
            "1" * 600,
        ):  # fmt: skip
            with self.subTest(text[:20]), self.assertRaises(FormulaError):
                parse(text, UNITS)
        self.assertTrue(math.isfinite(value("+".join(["1"] * 240))[0]))
        self.assertEqual(value("not " * 61 + "1")[0], 0)
        self.assertEqual(value("-" * 401 + "1")[0], -1)

    @settings(max_examples=400, deadline=None)
    @given(st.text(max_size=60))
    def test_any_text_is_read_or_refused(self, text):
        try:
            got = value(text)
        except FormulaError as problem:
            self.assertTrue(0 <= problem.at <= len(text))
            self.assertGreaterEqual(problem.length, 1)
        else:
            self.assertEqual(len(got), 4)

    def test_every_function_is_explained_and_works(self):
        for function in FUNCTIONS.values():
            inside = ", ".join(["silence"] * max(function.least, 1))
            if function.name != "round":
                self.assertEqual(len(value(f"{function.name}({inside})")), 4)
            self.assertTrue(function.shown.startswith(f"{function.name}("))


if __name__ == "__main__":
    unittest.main()
