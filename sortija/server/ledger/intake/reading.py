"""Read an original into lines, receipts, cards and traits. Whole or not at all."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from django.db import connection, transaction
from numpy.typing import NDArray
from psycopg import sql

from sortija.core import table
from sortija.core.calendar import day_number
from sortija.core.formats.rows import RowsFile, UnreadableFile
from sortija.core.ledger.codebook import Codebook
from sortija.core.ledger.lines import NO_COST, FinerMoney, LineReader
from sortija.core.ledger.mapping import LogMapping, MappingError
from sortija.core.ledger.members import MemberMapping
from sortija.core.ledger.receipts import RunCutter, Runs
from sortija.core.ledger.traits import TraitReader
from sortija.core.ledger.zones import zone_of
from sortija.core.progress import Progress
from sortija.server.bulk.copy import copy_in
from sortija.server.bulk.parts import begin_part, join_part
from sortija.server.jobs.work import JobError
from sortija.server.ledger.customers.erased_codes import alias_of, digest_of, erased_digests
from sortija.server.ledger.customers.owners import OWNER
from sortija.server.ledger.customers.traits import NAMED, TraitDetails
from sortija.server.ledger.intake.intake_files import open_intake
from sortija.server.ledger.intake.stored import IntakeReport
from sortija.server.ledger.models import Card, Code, Intake, Line, UnreadCell
from sortija.server.ledger.store.line_files import (
    LINE_TYPES,
    RUN_TYPES,
    LineWriter,
    lines_folder,
    write_runs,
)
from sortija.server.studies.actions import changing
from sortija.server.studies.column_details import Details
from sortija.server.studies.columns import whole_folder, write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study

__all__ = [
    "add_cards",
    "cards_of",
    "log_mapping",
    "member_mapping",
    "open_for",
    "read_log",
    "read_members",
]

_CODES = ("site", "channel", "item", "department")
_LINE_FIELDS = {
    "intake": "i4", "number": "i4", "receipt": "i8", "quantity": "i8", "money": "i8", "cost": "i8",
    "day": "date", "second": "i4", "card": "i4", "item": "i4", "run": "i4", "bits": "i4",
    "department": "i2", "site": "i2", "channel": "i2", "kind": "i2",
}  # fmt: skip
_MOST_UNREAD = 10_000


def log_mapping(intake: Intake) -> LogMapping:
    """The mapping that an intake of a log is read by."""
    return LogMapping(**intake.mapping)


def member_mapping(intake: Intake) -> MemberMapping:
    """The mapping that an intake of a customer table is read by."""
    return MemberMapping(**intake.mapping)


def open_for(intake: Intake) -> RowsFile:
    """An intake's rows; a job that cannot read them says why."""
    try:
        return open_intake(intake)
    except UnreadableFile as problem:
        raise JobError(str(problem)) from problem
    except FileNotFoundError as problem:
        raise JobError(f"{intake.original.name} is no longer here. Upload it again.") from problem


def cards_of(study: Study) -> Codebook:
    """Codes by number; an erased card keeps its number under its alias, which files that were
    written without it hold, or under a text that no file holds."""
    rows = Card.objects.filter(study=study).order_by("number")
    told = rows.values_list("number", "code", "erased")
    taken: set[str] = set()
    texts = []
    for number, code, erased in told.iterator(chunk_size=50_000):
        if not code:
            code = alias_of(erased) if erased and erased not in taken else f"\x00erased {number}"
            taken.add(erased)
        texts.append(code)
    return Codebook(texts)


def _codes_of(study: Study, kind: str) -> Codebook:
    rows = Code.objects.filter(study=study, kind=kind).order_by("number")
    return Codebook(rows.values_list("text", flat=True))


def add_cards(study: Study, texts: list[str], known: int) -> None:
    """Append the cards from number ``known`` on, and let the population grow with them.

    Who was erased and is named again stays blank.
    """
    gone = erased_digests(study)
    with (
        connection.cursor() as cursor,
        cursor.cursor.copy(
            "COPY ledger_card (study_id, number, code, address, erased) FROM STDIN"
        ) as stream,
    ):
        for number in range(known, len(texts)):
            digest = digest_of(study, texts[number]) if gone else ""
            erased = digest in gone
            code = "" if erased else texts[number]
            stream.write_row((study.pk, number, code, "", digest if erased else ""))
    with changing(study):
        population = Population.objects.get(study=study, name="customers")
        if population.size != len(texts):
            population.size, population.version = len(texts), population.version + 1
            population.save(update_fields=["size", "version"])


