"""Broken files, made at random: each is read, or refused with a sentence.

``python -m tests.fuzz [HOW MANY] [SEED]``. A file is a sound table in one of many forms, damaged
in one of many ways; reading goes as far as a count does: opening, the first rows, the guess at
what its columns are, every line and trait. What is neither read nor refused is kept, and named.
"""

import bz2
import gzip
import io
import json
import lzma
import random
import sys
import tempfile
import time
import traceback
import zipfile
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
from openpyxl import Workbook

from sortija.core.formats.opening import open_rows
from sortija.core.formats.rows import UnreadableFile
from sortija.core.ledger.guessing import guess_log
from sortija.core.ledger.lines import FinerMoney, LineReader
from sortija.core.ledger.mapping import MappingError
from sortija.core.ledger.members import guess_members
from sortija.core.ledger.traits import TraitReader

__all__ = ["MOST_SECONDS", "damaged", "files", "read_as_far_as_a_count"]

#: A small file that keeps somebody waiting longer than this is a fault of its own.
MOST_SECONDS = 20.0
NAMES = ["receipt", "card", "sold_at", "item", "qty", "total", "kind"]
ODD = [
    "", "\0", "a\0b", "\ud800", "\U0001f33f" * 40, "=1+1", '"', '""', "'", "\r", "\n", "\x1b[31m",
    "9" * 400, "-" * 50, "NaN", "inf", "1e999", "31.02.2026", "9999-99-99", "0000-00-00", "12:61",
    "\ufeff", "\u202e", "1.234.567,89", "\u0660\u0661", "null", "x" * 70_000,
]  # fmt: skip


