"""Read an original into lines, receipts, cards and traits. Whole or not at all."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from django.db import connection, transaction
from numpy.typing import NDArray

from sortija.core import table
from sortija.core.formats.delimited import DelimitedFile, UnreadableFile, sniff
from sortija.core.ledger.cells import BAD, GOOD, read_decimals, read_moments
from sortija.core.ledger.lines import Codebook, LineBatch, LineReader
from sortija.core.ledger.mapping import LogMapping, MemberMapping
from sortija.core.ledger.receipts import find_runs
from sortija.core.measures.window import day_number
from sortija.core.progress import Progress
from sortija.server.bulk.copy import copy_in
from sortija.server.jobs.work import JobError
from sortija.server.ledger.files import LINE_TYPES, LineWriter, forget_lines, lines_folder
from sortija.server.ledger.models import Card, Code, Intake, Line, Receipt, UnreadCell
from sortija.server.ledger.uploads import path_of
from sortija.server.studies.columns import whole_folder, write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study

__all__ = ["log_mapping", "member_mapping", "read_log", "read_members"]

_CODES = ("site", "channel", "item", "department")
_LINE_FIELDS = {
    "intake": "i4", "number": "i4", "receipt": "i8", "quantity": "i8", "money": "i8",
    "day": "date", "second": "i4", "card": "i4", "item": "i4", "run": "i4", "bits": "i4",
    "department": "i2", "site": "i2", "channel": "i2", "kind": "i2",
}  # fmt: skip
_RECEIPT_FIELDS = {
    "intake": "i4", "number": "i4", "key": "i8", "content": "i8", "first_line": "i4", "lines": "i4",
}  # fmt: skip
_MOST_UNREAD = 10_000
_MOST_LEVELS = 2_000


def log_mapping(intake: Intake) -> LogMapping:
    """The mapping that an intake of a log is read by."""
    return LogMapping(**intake.mapping)


def member_mapping(intake: Intake) -> MemberMapping:
    """The mapping that an intake of a customer table is read by."""
    return MemberMapping(**intake.mapping)


def _open(intake: Intake) -> DelimitedFile:
    path = path_of(intake.original)
    try:
        return DelimitedFile(path, sniff(path))
    except UnreadableFile as problem:
        raise JobError(str(problem)) from problem
    except FileNotFoundError as problem:
        raise JobError(f"{intake.original.name} is no longer here. Upload it again.") from problem


def _cards_of(study: Study) -> Codebook:
    pairs = Card.objects.filter(study=study).order_by("number").values_list("code", "number")
    return Codebook(dict(pairs.iterator(chunk_size=50_000)))


def _codes_of(study: Study, kind: str) -> Codebook:
    rows = Code.objects.filter(study=study, kind=kind).order_by("number")
    return Codebook(dict(rows.values_list("text", "number")))


def _add_cards(study: Study, texts: list[str], known: int) -> None:
    """Append the cards from number ``known`` on, and let the population grow with them."""
    with (
        connection.cursor() as cursor,
        cursor.cursor.copy(
            "COPY ledger_card (study_id, number, code, address) FROM STDIN"
        ) as stream,
    ):
        for number in range(known, len(texts)):
            stream.write_row((study.pk, number, texts[number], ""))
    population = Population.objects.select_for_update().get(study=study, name="customers")
    if population.size != len(texts):
        population.size, population.version = len(texts), population.version + 1
        population.save(update_fields=["size", "version"])


class _RunKeeper:
    """Runs of lines across batches: a receipt cut by a batch's end stays one run."""

    def __init__(self) -> None:
        self.key: list[NDArray[np.uint64]] = []
        self.content: list[NDArray[np.uint64]] = []
        self.first: list[NDArray[np.int64]] = []
        self.count: list[NDArray[np.int64]] = []
        self.runs = 0

    def add(self, batch: LineBatch) -> NDArray[np.int32]:
        """Run number of every line of the batch."""
        runs = find_runs(batch.receipt, batch.content)
        goes_on = self.runs > 0 and runs.key[0] == self.key[-1][-1]
        if goes_on:
            with np.errstate(over="ignore"):  # digests add up modulo 2**64
                self.content[-1][-1] += runs.content[0]
            self.count[-1][-1] += runs.count[0]
        first = 1 if goes_on else 0
        numbers = np.arange(len(runs)) + self.runs - first
        if len(runs) > first:
            self.key.append(runs.key[first:])
            self.content.append(runs.content[first:].copy())
            self.first.append(runs.first[first:] + batch.first_line)
            self.count.append(runs.count[first:].copy())
            self.runs += len(runs) - first
        return np.repeat(numbers, runs.count).astype(np.int32)

    def arrays(self) -> list[NDArray[Any]]:
        return [np.concatenate(part) for part in (self.key, self.content, self.first, self.count)]


