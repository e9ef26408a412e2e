"""Segment hues stay apart for eyes that see fewer colours, and stand out on white."""

import re
import unittest
from itertools import combinations
from pathlib import Path

import numpy as np

from sortija.core.portraits.marks import HUES

WEB = Path(__file__).parents[2] / "web" / "src"
# Machado, Oliveira & Fernandes 2009, severity 1, on linear RGB.
SIGHT = {
    "full": np.eye(3),
    "protanopia": np.array(
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216],
         [-0.003882, -0.048116, 1.051998]]
    ),
    "deuteranopia": np.array(
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413],
         [-0.011820, 0.042940, 0.968881]]
    ),
    "tritanopia": np.array(
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602],
         [0.004733, 0.691367, 0.303900]]
    ),
}  # fmt: skip


def linear(colour):
    c = np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255
    return np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)


def lab(rgb):
    m = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750],
                  [0.0193339, 0.1191920, 0.9503041]])  # fmt: skip
    x = m @ np.clip(rgb, 0, 1) / [0.95047, 1, 1.08883]
    f = np.where(x > 216 / 24389, np.cbrt(x), (24389 / 27 * x + 16) / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def difference(first, second):
    """CIEDE2000."""
    l1, a1, b1 = first
    l2, a2, b2 = second
    c = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(c**7 / (c**7 + 25**7)))
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    turn = h2 - h1
    turn = turn - 360 if turn > 180 else turn + 360 if turn < -180 else turn
    dh = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    hm = (h1 + h2) / 2 if abs(h1 - h2) <= 180 else (h1 + h2 + 360) / 2
    t = 1 - 0.17 * np.cos(np.radians(hm - 30)) + 0.24 * np.cos(np.radians(2 * hm))
    t += 0.32 * np.cos(np.radians(3 * hm + 6)) - 0.2 * np.cos(np.radians(4 * hm - 63))
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    turn = np.exp(-(((hm - 275) / 25) ** 2))
    rt = -2 * np.sqrt(cm**7 / (cm**7 + 25**7)) * np.sin(np.radians(60 * turn))
    dl, dc = (l2 - l1) / sl, (c2 - c1) / sc
    return np.sqrt(dl**2 + dc**2 + (dh / sh) ** 2 + rt * dc * dh / sh)


class Hues(unittest.TestCase):
    def setUp(self):
        text = (WEB / "marks" / "hues.ts").read_text()
        self.hues = re.findall(r'"(#[0-9a-f]{6})"', text)
        styles = (WEB / "styles.css").read_text()
        self.fixed = [re.search(rf"--color-{n}: (#\w+)", styles)[1] for n in ("teal", "copper")]

    def test_screen_and_files_draw_alike(self):
        self.assertEqual(tuple(self.hues), HUES)

    def test_apart_for_every_eye(self):
        self.assertEqual(len(self.hues), 8)
        for name, sight in SIGHT.items():
            seen = {c: lab(sight @ linear(c)) for c in [*self.hues, *self.fixed]}
            for a, b in combinations(seen, 2):
                self.assertGreaterEqual(difference(seen[a], seen[b]), 12, f"{a} {b} {name}")

    def test_contrast_on_white(self):
        for colour in self.hues:
            light = linear(colour) @ [0.2126, 0.7152, 0.0722]
            self.assertGreaterEqual(1.05 / (light + 0.05), 3, colour)

    def test_the_formula_itself(self):
        # Two pairs of Sharma, Wu & Dalal 2005.
        one = difference((50, 2.6772, -79.7751), (50, 0, -82.7485))
        two = difference((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387))
        self.assertAlmostEqual(one, 2.0425, places=3)
        self.assertAlmostEqual(two, 1.2644, places=3)


if __name__ == "__main__":
    unittest.main()
