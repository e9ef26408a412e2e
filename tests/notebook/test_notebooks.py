"""The notebooks of the documents run as they stand, and show what they say they show."""

import unittest
from pathlib import Path

from tests.notebook.running import cells_of, run_cells

FOLDER = Path(__file__).resolve().parents[2] / "docs" / "notebooks"


class Notebooks(unittest.TestCase):
    def test_every_cell_shows_what_is_written_below_it(self):
        found = sorted(FOLDER.glob("*.ipynb"))
        self.assertTrue(found)
        for path in found:
            code = [(source, text) for kind, source, text in cells_of(path) if kind == "code"]
            self.assertGreater(len(code), 5)
            shown = run_cells([source for source, _ in code])
            for (source, text), now in zip(code, shown, strict=True):
                with self.subTest(path.name, cell=source[:60]):
                    self.assertEqual(now, text)


if __name__ == "__main__":
    unittest.main()
