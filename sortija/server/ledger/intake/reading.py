"""Read an original into lines, receipts, cards and traits. Whole or not at all."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from django.db import connection, transaction
from numpy.typing import NDArray
from psycopg import sql

from sortija.core import table
from sortija.core.formats.rows import UnreadableFile
from sortija.core.ledger.lines import FinerMoney
from sortija.core.ledger.mapping import MappingError
from sortija.core.ledger.members import MemberMapping
from sortija.core.ledger.traits import TraitReader
from sortija.core.progress import Progress
from sortija.server.bulk.copy import copy_in
from sortija.server.bulk.parts import begin_part, join_part
from sortija.server.jobs.work import JobError
from sortija.server.ledger.customers.erased_codes import digest_of, erased_digests
from sortija.server.ledger.customers.owners import OWNER
from sortija.server.ledger.customers.traits import NAMED, TraitDetails
from sortija.server.ledger.intake.log_pass import LogPass, cards_of, open_for
from sortija.server.ledger.intake.stored import IntakeReport
from sortija.server.ledger.models import Code, Intake, Line, UnreadCell
from sortija.server.ledger.store.line_files import lines_folder, write_runs
from sortija.server.studies.actions import changing
from sortija.server.studies.column_details import Details
from sortija.server.studies.columns import whole_folder, write_columns
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study

__all__ = [
    "add_cards",
    "member_mapping",
    "read_log",
    "read_members",
]

_LINE_FIELDS = {
    "intake": "i4", "number": "i4", "receipt": "i8", "quantity": "i8", "money": "i8", "cost": "i8",
    "day": "date", "second": "i4", "card": "i4", "item": "i4", "run": "i4", "bits": "i4",
    "department": "i2", "site": "i2", "channel": "i2", "kind": "i2",
}  # fmt: skip


def member_mapping(intake: Intake) -> MemberMapping:
    """The mapping that an intake of a customer table is read by."""
    return MemberMapping(**intake.mapping)


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
    study, attached = intake.study, intake.original.attachment_id is not None
    with transaction.atomic(), whole_folder(lines_folder(intake)) as aside:
        log = LogPass(intake, aside, progress)
        part = "" if attached else begin_part(Line, "intake_id", intake.pk)
        try:
            count = (
                sum(len(batch[0]) for batch in log.batches()) if attached
                else copy_in(
                    Line, list(_LINE_FIELDS), list(_LINE_FIELDS.values()), log.batches(), part
                )
            )  # fmt: skip
        except UnreadableFile as problem:
            raise JobError(str(problem)) from problem
        if count == 0:
            raise JobError("The file has a head but no lines. Export it again.")
        progress("keeping receipts", count, log.expected)
        log.close()
        for kind, texts in log.codes.items():
            _add_codes(study, kind, texts, log.known_codes[kind])
        UnreadCell.objects.bulk_create(log.unread, batch_size=2000)
        if not attached:
            join_part(Line, ("intake_id", "number"), intake.pk)
            run_lines = write_runs(intake, aside)
            _prove(part, (count, len(log.cards), log.runs.rows), run_lines)
        # The study is kept to ourselves from here on: last, so that nobody waits for long.
        add_cards(study, log.cards.texts, log.known_cards)
    return log.report()


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