def read_log(intake: Intake, progress: Progress) -> dict[str, Any]:
    """Store every line of a log; returns the report. One transaction: all of it or nothing."""
    study, mapping, file = intake.study, log_mapping(intake), _open(intake)
    reader = LineReader(mapping, study.scale, day_number(intake.received_on))
    reader.cards = _cards_of(study)
    for kind in _CODES:
        setattr(reader, f"{kind}s", _codes_of(study, kind))
    known_cards = len(reader.cards)
    known_codes = {kind: len(getattr(reader, f"{kind}s")) for kind in _CODES}
    keeper = _RunKeeper()
    unread: list[UnreadCell] = []
    expected = max(intake.original.lines - 1, 1)

    def rows() -> Iterator[list[Any]]:
        for batch in reader.read(file.batches()):
            progress("reading lines", batch.first_line, expected)
            for cell in batch.unread[: max(0, _MOST_UNREAD - len(unread))]:
                unread.append(
                    UnreadCell(intake=intake, line=cell.line, role=cell.role, text=cell.text)
                )
            n = len(batch)
            run = keeper.add(batch)
            number = np.arange(n, dtype=np.int32) + np.int32(batch.first_line)
            files.add({**batch.__dict__, "run": run, "number": number})
            yield [
                np.full(n, intake.pk, np.int32), number,
                batch.receipt.view(np.int64), batch.quantity, batch.money, batch.day, batch.second,
                batch.card, batch.item, run, batch.bits, batch.department, batch.site,
                batch.channel, batch.kind,
            ]  # fmt: skip

    # A retry may number cards otherwise than the attempt that died, whose files then mislead.
    forget_lines(intake)
    with transaction.atomic(), whole_folder(lines_folder(intake)) as aside:
        files = LineWriter(aside, LINE_TYPES)
        try:
            count = copy_in(Line, list(_LINE_FIELDS), list(_LINE_FIELDS.values()), rows())
        except UnreadableFile as problem:
            raise JobError(str(problem)) from problem
        if count == 0:
            raise JobError("The file has a head but no lines. Export it again.")
        progress("keeping receipts", count, expected)
        _store_receipts(intake, keeper)
        _add_cards(study, reader.cards.texts, known_cards)
        for kind in _CODES:
            _add_codes(study, kind, getattr(reader, f"{kind}s").texts, known_codes[kind])
        UnreadCell.objects.bulk_create(unread, batch_size=2000)
        _prove(intake, count, len(reader.cards))
        files.close()
        key, content, *_ = keeper.arrays()
        np.save(aside / "run-key.npy", key)
        np.save(aside / "run-content.npy", content)
    return {
        "lines": count,
        "receipts": keeper.runs,
        "new_cards": len(reader.cards) - known_cards,
        "ragged": file.ragged_count,
        "ragged_examples": [text[:200] for text in file.ragged[:5]],
    }


def _store_receipts(intake: Intake, keeper: _RunKeeper) -> None:
    key, content, first, lines = keeper.arrays()
    batch: list[NDArray[Any]] = [
        np.full(len(key), intake.pk, np.int32), np.arange(len(key)),
        key.view(np.int64), content.view(np.int64), first, lines,
    ]  # fmt: skip
    copy_in(Receipt, list(_RECEIPT_FIELDS), list(_RECEIPT_FIELDS.values()), [batch])


def _add_codes(study: Study, kind: str, texts: list[str], known: int) -> None:
    limit = {"item": 2**31}.get(kind, 2**15)
    if len(texts) >= limit:
        raise JobError(
            f"The {kind} column has more than {limit - 1:,} different values, so it is hardly "
            f"a {kind}. Choose another column for it, or leave it out."
        )
    Code.objects.bulk_create(
        (Code(study=study, kind=kind, number=n, text=texts[n]) for n in range(known, len(texts))),
        batch_size=5000,
    )


