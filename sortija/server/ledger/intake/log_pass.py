"""One pass over a log's file: its lines and runs go to files, what they name is numbered."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from sortija.core.calendar import day_number
from sortija.core.formats.rows import RowsFile, UnreadableFile
from sortija.core.ledger.codebook import Codebook
from sortija.core.ledger.lines import NO_COST, LineReader
from sortija.core.ledger.mapping import LogMapping
from sortija.core.ledger.receipts import RunCutter, Runs
from sortija.core.ledger.zones import zone_of
from sortija.core.progress import Progress, silent
from sortija.server.jobs.work import JobError
from sortija.server.ledger.customers.erased_codes import alias_of, digest_of, erased_digests
from sortija.server.ledger.intake.intake_files import open_intake
from sortija.server.ledger.intake.stored import IntakeReport
from sortija.server.ledger.models import Card, Code, Intake, UnreadCell
from sortija.server.ledger.store.line_files import LINE_TYPES, READ_AGAIN, RUN_TYPES, LineWriter
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["LogPass", "cards_of", "open_for"]

_CODES = ("site", "channel", "item", "department")
_MOST_UNREAD = 10_000


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


class LogPass:
    """Reads an intake's file once; ``batches`` first, then ``close``.

    ``cards`` and ``codes`` hold what was known before (``known_…`` of each) and what came besides;
    ``unread``: cells that could not be read, the first of them.
    """

    def __init__(self, intake: Intake, folder: Path, progress: Progress = silent) -> None:
        self.intake, self.progress, study = intake, progress, intake.study
        self.mapping = LogMapping(**intake.mapping)
        self.file = open_for(intake)
        self.reader = LineReader(
            self.mapping, intake.scale, day_number(intake.received_on), zone_of(study.zone)
        )
        self.reader.currency = study.currency
        self.cards = self.reader.cards = cards_of(study)
        for kind in _CODES:
            setattr(self.reader, f"{kind}s", _codes_of(study, kind))
        self.known_cards = len(self.cards)
        self.known_codes = {kind: len(texts) for kind, texts in self.codes.items()}
        self.unread: list[UnreadCell] = []
        self.expected = max(intake.original.lines - 1, 0)
        self.lines, self.runs = LineWriter(folder, LINE_TYPES), LineWriter(folder, RUN_TYPES)
        self._cutter = RunCutter()

    @property
    def codes(self) -> dict[str, list[str]]:
        """Texts of each kind of code, by number."""
        return {kind: getattr(self.reader, f"{kind}s").texts for kind in _CODES}

    def batches(self) -> Iterator[list[Any]]:
        """Every line, as columns of ``ledger_line``."""
        cells = self.file.batches(list(self.mapping.roles.values()))
        if self.intake.original.attachment_id is not None:
            cells = _without_erased(self.intake.study, self.mapping.roles["customer"], cells)
        for batch in self.reader.read(cells):
            self.progress("reading lines", batch.first_line, self.expected)
            for cell in batch.unread[: max(0, _MOST_UNREAD - len(self.unread))]:
                self.unread.append(
                    UnreadCell(intake=self.intake, line=cell.line, role=cell.role, text=cell.text)
                )
            n = len(batch)
            run, whole = self._cutter.add(batch.receipt, batch.content)
            self._add_runs(whole)
            number = np.arange(n, dtype=np.int32) + np.int32(batch.first_line)
            cost = np.full(n, NO_COST, np.int64) if batch.cost is None else batch.cost
            self.lines.add({**batch.__dict__, "run": run, "number": number, "cost": cost})
            yield [
                np.full(n, self.intake.pk, np.int32), number,
                batch.receipt.view(np.int64), batch.quantity, batch.money, cost, batch.day,
                batch.second, batch.card, batch.item, run, batch.bits, batch.department, batch.site,
                batch.channel, batch.kind,
            ]  # fmt: skip

    def close(self) -> None:
        """Write what is left."""
        self._add_runs(self._cutter.close())
        self.lines.close()
        self.runs.close()

    def _add_runs(self, runs: Runs) -> None:
        self.runs.add({"run-key": runs.key, "run-content": runs.content, "run-lines": runs.count})

    def report(self) -> IntakeReport:
        """What came of it."""
        return IntakeReport(
            lines=self.lines.rows, receipts=self.runs.rows,
            new_cards=len(self.cards) - self.known_cards, ragged=self.file.ragged_count,
            ragged_examples=[text[:200] for text in self.file.ragged[:5]], notes=self.file.notes,
        )  # fmt: skip


def _without_erased(
    study: Study, column: str, batches: Iterator[pa.RecordBatch]
) -> Iterator[pa.RecordBatch]:
    """Rows with erased people under their alias: a file that is not ours still names them."""
    gone = erased_digests(study)
    known: dict[str, str] = {}
    for batch in batches:
        if gone:
            coded = batch.column(column).dictionary_encode()
            texts = coded.dictionary.to_pylist()
            for text in texts:
                if text not in known:
                    digest = digest_of(study, text)
                    known[text] = alias_of(digest) if digest in gone else text
            cells = pa.array([known[text] for text in texts], pa.string()).take(coded.indices)
            batch = batch.set_column(batch.schema.get_field_index(column), column, cells)
        yield batch


@READ_AGAIN.fill
def read_again(intake: Intake, folder: Path) -> None:
    """Make the files of an attached log's lines anew, from where the log lies.

    Raises
    ------
    Problem
        It is no longer there, or no longer as it was.
    """
    try:
        log = LogPass(intake, folder)
        for _ in log.batches():
            pass
    except (JobError, UnreadableFile) as problem:
        raise Problem(f"{intake.original.name} has to be read again: {problem}", 503) from problem
    log.close()
    told = (
        log.lines.rows,
        log.runs.rows,
        len(log.cards),
        {k: len(t) for k, t in log.codes.items()},
    )
    came = intake.came
    if told != (came.lines, came.receipts, log.known_cards, log.known_codes):
        raise Problem(
            f"{intake.original.name} is no longer as it was. Remove what is attached, and attach "
            "it again.", 503,
        )  # fmt: skip
