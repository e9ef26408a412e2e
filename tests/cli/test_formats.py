"""Commands read what logs are read from, and write what is asked for."""

import csv
import gzip
import io
import json
import os
import subprocess
import sys
import threading
import zipfile
from pathlib import Path

import openpyxl
import pyarrow.parquet as pq

from tests.cli.support import CommandCase

ROOT = Path(__file__).resolve().parents[2]
ROWS = [(f"K{n:02d}", n % 7 + 1, 10.5 + 3 * n, "Käfer" if n % 2 else "none") for n in range(40)]


def text(delimiter=","):
    lines = [("customer", "visits", "spend", "plan"), *ROWS]
    return "".join(delimiter.join(map(str, line)) + "\n" for line in lines)


class Formats(CommandCase):
    command = "score"

    def scored(self, path, *more):
        out, _ = self.call(path, "--measure", "visits:high", "--bands", 3, *more)
        return list(csv.DictReader(io.StringIO(out)))

    def test_every_way_a_table_can_be_written_is_read_alike(self):
        wanted = self.scored(self.file(text(), "plain.csv"))
        self.assertEqual(len(wanted), 40)
        book = openpyxl.Workbook()
        for row in [("customer", "visits", "spend", "plan"), *ROWS]:
            book.active.append(row)
        book.save(self.folder / "book.xlsx")
        lines = [dict(zip(("customer", "visits", "spend", "plan"), row, strict=True))
                 for row in ROWS]  # fmt: skip
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("inside.csv", text())
        for path in (
            self.file(text(";"), "semicolons.csv"),
            self.file(text("\t").encode("utf-16"), "wide.txt"),
            self.file(text().encode("cp1252"), "western.csv"),
            self.file(gzip.compress(text().encode()), "packed.csv.gz"),
            self.file(packed.getvalue(), "packed.zip"),
            self.folder / "book.xlsx",
            self.file("".join(json.dumps(line) + "\n" for line in lines), "lines.jsonl"),
        ):
            with self.subTest(path):
                self.assertEqual(self.scored(path), wanted)

    def test_pipes_and_standard_input_are_read(self):
        wanted = self.scored(self.file(text(), "plain.csv"))
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        writer = threading.Thread(target=pipe.write_text, args=(text(),))
        writer.start()
        self.assertEqual(self.scored(pipe), wanted)
        writer.join()
        words = [sys.executable, "-m", "sortija", "score", "-", "--measure", "visits:high",
                 "--bands", "3"]  # fmt: skip
        done = subprocess.run(words, input=text(), capture_output=True, text=True, cwd=ROOT)
        self.assertEqual(list(csv.DictReader(io.StringIO(done.stdout))), wanted)
        words[-2:] = ["--bands", "x"]
        done = subprocess.run([*words[:4], "-", "--measure", "nothing"], input="a,b\n1,2\n",
                              capture_output=True, text=True, cwd=ROOT)  # fmt: skip
        self.assertIn("standard input: no column is called customer", done.stderr)

    def test_what_is_written_by_the_ending(self):
        path = self.file(text(), "plain.csv")
        wanted = self.scored(path)
        asked = (path, "--measure", "visits:high", "--bands", 3, "--out")
        for name in ("out.csv", "out.parquet", "out.xlsx", "out.jsonl"):
            self.call(*asked, self.folder / name)
        lines = [json.loads(line) for line in (self.folder / "out.jsonl").read_text().splitlines()]
        table = pq.read_table(self.folder / "out.parquet").to_pylist()
        head, *rows = openpyxl.load_workbook(self.folder / "out.xlsx").active.values
        sheet = [dict(zip(head, row, strict=True)) for row in rows]
        for found in (lines, table, sheet):
            self.assertEqual([str(row["visits_band"]) for row in found],
                             [row["visits_band"] for row in wanted])  # fmt: skip
            self.assertEqual([row["plan"] for row in found], [row["plan"] for row in wanted])
        # What one command wrote another reads.
        asked = (self.folder / "out.xlsx", "--numeric", "spend", "--k", 2)
        told, _ = self.call(*asked, command="group")
        self.assertEqual(len(list(csv.DictReader(io.StringIO(told)))), 40)

    def test_what_is_no_table_is_a_sentence(self):
        ragged = text() + "K99,1\n"
        for path, words in (
            (self.folder, "it is a folder. Name the file in it"),
            (self.folder / "none.csv", "there is no such file"),
            (self.file(ragged, "ragged.csv"), "1 row has another number of cells than the head"),
            (self.file(b"PK\x03\x04broken", "broken.xlsx"), "it cannot be read"),
            (self.file("customer,visits\n", "empty.csv"), "there are no rows in it"),
        ):
            with self.subTest(words):
                said = self.said(path, "--measure", "visits")
                self.assertIn(words, said)
                self.assertEqual(said.count("\n"), 1)
        said = self.said(self.folder, command="derive")
        self.assertIn("it is a folder", said)
