"""One invented log, written in many shapes as tills, shops and loyalty systems write theirs."""

import csv
import gzip
import io
import json
import random
import zipfile
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pyarrow as pa
import pyarrow.parquet as pq
from openpyxl import Workbook

__all__ = ["SHAPES", "Line", "figures", "heads_and_lines", "mixed", "random_log"]

DEPARTMENTS = ["Seeds", "Pots", "Tools", "Bulbs", "Tea room"]


@dataclass(frozen=True)
class Line:
    """One line as it happened; ``price`` in hundredths, ``card`` empty without one."""

    receipt: str
    card: str
    at: datetime
    department: str
    item: str
    quantity: int
    price: int
    kind: str

    @property
    def total(self):
        return self.quantity * self.price

    @property
    def key(self):
        return (self.receipt, self.at.date())


def random_log(seed, receipts=500, customers=40):
    """Lines of random receipts over two years, dirt included, in order of time."""
    rng = random.Random(seed)
    begin = datetime(2024, 7, 1, 9)
    minutes = sorted(rng.randrange(729 * 24 * 60) for _ in range(receipts))
    lines = []
    for number, minute in enumerate(minutes):
        at = begin + timedelta(minutes=minute)
        card = "" if rng.random() < 0.1 else f"M-{rng.randrange(customers):04d}"
        void = rng.random() < 0.03
        mine = []
        for _ in range(rng.randint(1, 4)):
            back = rng.random() < 0.06
            department = rng.randrange(len(DEPARTMENTS))
            mine.append(Line(
                f"{70_000 + number}", card, at, DEPARTMENTS[department],
                f"{department}{rng.randrange(60):03d}", -1 if back else rng.randint(1, 3),
                rng.randint(50, 150_000 if rng.random() < 0.02 else 4000),
                "void" if void else "return" if back else "sale",
            ))  # fmt: skip
        lines += mine
        if rng.random() < 0.02:  # a whole receipt comes a second time
            lines += mine
    return lines


def figures(lines, as_of, first):
    """Measures by plain Python: card → (recency, frequency, spend, mean basket, breadth)."""
    seen, counted, place = set(), [], 0
    while place < len(lines):  # receipts as they stand together in the file
        end = place
        while end < len(lines) and lines[end].key == lines[place].key:
            end += 1
        run = lines[place:end]
        print_of = (run[0].key, tuple(sorted(map(str, run))))
        if print_of not in seen:
            counted += run
        seen.add(print_of)
        place = end
    out = {}
    for card in {line.card for line in lines if line.card}:
        mine = [
            line for line in counted
            if line.card == card and line.kind != "void" and first <= line.at.date() <= as_of
        ]  # fmt: skip
        sales = [line for line in mine if line.kind == "sale"]
        purchases = {line.key for line in sales}
        if not purchases:
            continue
        net = {key: sum(x.total for x in mine if x.key == key) for key in purchases}
        out[card] = (
            (as_of - max(line.at.date() for line in sales)).days + 1,
            len(purchases),
            Decimal(sum(line.total for line in mine)) / 100,
            sum(net.values()) / len(net) / 100,
            len({line.department for line in sales}),
        )
    return out


def _plain(lines, **names):
    """Rows under usual names, amounts with a point."""
    head = ["receipt", "card", "sold_at", "department", "item", "qty", "price", "total", "kind"]
    rows = [
        [x.receipt, x.card, f"{x.at:%Y-%m-%d %H:%M:%S}", x.department, x.item, x.quantity,
         f"{x.price / 100:.2f}", f"{x.total / 100:.2f}", x.kind]
        for x in lines
    ]  # fmt: skip
    return [names.get(name, name) for name in head], rows


def _text(head, rows, delimiter=",", ends="\n"):
    buffer = io.StringIO()
    writer = csv.writer(buffer, delimiter=delimiter, lineterminator=ends)
    writer.writerows([head, *rows])
    return buffer.getvalue()


def plain(lines):
    return _text(*_plain(lines)).encode(), "log.csv"


def decimal_comma(lines):
    head, rows = _plain(
        lines, receipt="bon", card="member_no", sold_at="date", qty="pieces", total="amount"
    )
    for row, line in zip(rows, lines, strict=True):
        row[2] = f"{line.at:%d.%m.%Y %H:%M}"
        row[6], row[7] = (row[n].replace(".", ",") for n in (6, 7))
    return _text(head, rows, ";", "\r\n").encode("cp1252"), "umsatz.csv"


def month_first_with_marks(lines):
    head, rows = _plain(lines, card="Customer ID", sold_at="Transaction Date", total="Net Amount")
    for row, line in zip(rows, lines, strict=True):
        row[2] = f"{line.at:%m/%d/%Y %I:%M %p}"
        size = f"${abs(line.total) / 100:,.2f}"
        row[7] = f"({size})" if line.total < 0 else size
    return _text(head, rows, "\t").encode("utf-8-sig"), "export.tsv"


def named_months(lines):
    head, rows = _plain(lines, sold_at="when")
    for row, line in zip(rows, lines, strict=True):
        row[2] = f"{line.at:%d %b %Y %H:%M}"
    return _text(head, rows, "|").encode("utf-16"), "log.txt"


def packed_with_titles(lines):
    body = "Weekly export of all shops\nprinted by the till\n\n" + _text(*_plain(lines), ";")
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("out/log.csv", body + "Sum;123\n")
    return buffer.getvalue(), "log.zip"