def read_log(intake: Intake, progress: Progress) -> IntakeReport:
    """Store every line of a log; returns the report. One transaction: all of it or nothing.

    ``intake.scale`` becomes the decimals that its money turned out to have.
    """
    while True:
        try:
            return _read_log(intake, progress)
        except FinerMoney as finer:  # seen behind the first rows: nothing was kept, begin again
            intake.scale = finer.decimals


def _read_log(intake: Intake, progress: Progress) -> IntakeReport:
    study, mapping, file = intake.study, log_mapping(intake), open_for(intake)
    reader = LineReader(mapping, intake.scale, day_number(intake.received_on), zone_of(study.zone))
    reader.currency = study.currency
    reader.cards = cards_of(study)
    for kind in _CODES:
        setattr(reader, f"{kind}s", _codes_of(study, kind))
    known_cards = len(reader.cards)
    known_codes = {kind: len(getattr(reader, f"{kind}s")) for kind in _CODES}
    cutter = RunCutter()
    unread: list[UnreadCell] = []
    expected = max(intake.original.lines - 1, 0)

    def rows() -> Iterator[list[Any]]:
        for batch in reader.read(file.batches(list(mapping.roles.values()))):
            progress("reading lines", batch.first_line, expected)
            for cell in batch.unread[: max(0, _MOST_UNREAD - len(unread))]:
                unread.append(
                    UnreadCell(intake=intake, line=cell.line, role=cell.role, text=cell.text)
                )
            n = len(batch)
            run, whole = cutter.add(batch.receipt, batch.content)
            _add_runs(runs, whole)
            number = np.arange(n, dtype=np.int32) + np.int32(batch.first_line)
            cost = np.full(n, NO_COST, np.int64) if batch.cost is None else batch.cost
            lines.add({**batch.__dict__, "run": run, "number": number, "cost": cost})
            yield [
                np.full(n, intake.pk, np.int32), number,
                batch.receipt.view(np.int64), batch.quantity, batch.money, cost, batch.day,
                batch.second, batch.card, batch.item, run, batch.bits, batch.department, batch.site,
                batch.channel, batch.kind,
            ]  # fmt: skip

    with transaction.atomic(), whole_folder(lines_folder(intake)) as aside:
        lines, runs = LineWriter(aside, LINE_TYPES), LineWriter(aside, RUN_TYPES)
        part = begin_part(Line, "intake_id", intake.pk)
        try:
            count = copy_in(Line, list(_LINE_FIELDS), list(_LINE_FIELDS.values()), rows(), part)
        except UnreadableFile as problem:
            raise JobError(str(problem)) from problem
        if count == 0:
            raise JobError("The file has a head but no lines. Export it again.")
        progress("keeping receipts", count, expected)
        _add_runs(runs, cutter.close())
        lines.close()
        runs.close()
        join_part(Line, ("intake_id", "number"), intake.pk)
        for kind in _CODES:
            _add_codes(study, kind, getattr(reader, f"{kind}s").texts, known_codes[kind])
        UnreadCell.objects.bulk_create(unread, batch_size=2000)
        run_lines = write_runs(intake, aside)
        _prove(part, (count, len(reader.cards), runs.rows), run_lines)
        # The study is kept to ourselves from here on: last, so that nobody waits for long.
        add_cards(study, reader.cards.texts, known_cards)
    return IntakeReport(
        lines=count,
        receipts=runs.rows,
        new_cards=len(reader.cards) - known_cards,
        ragged=file.ragged_count,
        ragged_examples=[text[:200] for text in file.ragged[:5]],
        notes=file.notes,
    )


def _add_runs(writer: LineWriter, runs: Runs) -> None:
    writer.add({"run-key": runs.key, "run-content": runs.content, "run-lines": runs.count})


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