def _rows(chance, odd):
    """Lines of a log; some cells hold what no till prints."""
    out = []
    for number in range(chance.randint(0, 60)):
        day = f"2026-{chance.randint(1, 12):02}-{chance.randint(1, 28):02}"
        row = [
            str(number // 3), f"C{chance.randrange(9)}", f"{day} 10:{chance.randrange(60):02}",
            str(chance.randrange(50)), str(chance.randint(1, 4)), f"{chance.random() * 90:.2f}",
            chance.choice(("sale", "sale", "return")),
        ]  # fmt: skip
        if odd and chance.random() < 0.2:
            row[chance.randrange(len(row))] = chance.choice(ODD)
        out.append(row)
    return out


def _text(chance, rows, odd):
    """Delimited text, in whatever encoding."""
    mark = chance.choice(",;\t|")
    head = list(NAMES)
    if odd and chance.random() < 0.2:
        head[chance.randrange(len(head))] = chance.choice(ODD)
    lines = [mark.join(f'"{c}"' if chance.random() < 0.1 else c for c in row)
             for row in [head, *rows]]  # fmt: skip
    text = chance.choice(("\n", "\r\n", "\r")).join(lines)
    encoding = chance.choice(
        ("utf-8", "utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-32", "utf-32-be", "cp1252")
    )
    return text.encode(encoding, "replace")


def _json(chance, rows, odd):
    lines = [json.dumps(dict(zip(NAMES, row, strict=True))) for row in rows]
    for _ in range(chance.randint(0, 3) if odd else 0):
        lines.insert(chance.randint(0, len(lines)), chance.choice((
            "{" * 100_000, '{"a":' * 60_000, '{"card": "\\ud800"}', "[]", "1", '{"total": 1e9999}',
            '{"card": "\\u0000"}', '{"total": ' + "9" * 6000 + "}", '{"total": NaN}', "{}",
            '{"card": {"a": 1}}', '{"card": ',
        )))  # fmt: skip
    return "\n".join(lines).encode()


def _areas(chance, rows, odd):
    corners = [[0, 50], [1, 50], [1, 51], [0, 50]]
    if odd:
        corners[chance.randrange(4)] = chance.choice(
            ([0, 50], ["x", 1], [], [1e400, 2], [None, 2], {})
        )
    kind = chance.choice(("Polygon", "Point", None)) if odd else "Polygon"
    shape = {"type": kind, "coordinates": [corners]}
    features = [
        {"type": "Feature", "properties": {"district": row[0], "name": row[1]},
         "geometry": chance.choice((shape, None, [], "x")) if odd else shape}
        for row in rows
    ]  # fmt: skip
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()


def _book(chance, rows, odd):
    book = Workbook(write_only=True)
    for title in ["One", "Two"][: chance.randint(1, 2)]:
        sheet = book.create_sheet(title)
        for row in [NAMES, *rows]:
            sheet.append([c if c.isprintable() and len(c) < 30_000 else "" for c in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _parquet(chance, rows, odd):
    kind = chance.choice((pa.string(), pa.binary(), pa.large_string()))
    columns = []
    for place in range(len(NAMES)):
        cells = [row[place].encode("utf-8", "replace") for row in rows]
        if kind != pa.binary():
            cells = [c.decode() for c in cells]
        columns.append(pa.array(cells, kind))
    if odd and chance.random() < 0.3:  # text that is none
        data = pa.array([b"\xff\xfe"] * len(rows), pa.binary())
        columns[1] = pa.Array.from_buffers(pa.string(), len(rows), data.buffers())
    table = pa.Table.from_arrays(columns, NAMES)
    stamps = odd and chance.choice(
        (None, pa.timestamp("us", "UTC"), pa.timestamp("ns", "No/Where"))
    )
    if stamps:
        days = pa.array([chance.randint(-(2**62), 2**62) for _ in rows], pa.int64()).cast(stamps)
        table = table.set_column(2, "sold_at", days)
    out = io.BytesIO()
    packing = chance.choice(("none", "snappy", "zstd", "gzip"))
    pq.write_table(table, out, compression=packing, write_page_checksum=chance.random() < 0.5)
    return out.getvalue()


def _zipped(chance, data):
    out = io.BytesIO()
    way = chance.choice((zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2,
                         zipfile.ZIP_LZMA))  # fmt: skip
    with zipfile.ZipFile(out, "w", way) as archive:
        archive.writestr("log.csv", data)
        if chance.random() < 0.1:
            archive.writestr("other.csv", data)
    packed = bytearray(out.getvalue())
    if chance.random() < 0.2:  # a way of packing that nobody knows, in both places that tell it
        for sign, at in ((b"PK\x03\x04", 8), (b"PK\x01\x02", 10)):
            place = packed.find(sign) + at
            packed[place : place + 2] = chance.choice((b"\x62\x00", b"\x09\x00", b"\x01\x00"))
    return bytes(packed)


def _packed(chance, data):
    way = chance.randrange(10)
    if way == 0:
        return gzip.compress(data)
    if way in (1, 2):
        return _zipped(chance, data)
    if way == 3:
        return chance.choice((bz2.compress, lzma.compress))(data)
    return data


def damaged(chance, data):
    """The same bytes, cut, turned, doubled, dropped, or as they are."""
    data = bytearray(data)
    for _ in range(chance.choice((0, 1, 1, 1, 2, 5))):
        if not data:
            break
        at, way = chance.randrange(len(data)), chance.randrange(8)
        if way == 0:
            del data[at:]
        elif way == 1:
            del data[: min(at, 64)]
        elif way in (2, 3):
            data[at] ^= 1 << chance.randrange(8)
        elif way == 4:
            data[at : at + chance.randint(1, 40)] = chance.randbytes(chance.randint(0, 40))
        elif way == 5:
            data[at:at] = data[at : at + chance.randint(1, 200)]
        elif way == 6:
            data[at:at] = chance.choice((b"\0", b"\xff", b'"', b"\n", b"\x1a", b"PK\x03\x04"))
        else:
            del data[at : at + chance.randint(1, 200)]
    return bytes(data)


def files(count, seed):
    """So many files, each with the number that makes it again."""
    makers = (_text, _text, _json, _areas, _book, _parquet)
    for number in range(count):
        chance = random.Random(seed * 1_000_003 + number)
        odd = chance.random() < 0.5
        data = chance.choice(makers)(chance, _rows(chance, odd), odd)
        packed = _packed(chance, data)
        yield number, damaged(chance, packed) if chance.random() < 0.7 else packed


def read_as_far_as_a_count(path):
    """Read a file as bringing it in and counting it does; whether it was read or refused.

    What comes out is a sentence where it was refused, empty where it was read. Anything else that
    is raised is a fault.
    """
    try:
        file = open_rows(path, "log.csv")
        rows = file.first_rows(200)
        json.dumps([file.names, file.notes, rows.to_pydict()], ensure_ascii=False).encode()
        told = ""
        try:
            _as_log(file, rows)
        except MappingError as problem:
            told = str(problem)
        _as_members(file, rows)
    except (UnreadableFile, MappingError) as problem:
        told = str(problem)
        if not told.strip() or not told.rstrip().endswith((".", "?", ")")):
            raise AssertionError(f"this is no sentence: {told!r}") from problem
    return told


def _as_log(file, rows):
    mapping, _ = guess_log(rows)
    mapping.check(file.names)
    mapping.ready(file.names)
    reader = LineReader(mapping, 4, 20_000)
    try:
        for batch in reader.read(file.batches(list(mapping.roles.values()))):
            _keepable([cell.text for cell in batch.unread])
    except FinerMoney:
        return
    for book in (reader.cards, reader.items, reader.sites):
        _keepable(book.texts)


def _keepable(texts):
    """What a database keeps as text."""
    for text in texts:
        text.encode()
        assert "\0" not in text, text


def _as_members(file, rows):
    mapping, _ = guess_members(rows)
    readers = [
        TraitReader(name, kind, mapping) for name, kind in mapping.types.items() if kind != "out"
    ]
    for batch in file.batches():
        for reader in readers:
            reader.add(batch.column(reader.name))


def main(count, seed):
    """Try so many files; how many were neither read nor refused in time."""
    faults = read = 0
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "file"
        for number, data in files(count, seed):
            path.write_bytes(data)
            begun = time.monotonic()
            try:
                read += not read_as_far_as_a_count(path)
                if time.monotonic() - begun > MOST_SECONDS:
                    raise TimeoutError(f"{time.monotonic() - begun:.0f} s")
            except Exception:
                faults += 1
                kept = Path(tempfile.gettempdir()) / f"fault-{seed}-{number}"
                kept.write_bytes(data)
                print(f"file {number} of seed {seed}, kept as {kept}:")
                traceback.print_exc()
    print(f"{count} files: {read} read, {count - read - faults} refused, {faults} faults")
    return faults


if __name__ == "__main__":
    how_many = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    sys.exit(1 if main(how_many, int(sys.argv[2]) if len(sys.argv) > 2 else 1) else 0)
