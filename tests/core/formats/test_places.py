"""Places where logs lie: what is listed, what may be attached, what folders tell."""

import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from sortija.core.formats.opening import open_rows
from sortija.core.formats.places import (
    PlaceError,
    WithColumns,
    columns_told,
    fetch,
    files_at,
    is_below,
)
from tests.object_store import ObjectStore

KEYS = {"AWS_ACCESS_KEY_ID": "moss", "AWS_SECRET_ACCESS_KEY": "gravel"}


class Places(unittest.TestCase):
    def setUp(self):
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, KEYS))
        self.put("year=2026/b.csv", "card,total\nA,1\n")
        self.put("year=2025/a.csv", "card,total\nB,2\n")
        for hidden in ("_SUCCESS", "year=2025/.a.csv.crc", "_temporary/c.csv"):
            self.put(hidden, "no table")
        self.put("empty.csv", "")

    def put(self, name, text):
        path = self.root / "logs" / "till" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
        return path

    def store(self):
        store = ObjectStore(self.root)
        self.addCleanup(store.close)
        return store

    def test_a_folder_and_a_store_list_the_same_files(self):
        store = self.store()
        for url in (str(self.root / "logs" / "till"), store.url("logs/till")):
            with self.subTest(url):
                files = files_at(url)
                self.assertEqual([f.name for f in files], ["year=2025/a.csv", "year=2026/b.csv"])
                path = fetch(url, files[1], self.root / "cache" / "b")
                self.assertEqual(path.read_text(), "card,total\nA,1\n")
        self.assertEqual(store.asked, ["logs/till/year=2026/b.csv"])
        fetch(url, files[1], self.root / "cache" / "b")
        self.assertEqual(len(store.asked), 1, "it is copied once")

    def test_one_file_is_a_place_too(self):
        url = str(self.root / "logs" / "till" / "year=2026" / "b.csv")
        (file,) = files_at(url)
        self.assertEqual(file.name, "b.csv")
        self.assertEqual(fetch(url, file, self.root / "c"), Path(url))

    def test_a_file_that_changed_or_went_is_not_read(self):
        for url in (str(self.root / "logs" / "till"), self.store().url("logs/till")):
            with self.subTest(url):
                file = files_at(url)[0]
                path = self.put(file.name, "card,total\nB,22\n")
                with self.assertRaisesRegex(PlaceError, "a.csv changed since it was listed"):
                    fetch(url, file, self.root / "c1")
                path.unlink()
                with self.assertRaisesRegex(PlaceError, "no longer at"):
                    fetch(url, file, self.root / "c2")
                self.put(file.name, "card,total\nB,2\n")
                self.assertFalse((self.root / "c1").exists())

    def test_what_cannot_be_reached_is_a_sentence(self):
        store = self.store()
        for url, words in (
            (str(self.root / "none"), "There is nothing at"),
            (store.url("logs/none"), "There is nothing at"),
            ("till", "is no place"),
            ("nothing://till", "cannot be read"),
        ):
            with self.subTest(url), self.assertRaisesRegex(PlaceError, words):
                files_at(url)

    def test_a_name_that_cannot_be_kept_is_said_before_anything_is_read(self):
        self.put(f"{'a' * 150}/{'b' * 150}/c.csv", "card,total\nA,1\n")
        with self.assertRaisesRegex(PlaceError, "Attach a folder further down"):
            files_at(str(self.root / "logs" / "till"))
        self.assertEqual(len(files_at(str(self.root / "logs" / "till" / ("a" * 150)))), 1)

    def test_links_and_dots_lead_nowhere_else(self):
        allowed = [str(self.root / "logs")]
        (self.root / "secrets").mkdir()
        (self.root / "logs" / "way").symlink_to(self.root / "secrets")
        self.assertTrue(is_below(str(self.root / "logs" / "till"), allowed))
        self.assertTrue(is_below(str(self.root / "logs"), allowed))
        for url in ("logs/way", "logs/../secrets", "logs2", "", "secrets"):
            self.assertFalse(is_below(str(self.root / url), allowed), url)
        self.assertFalse(is_below("s3://logs/a/../../other", ["s3://logs/a"]))
        # Another endpoint is another store.
        self.assertFalse(is_below("s3://logs/a?endpoint_override=elsewhere", ["s3://logs/a"]))

    def test_columns_of_folders_stand_beside_those_of_the_file(self):
        path = self.root / "logs" / "till" / "year=2026" / "b.csv"
        name = "year=2026/shop=North%20Gate/plan=__HIVE_DEFAULT_PARTITION__/b.csv"
        rows = WithColumns(open_rows(path), columns_told(name))
        self.assertEqual(rows.names, ("card", "total", "year", "shop", "plan"))
        whole = {"card": ["A"], "total": ["1"], "year": ["2026"], "shop": ["North Gate"],
                 "plan": [""]}  # fmt: skip
        self.assertEqual(rows.first_rows().to_pydict(), whole)
        (alone,) = rows.batches(["shop"])
        self.assertEqual(alone.to_pydict(), {"shop": ["North Gate"]})
