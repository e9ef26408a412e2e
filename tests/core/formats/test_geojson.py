"""Districts as GeoJSON: rows and outlines, or a sentence that says what to change."""

import gzip
import json
import tempfile
import unittest
from pathlib import Path

from sortija.core.formats.geojson import AreaRows
from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import UnreadableFile

SQUARE = [[0, 50], [1, 50], [1, 51], [0, 51], [0, 50]]
HOLE = [[0.4, 50.4], [0.6, 50.4], [0.6, 50.6], [0.4, 50.4]]


def feature(geometry, **properties):
    return {"type": "Feature", "properties": properties, "geometry": geometry}


def polygon(*rings):
    return {"type": "Polygon", "coordinates": list(rings)}


class Reading(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def open(self, *features, packed=False, text=None):
        path = self.folder / "districts.geojson"
        whole = {"type": "FeatureCollection", "features": list(features)}
        data = (json.dumps(whole) if text is None else text).encode()
        path.write_bytes(gzip.compress(data) if packed else data)
        return open_rows(path)

    def test_rows_and_outlines(self):
        several = {"type": "MultiPolygon", "coordinates": [[SQUARE], [SQUARE, HOLE]]}
        for packed in (False, True):
            file = self.open(
                feature(polygon(SQUARE, HOLE), code="0101", homes=12, tags=["a"]),
                feature(several, code="0102"), feature(None, code="0103", homes=None),
                packed=packed,
            )  # fmt: skip
            self.assertIsInstance(file, AreaRows)
            self.assertEqual(file.names, ("code", "homes"))
            rows = file.first_rows().to_pylist()
            self.assertEqual([row["code"] for row in rows], ["0101", "0102", "0103"])
            self.assertEqual([row["homes"] for row in rows], ["12", "", ""])
            self.assertEqual([len(rings) for rings in file.outlines], [2, 3, 0])
            self.assertEqual(file.outlines[0][0][1], (1.0, 50.0))
            self.assertEqual(file.notes, ["1 districts have no outline and are not drawn."])

    def test_a_long_coast_is_thinned_and_stays_closed(self):
        coast = [[n / 1000, 50 + (n % 7) / 100] for n in range(5000)]
        (rings,) = self.open(feature(polygon([*coast, coast[0]]), code="1")).outlines
        self.assertLessEqual(len(rings[0]), 401)
        self.assertEqual(rings[0][0], rings[0][-1])

    def test_what_is_wrong_and_what_to_do(self):
        point = {"type": "Point", "coordinates": [0, 50]}
        far = polygon([[400_000, 120_000], [1, 2], [3, 4], [400_000, 120_000]])
        broken = polygon([["a", "b"], [1, 2], [3, 4], ["a", "b"]])
        for words, features in (
            ("holds no features", []),
            ("Feature 1 is a Point", [feature(point, code="1")]),
            ("beyond 180", [feature(far, code="1")]),
            ("corners that are no numbers", [feature(broken, code="1")]),
            ("Feature 2 has no properties", [feature(None, code="1"), {"type": "Feature"}]),
        ):
            with self.subTest(words), self.assertRaisesRegex(UnreadableFile, words):
                self.open(*features)
        with self.assertRaisesRegex(UnreadableFile, "no whole JSON"):
            self.open(text='{"type": "FeatureCollection", "features": [')


if __name__ == "__main__":
    unittest.main()