def _prove(part: str, wanted: tuple[int, int, int], run_lines: int) -> None:
    """Set queries in place of foreign keys: every line has its receipt, and its card exists."""
    with connection.cursor() as cursor:
        cursor.execute(
            sql.SQL("SELECT count(*), max(card), max(run) FROM {}").format(sql.Identifier(part))
        )
        lines, card, run = cursor.fetchone()
    count, cards, runs = wanted
    if (lines, run_lines) != (count, count) or card >= cards or run != runs - 1:
        raise RuntimeError(f"{part}: stored lines do not fit together")


# Customer tables


def read_members(intake: Intake, progress: Progress) -> IntakeReport:
    """Store a customer table's traits as columns; returns the report. All of it or nothing."""
    study, mapping, file = intake.study, member_mapping(intake), open_for(intake)
    kept = {n: k for n, k in mapping.types.items() if k not in ("key", "address", "out")}
    apart = ("id", "person")  # no values to group by
    addresses = [n for n, k in mapping.types.items() if k == "address"]
    keepers = {name: TraitReader(name, kind, mapping) for name, kind in kept.items()}
    cards = cards_of(study)
    known = len(cards)
    numbers: list[NDArray[np.int32]] = []
    mail: dict[int, str] = {}
    rows = 0
    for batch in file.batches():
        progress("reading customers", rows, max(intake.original.lines - 1, 0))
        number = cards.encode(batch.column(mapping.key))
        named = pa.array(number >= 0)
        numbers.append(number[number >= 0])
        for name, keeper in keepers.items():
            _read_trait(keeper, batch.column(name).filter(named))
        for name in addresses:
            cells = pc.utf8_trim_whitespace(batch.column(name).filter(named)).to_pylist()
            mail.update(zip(numbers[-1].tolist(), cells, strict=True))
        rows += batch.num_rows
    if rows == 0:
        raise JobError("The file has a head but no rows. Export it again.")
    customer = np.concatenate(numbers)
    with transaction.atomic():
        add_cards(study, cards.texts, known)
        _store_addresses(study, mail)
        population = Population.objects.get(study=study, name="customers")
        stamp = fingerprint("traits", intake.token)
        columns: list[tuple[table.Column, Details | None]] = [
            (keeper.column(customer, len(cards)), TraitDetails(type=keeper.kind, label=keeper.name))
            for keeper in keepers.values()
            if keeper.kind not in apart
        ]
        columns.append((_whom(customer, len(cards)), None))
        merged = [keeper for keeper in keepers.values() if keeper.kind == "person"]
        if merged:
            columns.append((_first_cards(merged[0], customer, len(cards)), None))
        _store_ids(intake, [k for k in keepers.values() if k.kind == "id"], customer)
        write_columns(population, columns, f"intake:{intake.pk}", stamp)
    return IntakeReport(
        customers=len(np.unique(customer)),
        new_cards=len(cards) - known,
        without_key=rows - len(customer),
        named_twice=int(len(customer) - len(np.unique(customer))),
        ragged=file.ragged_count,
        notes=file.notes,
        unread={k.name: k.unread for k in keepers.values() if k.unread},
    )


def _whom(customer: NDArray[np.int32], cards: int) -> table.Column:
    """Whom a table names, so that for others an older one holds."""
    named = np.zeros(cards)
    named[customer] = 1
    return table.Column(NAMED, "number", named)


def _first_cards(keeper: TraitReader, customer: NDArray[np.int32], cards: int) -> table.Column:
    """For a card that is not the first of its person, that first card."""
    first = np.full(cards, np.nan)
    for card, other in keeper.first_cards(customer):
        first[card] = other
    return table.Column(OWNER, "number", first)


def _store_ids(intake: Intake, keepers: list[TraitReader], customer: NDArray[np.int32]) -> None:
    with (
        connection.cursor() as cursor,
        cursor.cursor.copy(
            "COPY ledger_cardid (study_id, intake_id, card, name, text) FROM STDIN"
        ) as stream,
    ):
        for keeper in keepers:
            for card, text in keeper.ids(customer).items():
                stream.write_row((intake.study_id, intake.pk, card, keeper.name, text))


def _read_trait(keeper: TraitReader, cells: pa.Array) -> None:
    try:
        keeper.add(cells)
    except MappingError as problem:
        raise JobError(str(problem)) from problem


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
            "WHERE study_id = %s AND ledger_card.number = i.number AND ledger_card.code <> ''",
            [study.pk],
        )