def quantity_and_price(lines):
    """No total and no kind: voids are left out at the till, a minus says what came back."""
    kept = [line for line in lines if line.kind != "void"]
    head, rows = _plain(kept)
    return _text(head[:7], [row[:7] for row in rows]).encode(), "lines.csv"


def json_lines(lines):
    head, rows = _plain(lines)
    text = "\n".join(json.dumps(dict(zip(head, row, strict=True))) for row in rows)
    return gzip.compress(text.encode()), "log.jsonl.gz"


def typed_parquet(lines):
    head, _ = _plain(lines)
    columns = [
        [x.receipt for x in lines], [x.card or None for x in lines], [x.at for x in lines],
        [x.department for x in lines], [int(x.item) for x in lines], [x.quantity for x in lines],
        [Decimal(x.price) / 100 for x in lines], [x.total / 100 for x in lines],
        [x.kind for x in lines],
    ]  # fmt: skip
    sink = pa.BufferOutputStream()
    pq.write_table(pa.table(dict(zip(head, map(pa.array, columns), strict=True))), sink)
    return sink.getvalue().to_pybytes(), "log.parquet"


def workbook(lines):
    book = Workbook()
    head, rows = _plain(lines)
    book.active.append(head)
    for row, line in zip(rows, lines, strict=True):
        cells = [*row[:2], line.at, *row[3:5], line.quantity, line.price / 100, line.total / 100]
        book.active.append([cell if cell != "" else None for cell in [*cells, line.kind]])
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue(), "log.xlsx"


def stamps_in_utc(lines):
    head, rows = _plain(lines, sold_at="timestamp")
    for row, line in zip(rows, lines, strict=True):
        told = line.at.replace(tzinfo=ZoneInfo("Europe/London")).astimezone(ZoneInfo("UTC"))
        row[2] = f"{told:%Y-%m-%dT%H:%M:%SZ}"
    return _text(head, rows).encode(), "log.csv"


def names_that_say_nothing(lines):
    """Customer and date are found by how they behave; the amount has to be called one."""
    head, rows = _plain(lines, receipt="f1", card="f2", sold_at="f3", department="f4", item="f5")
    return _text(head, rows).encode(), "dump.csv"


def heads_and_lines(lines):
    """Two files: receipts with date and customer; lines with the receipt's number alone."""
    heads = {}
    for line in lines:
        heads.setdefault(line.receipt, (line.receipt, f"{line.at:%Y-%m-%d %H:%M}", line.card))
    head, rows = _plain(lines)
    kept = [0, *range(3, 9)]
    own = _text([head[n] for n in kept], [[row[n] for n in kept] for row in rows])
    theirs = _text(["number", "booked", "member"], heads.values(), ";")
    return (own.encode(), "lines.csv"), (theirs.encode(), "receipts.csv")


#: Quirks to be mixed: each is a choice between ways of writing the same thing.
DATES = ("%Y-%m-%d %H:%M:%S", "%d.%m.%Y %H:%M", "%d %b %Y %H:%M", "%Y%m%d", "%m/%d/%Y %I:%M %p")
AMOUNTS = ("{:.2f}", "{:,.2f}", "£{:,.2f}", "{:.2f} EUR")
HEADS = (
    {},
    {"receipt": "Bon", "card": "Member No", "sold_at": "Date", "total": "Amount"},
    {"receipt": "TICKET_ID", "card": "CUSTOMER_ID", "sold_at": "BOOKED_AT", "total": "NET_TOTAL"},
    {"receipt": "Invoice", "card": "Client", "sold_at": "When", "qty": "Pieces", "total": "Value"},
)
WORDS = (
    {}, {"sale": "S", "return": "RET", "void": "VOIDED"},
    {"sale": "Sale", "return": "Refund", "void": "Cancelled"},
)  # fmt: skip


def mixed(seed):
    """A shape with every quirk drawn at random."""
    rng = random.Random(seed)
    date, amount, names, words = map(rng.choice, (DATES, AMOUNTS, HEADS, WORDS))
    delimiter, ends = rng.choice(",;\t|"), rng.choice(("\n", "\r\n"))
    encoding = rng.choice(("utf-8", "utf-8-sig", "utf-16", "cp1252"))
    comma, brackets, packed, titles, more = (rng.random() < 0.4 for _ in range(5))
    order = rng.sample(range(9), 9)

    def money(value):
        text = amount.format(abs(value) / 100)
        if comma:
            text = text.translate(str.maketrans(",.", ".,"))
        return text if value >= 0 else f"({text})" if brackets else f"-{text}"

    def write(lines):
        head, rows = _plain(lines, **names)
        for row, line in zip(rows, lines, strict=True):
            row[2], row[8] = f"{line.at:{date}}", words.get(line.kind, line.kind)
            row[6], row[7] = money(line.price), money(line.total)
        head, rows = [head[n] for n in order], [[row[n] for n in order] for row in rows]
        if more:
            head, rows = [*head, "till_person"], [[*r, f"T{n % 7}"] for n, r in enumerate(rows)]
        text = _text(head, rows, delimiter, ends)
        if titles:
            text = f"Export of sales{ends}made for the test{ends}{ends}" + text
        data = text.encode(encoding)
        return (gzip.compress(data), "log.csv.gz") if packed else (data, "log.csv")

    return write


SHAPES = (
    plain, decimal_comma, month_first_with_marks, named_months, packed_with_titles,
    quantity_and_price, json_lines, typed_parquet, workbook, stamps_in_utc, names_that_say_nothing,
)  # fmt: skip