def _prove(intake: Intake, count: int, cards: int) -> None:
    """Set queries in place of foreign keys: every line has its receipt, and its card exists."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT count(*), coalesce(max(card), -1), coalesce(max(run), -1) FROM ledger_line "
            "WHERE intake_id = %s",
            [intake.pk],
        )
        lines, card, run = cursor.fetchone()
        cursor.execute(
            "SELECT count(*), coalesce(sum(lines), 0) FROM ledger_receipt WHERE intake_id = %s",
            [intake.pk],
        )
        receipts, receipt_lines = cursor.fetchone()
    if (lines, receipt_lines) != (count, count) or card >= cards or run != receipts - 1:
        raise RuntimeError(f"intake {intake.pk}: stored lines do not fit together")


# Customer tables


class _TraitKeeper:
    """Cells of one trait, batch by batch, under the customer's number."""

    def __init__(self, name: str, kind: str, mapping: MemberMapping) -> None:
        self.name, self.kind, self.mapping = name, kind, mapping
        self.parts: list[NDArray[Any]] = []
        self.levels = Codebook()
        self.unread = 0

    def add(self, cells: pa.Array) -> None:
        if self.kind == "number":
            values, state = read_decimals(cells, 4, self.mapping.decimal_comma)
            self.unread += int((state == BAD).sum())
            self.parts.append(np.where(state == GOOD, values / 1e4, np.nan))
        elif self.kind in ("date", "joined"):
            days, _, state = read_moments(cells, self.mapping.month_first)
            self.unread += int((state == BAD).sum())
            self.parts.append(np.where(state == GOOD, days, np.nan))
        else:
            self.parts.append(self.levels.encode(cells))
            if len(self.levels) > _MOST_LEVELS:
                raise JobError(
                    f"{self.name} has more than {_MOST_LEVELS:,} different values: too many "
                    "for a category. Leave it out, or read it as a number."
                )

    def column(self, customer: NDArray[np.int32], customers: int) -> table.Column:
        values = np.concatenate(self.parts)
        if self.kind in ("number", "date", "joined"):
            out = np.full(customers, np.nan)
            out[customer] = values
            unit = "" if self.kind == "number" else "date"
            return table.Column(f"trait:{self.name}", "number", out, unit)
        order = sorted(range(len(self.levels)), key=lambda i: self.levels.texts[i])
        place = np.zeros(len(order) + 1, np.int32)  # the last, reached by −1, is missing
        place[order] = np.arange(1, len(order) + 1)
        codes = np.zeros(customers, np.int32)
        codes[customer] = place[values]
        levels = tuple(self.levels.texts[i] for i in order)
        return table.Column(f"trait:{self.name}", "category", codes, "", levels)


def read_members(intake: Intake, progress: Progress) -> dict[str, Any]:
    """Store a customer table's traits as columns; returns the report. All of it or nothing."""
    study, mapping, file = intake.study, member_mapping(intake), _open(intake)
    kept = {n: k for n, k in mapping.types.items() if k not in ("key", "address", "out")}
    addresses = [n for n, k in mapping.types.items() if k == "address"]
    keepers = {name: _TraitKeeper(name, kind, mapping) for name, kind in kept.items()}
    cards = _cards_of(study)
    known = len(cards)
    numbers: list[NDArray[np.int32]] = []
    mail: dict[int, str] = {}
    rows = 0
    for batch in file.batches():
        progress("reading customers", rows, max(intake.original.lines - 1, 1))
        number = cards.encode(batch.column(mapping.key))
        named = pa.array(number >= 0)
        numbers.append(number[number >= 0])
        for name, keeper in keepers.items():
            keeper.add(batch.column(name).filter(named))
        for name in addresses:
            cells = pc.utf8_trim_whitespace(batch.column(name).filter(named)).to_pylist()
            mail.update(zip(numbers[-1].tolist(), cells, strict=True))
        rows += batch.num_rows
    if rows == 0:
        raise JobError("The file has a head but no rows. Export it again.")
    customer = np.concatenate(numbers)
    with transaction.atomic():
        _add_cards(study, cards.texts, known)
        _store_addresses(study, mail)
        population = Population.objects.get(study=study, name="customers")
        stamp = fingerprint("traits", intake.original.sha256, intake.mapping, intake.pk)
        columns: list[tuple[table.Column, Any]] = [
            (keeper.column(customer, len(cards)), {"type": keeper.kind, "label": keeper.name})
            for keeper in keepers.values()
        ]
        write_columns(population, columns, f"intake:{intake.pk}", stamp)
    return {
        "customers": len(np.unique(customer)),
        "new_cards": len(cards) - known,
        "without_key": rows - len(customer),
        "named_twice": int(len(customer) - len(np.unique(customer))),
        "ragged": file.ragged_count,
        "unread": {k.name: k.unread for k in keepers.values() if k.unread},
    }


def _store_addresses(study: Study, mail: dict[int, str]) -> None:
    if not mail:
        return
    with connection.cursor() as cursor:
        cursor.execute(
            "CREATE TEMPORARY TABLE incoming_address (number int, address text) ON COMMIT DROP"
        )
        with cursor.cursor.copy("COPY incoming_address FROM STDIN") as stream:
            for number, address in mail.items():
                stream.write_row((number, address))
        cursor.execute(
            "UPDATE ledger_card SET address = i.address FROM incoming_address i "
            "WHERE study_id = %s AND ledger_card.number = i.number",
            [study.pk],
        )
